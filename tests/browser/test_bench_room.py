"""Room and calm: what fits at 1280 by 800, what folds and remembers it, a large matrix and a large star, and screens that rest."""

import unittest

from nexorem.store import models
from tests.browser.driver import Keys
from tests.browser.site import site
from tests.browser.test_probe import TOO_LARGE, Bench, probe
from tests.core.stars import generated, with_rows

YEARS = probe(rows=["Port.name"], columns=["Calendar.year"], measures=["seats_sold", "share_of_ports", "target_seats"], totals="all")
LONG = probe(
    rows=["Port.name", "Calendar.month"],
    columns=["Calendar.year"],
    measures=["seats_sold", "too_large", "customers_served", "to_date_before"],
)
# What stands out of its place: a bench that is wider than it, a list that scrolls to the side, the grid under the Lens.
BEYOND = """
const wide = (e) => e.scrollWidth > e.clientWidth + 1;
const [bench, grid, lens] = ['main.bench', '.grid-scroll', '.lens'].map((css) => document.querySelector(css));
return [...(wide(bench) ? ['bench'] : []), ...[...bench.querySelectorAll('.side')].filter(wide).map((e) => e.className),
  ...(grid && grid.getBoundingClientRect().right > lens.getBoundingClientRect().left + 1 ? ['grid'] : [])];
"""
# Headings and cells of a grid that are cut off, and words that are broken.
CUT = """
const broken = (text) => [...text.data.matchAll(/\\S+/g)].some((word) => {
  const range = document.createRange();
  range.setStart(text, word.index);
  range.setEnd(text, word.index + word[0].length);
  return new Set([...range.getClientRects()].map((r) => Math.round(r.top))).size > 1;
});
const texts = (e) => { const all = [], walk = document.createTreeWalker(e, NodeFilter.SHOW_TEXT); while (walk.nextNode()) all.push(walk.currentNode); return all; };
const heads = [...document.querySelectorAll('.grid thead tr:last-child th.num')];
const cells = [...document.querySelectorAll('.grid tbody.lines td')];
return [...heads, ...cells].filter((e) => e.scrollWidth > e.clientWidth + 1 || texts(e).some(broken)).map((e) => e.innerText);
"""
REST = 2.0  # seconds that a screen is looked at
MOST_IDLE = 0.01  # of a processor, of a screen that rests


class Room(Bench):
    def fresh(self, stage, **named):
        """A window of somebody who never folded anything."""
        self.b.run("localStorage.clear(); localStorage.setItem('nexorem.picks', 'rail')")
        self.open(stage, **named)

    def width(self, css):
        return self.b.driver.execute_script("return document.querySelector(arguments[0]).getBoundingClientRect().width", css)

    def test_three_measures_over_three_years_are_seen_whole(self):
        self.open("probe", p=YEARS)
        self.fresh("probe", p=YEARS)
        self.b.reads("Teal Bridge", ".grid")
        seen = """
        const box = document.querySelector('.grid-scroll').getBoundingClientRect();
        const heads = [...document.querySelectorAll('.grid thead tr:last-child th.num')].slice(0, 9);
        const line = document.querySelector('.grid tbody.lines tr');
        const cells = [...line.querySelectorAll('td')].slice(0, 9);
        return [...heads, ...cells].every((e) => e.getBoundingClientRect().right <= box.right + 1) && heads.length === 9;
        """
        self.sees(lambda: self.b.driver.execute_script(seen))
        sentence = self.b.one(".sentence-place").rect["height"]
        self.assertLess(sentence, 50)  # one line of chips
        self.assertEqual(self.b.all(".sentence .chip.add:not([hidden])")[0].is_displayed(), False)
        self.assertLess(self.b.one(".grid thead").rect["height"], 80)
        # It grows when it is entered, and is a line again when it is left.
        self.b.click("Ask for something else")
        self.b.until(lambda: self.b.named("+ rows").is_displayed())
        self.assertGreater(self.b.one(".sentence-place").rect["height"], 50)
        self.b.keys(Keys.ESCAPE)
        self.b.until(lambda: not self.b.all(".sentence.entered"))
        self.b.click("Ask for something else")
        self.b.click("Bars", ".picture-switch button")
        self.b.until(lambda: not self.b.all(".sentence.entered"))
        self.sees(lambda: self.asked().get("look", {}).get("picture"), "bars")
        self.b.click("Grid", ".picture-switch button")
        # Ruler and picks: a rail, until somebody opens them; then they stay open.
        self.assertLess(self.width(".pick-rail"), 40)
        self.b.press(lambda: self.b.one(".pick-rail button"))
        self.b.reads("Calendar", ".pick-side")
        self.b.open(self.b.driver.current_url)
        self.b.reads("Calendar", ".pick-side")
        # The Lens is drawn narrower by its edge, and remembers.
        before = self.width(".lens")
        edge = self.b.one(".lens-edge")
        edge.send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
        self.sees(lambda: round(self.width(".lens") - before), 40)
        self.b.drag_by(edge, 60, 0)
        self.b.until(lambda: self.width(".lens") < before)
        narrow = self.width(".lens")
        self.b.open(self.b.driver.current_url)
        self.b.one(".lens-edge")
        self.sees(lambda: round(self.width(".lens") - narrow), 0)

    def test_nothing_stands_out_of_its_place_and_no_word_is_cut(self):
        self.add("too_large", TOO_LARGE)
        views = (
            ("gather", {}, "main.bench"),
            ("shape", {}, ".rows-scroll"),
            ("link", {"w": "matrix"}, ".matrix"),
            ("link", {"w": "star"}, ".star-card"),
            ("measure", {"m": "growth"}, ".outline-item"),
            ("probe", {"p": LONG}, ".grid td .signal"),
            ("prove", {}, "main.bench"),
        )
        for size in ((1280, 800), (1920, 1080)):
            self.b.resize(*size)
            self.addCleanup(self.b.resize, 1280, 800)
            for stage, named, shown in views:
                with self.subTest(stage, size=size, **named):
                    self.open(stage, **named)
                    self.b.one(shown)
                    self.b.settled()
                    self.assertEqual(self.b.driver.execute_script(BEYOND), [])
                    self.assertEqual(self.b.driver.execute_script(CUT), [])

    def test_the_matrix_takes_the_room_that_is_there(self):
        self.b.resize(1920, 1080)
        self.addCleanup(self.b.resize, 1280, 800)
        self.open("link")
        self.b.one(".matrix td")
        fits = "const m = document.querySelector('.matrix-scroll'); return m.scrollWidth <= m.clientWidth + 1"
        self.sees(lambda: self.b.driver.execute_script(fits))

    def large(self):
        """A model of 120 tables, in the store."""
        return f"{site().address}/m/{models.create(site().app.extensions['nexorem'].engine, with_rows(generated(120, 1)))}"

    def test_a_large_matrix_and_star(self):
        self.address = self.large()
        self.open("link", w="matrix")
        self.b.one(".matrix.large td[data-cell]")
        # What came with the page is what it asks for: nothing of it is asked for twice.
        self.b.settled()
        number = int(self.address.rsplit("/", 1)[1])
        for address in ("/api/me", f"/api/models/{number}", f"/api/models/{number}/analysis?findings=true"):
            script = (
                "return performance.getEntriesByType('resource').filter((e) => e.name.endsWith(arguments[0])).map((e) => e.initiatorType)"
            )
            self.assertEqual(self.b.driver.execute_script(script, address), ["link"], address)
        drawn = lambda: len(self.b.all(".matrix td[data-cell]"))  # noqa: E731
        self.assertLess(drawn(), 2_500)
        self.b.run("document.querySelector('.matrix-scroll').scrollTo(1e6, 1e6)")
        last = self.b.until(lambda: [e.get_attribute("data-head") for e in self.b.all(".matrix th.col")][-1])
        self.b.until(lambda: last in [t["name"] for t in self.api()["tables"]])
        # The keyboard comes to cells that were not drawn.
        self.b.run("document.querySelector('.matrix-scroll').scrollTo(0, 0)")
        self.b.until(lambda: self.b.all(".matrix td[tabindex='0']"))
        self.b.run("document.querySelector(\".matrix td[tabindex='0']\").focus()")
        self.b.keys(Keys.END)
        self.b.until(lambda: "data-cell" in self.b.driver.execute_script("return document.activeElement.outerHTML"))
        self.open("link", w="star")
        self.b.until(lambda: len(self.b.all(".star-card")) > 100)
        self.b.until(lambda: self.b.all(".star-overview"))
        self.b.click("keys", ".levels button")
        self.b.until(lambda: len(self.b.all(".star-card .key")) > 100)
        self.b.click("names", ".levels button")
        self.b.click("fold ▾")
        self.b.click("▾ a", "[role=menuitem]")
        self.b.one(".star-card.subject")

    def test_screens_rest(self):
        """Once what moves has stood still, nothing is computed any more."""
        chosen = {"kind": "cell", "measure": "share_of_ports", "at": []}
        for stage, named, there in (
            ("gather", {}, ".card"),
            ("shape", {}, ".rows-head"),
            ("link", {"r": "in"}, ".star-card"),
            ("measure", {"m": "share_of_ports"}, ".cm-content"),
            ("probe", {"p": YEARS, "s": chosen}, ".grid td"),
            ("prove", {}, ".bench h2, .prove-switch"),
        ):
            with self.subTest(stage):
                self.open(stage, **named)
                self.b.one(there)
                self.b.settled()
                running = "return document.getAnimations().filter((a) => a.playState === 'running').length"
                self.sees(lambda q=running: self.b.driver.execute_script(q), 0)
                self.b.until(lambda: self.busy() < MOST_IDLE, f"{stage} does not rest")

    def busy(self):
        """What part of a processor the page takes while nobody touches it."""
        begun = self.metrics()
        self.b.driver.execute_async_script("setTimeout(arguments[1], arguments[0] * 1000)", REST)
        ended = self.metrics()
        return (ended["TaskDuration"] - begun["TaskDuration"]) / (ended["Timestamp"] - begun["Timestamp"])

    def metrics(self):
        self.b.driver.execute_cdp_cmd("Performance.enable", {})
        return {m["name"]: m["value"] for m in self.b.driver.execute_cdp_cmd("Performance.getMetrics", {})["metrics"]}


if __name__ == "__main__":
    unittest.main()
