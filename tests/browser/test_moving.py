"""A grid that moves: the picture that is drawn of its lines, and the lines that come when it rests."""

import unittest

from tests.browser.driver import Keys
from tests.browser.test_probe import TOO_LARGE, Bench, probe

# A movement that does not end: the grid waits with its lines until it rests.
HELD = "window.later ??= window.setTimeout; window.setTimeout = (f, after, ...x) => after === 120 ? 0 : window.later(f, after, ...x)"
GO = "document.querySelector('.grid-scroll').scrollTo(arguments[0], arguments[1])"
MOVING = "return !(document.querySelector('.grid-motion canvas')?.hidden ?? true)"
RUNNING = "return document.getAnimations().some((a) => a.playState === 'running')"
PLACE = "const g = document.querySelector('.grid-scroll'); return [g.scrollLeft, g.scrollTop]"
LINES = "return [...document.querySelectorAll('.grid tbody.lines tr')].map((r) => Number(r.dataset.row))"
# How many points of two pictures differ, seen and plainly; of how many.
DIFFERENCE = """
const [one, other, done] = [...arguments];
const points = (picture) => new Promise((made) => {
  const image = new Image();
  image.onload = () => {
    const canvas = Object.assign(document.createElement('canvas'), {width: image.width, height: image.height});
    const at = canvas.getContext('2d');
    at.drawImage(image, 0, 0);
    made(at.getImageData(0, 0, image.width, image.height).data);
  };
  image.src = 'data:image/png;base64,' + picture;
});
Promise.all([points(one), points(other)]).then(([a, b]) => {
  let [seen, plain] = [0, 0];
  for (let i = 0; i < a.length; i += 4) {
    const most = Math.max(...[0, 1, 2].map((c) => Math.abs(a[i + c] - b[i + c])));
    seen += most > 24;
    plain += most > 90;
  }
  done([seen / a.length * 4, plain / a.length * 4]);
});
"""
DEEP = probe(
    rows=["Island.group", "Port.name", "Calendar.month"],
    columns=["Calendar.year"],
    measures=["seats_sold", "share_of_all", "target_seats"],
    look={"shade": ["seats_sold"], "bars": ["share_of_all"]},
)
HATCHED = probe(
    rows=["Port.name", "Calendar.date"],
    columns=["Calendar.year"],
    measures=["seats_sold", "share_of_all", "against_target"],
    picks=[{"column": "Vessel.name", "in": ["Heron", "Tern"]}],
)

# Cells that a check holds, that fail, whose parts do not add up, that compare uneven periods; lines of bookings without a port.
SIGNS = probe(
    rows=["Port.name", "Calendar.month"],
    columns=["Calendar.year"],
    measures=["seats_sold", "too_large", "customers_served", "to_date_before"],
)
FAR = 100_000
# Hatching is drawn with softer edges; all else is the same point by point, but for the line around the chosen cell: a grid, where it is
# looked at, the marks that stand there, and how much may differ.
PICTURES = (
    ("deep", DEEP, False, (0, 0), (".overridden", ".shaded", ".chosen"), 0.0005),
    ("deep", DEEP, True, (0, 0), (".overridden", ".shaded", ".chosen"), 0.0005),
    ("hatched", HATCHED, False, (0, 0), (".hatched",), 0.08),
    ("signs", SIGNS, False, (0, 0), (".held", ".signal"), 0.0005),
    ("signs", SIGNS, True, (FAR, 0), (".apart", ".uneven-mark"), 0.0005),
    ("signs", SIGNS, False, (FAR, FAR), (".apart", ".truth-mark"), 0.0005),
)


class Moving(Bench):
    def move(self, x, y):
        self.b.driver.execute_script(GO, x, y)

    def moving(self):
        return self.b.driver.execute_script(MOVING)

    def test_the_picture_of_a_movement_shows_what_the_lines_show(self):
        self.add("too_large", TOO_LARGE)
        for name, asked, dark, (x, y), marks, most in PICTURES:
            with self.subTest(name, dark=dark, x=x, y=y):
                self.b.scheme(dark)
                self.open("probe", p=asked)
                self.b.until(lambda: len(self.b.all(".grid tbody.lines tr")) > 10)
                self.b.press(lambda: self.b.all(".grid tbody.lines tr")[3].find_elements("css selector", "td button")[1])
                self.b.one(".grid td.chosen")
                self.b.reads("The cell and the page ask for", ".lens")
                self.b.run("document.activeElement.blur()")
                self.move(x, y)
                for mark in marks:
                    self.b.one(f".grid tbody.lines {mark}")
                self.b.until(lambda: not self.moving() and not self.b.driver.execute_script(RUNNING))
                lines, place = self.b.driver.get_screenshot_as_base64(), self.b.driver.execute_script(PLACE)
                self.b.run(HELD)
                self.move(40, 3000)
                self.b.until(self.moving)
                self.move(*place)
                self.b.until(lambda place=place: self.b.driver.execute_script(PLACE) == place)
                self.b.driver.execute_async_script("requestAnimationFrame(() => requestAnimationFrame(() => arguments[0]()))")
                seen, plain = self.b.driver.execute_async_script(DIFFERENCE, lines, self.b.driver.get_screenshot_as_base64())
                self.assertTrue(self.moving())
                self.assertLess(seen, most)
                self.assertLess(plain, 0.0005)
        self.b.scheme(False)

    def test_lines_come_when_it_rests_and_a_key_goes_on_from_its_cell(self):
        self.open("probe", p=probe(rows=["Calendar.date"], columns=["Port.name"], measures=["seats_sold"]))
        self.b.until(lambda: len(self.b.all(".grid tbody.lines tr")) > 10)
        for x, y in ((0, 9000), (700, 12000), (0, 0)):
            self.move(x, y)
            first = y // 30
            self.b.until(lambda first=first: min(self.b.driver.execute_script(LINES)) <= first < max(self.b.driver.execute_script(LINES)))
            self.b.until(lambda: not self.moving())
            heads, cells = self.b.driver.execute_script(
                """const lefts = (css) => [...document.querySelectorAll(css)].map((e) => Math.round(e.getBoundingClientRect().left));
                return [lefts('.grid thead tr:last-child th.num'), lefts('.grid tbody.lines tr:first-child td')]"""
            )
            self.assertLessEqual(set(cells), set(heads))  # each cell stands under a heading
            self.assertGreater(len(cells), 3)
        self.b.press(lambda: self.b.all(".grid tbody.lines tr")[2].find_elements("css selector", "td button")[0])
        self.b.one(".grid td.chosen")
        self.move(0, 9000)
        self.b.until(lambda: min(self.b.driver.execute_script(LINES)) > 200)
        self.b.run("document.querySelector('.grid-scroll').focus({preventScroll: true})")
        self.b.keys(Keys.ARROW_DOWN)
        self.sees(lambda: self.b.driver.execute_script("return document.activeElement.closest('tr')?.dataset.row"), "3")
        self.assertFalse(self.moving())

    def test_a_grid_that_had_no_lines_moves_once_it_has_some(self):
        self.open("probe", p=probe(rows=["Calendar.date"], measures=["seats_sold"], picks=[{"where": "Port.name = 'nowhere'"}]))
        self.b.reads("Nothing is left")
        self.b.press(lambda: self.b.one('[aria-label^="Take the pick"]'))
        self.b.until(lambda: len(self.b.all(".grid tbody.lines tr")) > 10)
        self.move(0, 9000)
        self.b.until(lambda: min(self.b.driver.execute_script(LINES)) > 200)


if __name__ == "__main__":
    unittest.main()
