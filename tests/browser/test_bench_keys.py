"""The benches of Measure and Probe for everyone: by the keyboard alone, in both themes, at both widths, with any names and mangled addresses."""

import json
import tempfile
import unittest
from pathlib import Path

from selenium.webdriver.common.action_chains import ActionChains

from nexorem.work.actor import COMMAND_LINE
from tests.browser.driver import Keys
from tests.browser.site import site
from tests.browser.test_benches import GROUPS, NEAR
from tests.browser.test_probe import Bench, probe


class Everyone(Bench):
    def test_the_benches_are_accessible_in_both_themes_and_wide(self):
        folio = self.api()["folios"][0]
        marked = GROUPS | {"picks": [{"column": "Vessel.name", "in": ["Heron"]}, {"column": "Calendar.year", "in": [2032]}]}
        views = [
            (
                "probe",
                {"p": marked, "s": {"kind": "cell", "measure": "share_of_all", "at": NEAR}, "c": {"measure": "seats_sold", "at": NEAR}},
                "Where they part",
            ),
            ("probe", {"p": marked, "s": {"kind": "mark", "measure": "seats_sold", "mark": "unreached"}}, "What would mend it"),
            ("probe", {"p": GROUPS | {"look": {"picture": "columns"}}}, "SVG"),
            ("probe", {"p": GROUPS | {"look": {"picture": "heat"}}}, "SVG"),
            ("probe", {"o": folio}, "a year earlier"),
            ("measure", {"m": "share_of_all_trial", "p": GROUPS}, "Put it in the place of"),
        ]
        for size, dark in (((1280, 800), False), ((1920, 1080), True)):
            self.b.resize(*size)
            self.b.scheme(dark)
            for stage, named, words in views:
                self.open(stage, **named)
                self.b.reads(words)
                self.b.until(lambda: not self.b.all('[aria-busy="true"]'))
                self.assertEqual(self.b.violations(), [], f"{words} {size} {'dark' if dark else 'light'}")
                wide = self.b.driver.execute_script("return document.documentElement.scrollWidth - window.innerWidth")
                self.assertLessEqual(wide, 0, words)
                cut = "return [...document.querySelectorAll('.grid td button')].filter((e) => e.scrollWidth > e.clientWidth + 1).map((e) => e.innerText)"
                self.assertEqual(self.b.driver.execute_script(cut), [], f"numbers that are cut off: {words}")
        self.b.resize(1280, 800)
        self.b.scheme(False)

    def test_an_address_that_was_cut_off_is_told_and_what_is_left_is_shown(self):
        self.open("probe", p=probe(rows=["Island.group"], measures=["seats_sold"], sort=7), s={"kind": "cell"}, o={"tiles": 3, "name": 5})
        self.b.reads("Not all of this address can be read", ".said")
        self.b.click("Probe", ".folio-strip button")
        self.b.reads("Near Isles", ".grid")

    def test_names_with_dots_and_quotes_are_asked_traced_drilled_and_picked(self):
        columns = {"item no.": "string", "net.amount": "number", 'say "hi"': "string"}
        fields = [{"name": n, "type": t} for n, t in columns.items()]
        described = {
            "name": "odd",
            "resources": [
                {
                    "name": "sales",
                    "path": "sales.csv",
                    "schema": {
                        "fields": fields,
                        "foreignKeys": [{"fields": ["item no."], "reference": {"resource": "items", "fields": ["code"]}}],
                    },
                },
                {
                    "name": "items",
                    "path": "items.csv",
                    "schema": {
                        "fields": [{"name": "code", "type": "string"}, {"name": "kind.of", "type": "string"}],
                        "primaryKey": ["code"],
                    },
                },
            ],
            "nexorem": {
                "version": 1,
                "tables": [{"name": "Sales 20.31", "resource": "sales"}, {"name": "It.ems", "resource": "items"}],
                "measures": [{"name": "net amount", "formula": 'sum("Sales 20.31"."net.amount")', "format": "0.0"}],
            },
        }
        with tempfile.TemporaryDirectory() as folder:
            for name, text in (
                ("datapackage.json", json.dumps(described)),
                ("items.csv", "code,kind.of\na,K\nb,L\n"),
                ("sales.csv", 'item no.,net.amount,"say ""hi"""\na,1.5,x\nb,2,y\nz,4,x\n'),
            ):
                (Path(folder) / name).write_text(text)
            self.address = f"{site().address}/m/{site().app.extensions['nexorem'].open(COMMAND_LINE, Path(folder))}"
        self.open("probe", p=probe(measures=["net amount"]))
        for button, words in (("Add a column to the rows", "kind.of"), ("Add a column across", "say")):
            self.b.click(button)
            self.b.typed(words, Keys.ENTER)
        self.sees(lambda: self.line("K"), ["1.5", "", "1.5"])
        self.b.press(lambda: self.cell("L", 1))
        self.sees(lambda: self.texts("[data-testid=trace-value]"), ["2.0"])
        self.b.reads("It.ems", ".small-star text")
        self.b.click("K", ".grid tbody th .plain")
        self.b.type('input[aria-label="Into a column"]', "say hi")
        self.b.click('Into Sales 20.31 say "hi"', "button")
        self.until_asked(rows=['"Sales 20.31"."say ""hi"""'], picks=[{"column": '"It.ems"."kind.of"', "in": ["K"]}])
        self.b.reads("It.ems kind.of is K", ".chip")
        self.b.click('Sales 20.31 say "hi"', ".chip button")
        self.b.reads('Sales 20.31.say "hi"', ".lens h2")

    def test_by_the_keyboard_alone(self):
        self.open("probe", p=probe(rows=["Island.group"], measures=["seats_sold"]))
        self.b.reads("Near Isles", ".grid")
        self.b.tab_to("Add a column across").send_keys(Keys.ENTER)
        self.b.typed("calendar year", Keys.ENTER)
        self.b.until(lambda: len(self.line("Near Isles")) == 4)
        self.b.run("document.activeElement.blur()")
        self.b.tab_to("Pick from a column").send_keys(Keys.ENTER)
        self.b.typed("vessel name", Keys.ENTER)
        self.b.reads("Heron", ".pick-list")
        self.b.tab_to("Search Vessel name")
        self.b.keys(Keys.TAB, Keys.TAB, Keys.TAB)
        self.b.until(lambda: self.b.driver.execute_script("return document.activeElement.type") == "checkbox" or self.b.keys(Keys.TAB))
        self.b.keys(Keys.SPACE)
        self.b.reads("not reached by Vessel", ".grid thead")
        first = self.b.driver.execute_script("return document.querySelector('.grid td [tabindex=\"0\"]').innerText.trim()")
        self.b.tab_to(first)
        self.b.keys(Keys.ARROW_DOWN, Keys.ARROW_RIGHT, Keys.ENTER)
        self.b.until(lambda: self.b.all(".grid td.chosen"))
        self.b.reads("The filter on Vessel does not reach Booking", ".lens")
        self.b.keys(Keys.ARROW_UP)
        ActionChains(self.b.driver).key_down(Keys.SHIFT).send_keys(Keys.ENTER).key_up(Keys.SHIFT).perform()
        self.b.reads("Where they part", ".lens")
        self.b.keys("m")
        self.b.reads("Pick only it")
        self.b.keys(Keys.ESCAPE)
        self.b.keys(Keys.END)
        self.b.keys("4")
        self.b.reads("Begin from a pattern")


class Keyboard(Bench):
    """No pointer: every element is come to with the Tab key, F6 and arrows."""

    def region(self, css):
        """F6 until the focus is in a part of the screen."""
        for _ in range(9):
            if self.b.driver.execute_script("return document.activeElement.closest(arguments[0]) !== null", css):
                return
            self.b.keys(Keys.F6)
        self.fail(f"F6 does not come to {css}")

    def at(self, name, back=False):
        self.b.tab_to(name, back=back)
        return self

    def shown(self, css):
        return self.b.until(lambda: next((t for t in self.texts(css) if t), None))

    def test_a_measure_is_written_mended_renamed_tried_and_promoted(self):
        self.open("measure", m="seats_sold", p=probe(rows=["Island.group", "Port.name"], measures=["seats_sold"]))
        self.b.reads("136,115", "[data-testid=live-number]")
        self.region(".outline")
        self.sees(lambda: self.b.focused().startswith("Seats sold"))
        self.b.keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.ENTER)  # from measure to measure, one stop of the Tab key
        self.sees(lambda: self.b.one('[aria-label="Name of the measure"]').get_attribute("value"), "refunded_seats")
        self.at("New measure").b.keys(Keys.ENTER)
        self.region(".desk")
        self.at("Name of the new measure", back=True).b.keys("keyed")
        self.b.keys(Keys.TAB)
        self.at("Formula").b.keys("sum(Booking.seat")
        self.b.reads("Booking has no column seat", ".wrong")
        self.b.keys(Keys.ESCAPE)
        self.at("write Booking.seats").b.keys(Keys.ENTER)
        self.b.reads("136,115", "[data-testid=live-number]")
        self.at("Formula", back=True)
        self.b.command("s")
        self.b.named("↶ undo: add measure keyed")
        self.sees(lambda: self.b.one('[aria-label="Name of the measure"]').get_attribute("value"), "keyed")
        self.sees(lambda: self.b.focused(), "Formula")  # one goes on writing
        self.b.command(Keys.END)
        self.b.keys(" / 2")
        self.b.reads("cells differ", ".live-grid")
        self.at("As a variant", back=True).b.keys(Keys.ENTER)
        self.b.named("↶ undo: add measure keyed_trial")
        self.b.reads("trial beside keyed", ".trial-mark")
        self.region(".live-grid, .desk")
        self.b.one('.live-grid[aria-busy="false"]')
        self.at("keyed").b.keys(Keys.SPACE)  # compared with the official one
        self.b.until(lambda: len(self.b.all(".live-grid .side-head")) == 2)
        self.region(".lens")
        self.at("Put it in the place of keyed").b.keys(Keys.ENTER)
        self.b.named("↶ undo: make keyed_trial official")
        self.sees(lambda: self.measure("keyed")["formula"], "sum(Booking.seats) / 2")
        self.region(".desk")
        self.at("Name of the measure", back=True)
        self.b.command("a")
        self.b.keys("half_seats", Keys.ENTER)
        self.b.named("↶ undo: rename keyed to half_seats")
        self.sees(lambda: self.b.focused(), "Name of the measure")
        self.region(".outline")
        self.at("share of a total").b.keys(Keys.ENTER)
        self.b.reads("clear wide Booking", ".cm-content")
        self.sees(lambda: "Divides by" in self.b.one(".details textarea").get_attribute("value"))  # what the pattern teaches comes along

    def test_a_number_is_traced_its_rows_paged_and_a_mark_opened(self):
        picks = [{"column": "Vessel.name", "in": ["Heron"]}]
        self.open("probe", p=probe(rows=["Island.group"], columns=["Calendar.year"], measures=["seats_sold", "outer_seats"], picks=picks))
        self.b.reads("Near Isles", ".grid")
        self.region(".grid-place")
        self.b.until(lambda: self.b.driver.execute_script("return document.activeElement.matches('.grid [data-col]')"))
        self.b.keys(Keys.ARROW_DOWN, Keys.ENTER)
        self.b.reads("Seats sold, Near Isles, 2031", ".lens h2")
        self.region(".lens")
        self.at("The cell and the page ask for").b.keys(Keys.ARROW_DOWN)
        self.sees(lambda: self.b.focused().startswith("Filters run"))
        star = self.b.one(".small-star").get_attribute("aria-label")
        self.assertIn("from Vessel it stops before Booking: sailing the link is inactive", star)
        self.assertEqual(len(self.b.all(".small-star .stop-bar")), 1)
        self.b.keys(Keys.ARROW_LEFT)
        self.b.until(lambda: not self.b.all(".small-star"))
        self.b.keys(Keys.ARROW_RIGHT)
        self.at("page through them").b.keys(Keys.ENTER)
        self.b.reads("1 to 25 of", ".pager")
        self.at("after").b.keys(Keys.ENTER)
        self.b.reads("26 to 50 of", ".pager")
        self.at("seats", back=True).b.keys(Keys.ENTER, Keys.ENTER)
        self.b.until(
            lambda: self.texts(".used-rows tbody tr:first-child td")[1] == max(self.texts(".used-rows tbody tr td:nth-child(2)"), key=int)
        )
        self.at("A table whose filter does not reach").b.keys("Ves")
        self.b.reads("In one formula", ".why-not")
        self.region(".grid-place")
        self.at("Outer seats: does away with coordinates of the grid", back=True).b.keys(Keys.ENTER)
        self.b.reads("does away with the cell's own coordinate on Island.group", ".lens")
        self.region(".sentence")
        self.at("Vessel name is Heron").b.keys(Keys.ENTER)
        self.b.reads("Why does a filter on Vessel not reach Booking?", ".lens")
        self.region(".lens")
        self.at("what would open it?").b.keys(Keys.ENTER)
        self.b.reads("The smallest change", ".reaches")
        self.region(".pick-side")
        self.at("Calendar to").b.keys(Keys.ARROW_LEFT)
        self.b.until(lambda: any("BETWEEN" in p.get("where", "") for p in self.asked()["picks"]))
        self.region(".grid-place")
        self.at("What to do with Seats sold", back=True).b.keys(Keys.ENTER)
        self.b.named("Bars in cells", "[role=menuitem]")
        for _ in range(12):
            if self.b.focused() != "Bars in cells":
                self.b.keys(Keys.ARROW_DOWN)
        self.b.keys(Keys.ENTER)
        self.sees(lambda: self.asked()["look"]["bars"], ["seats_sold"])

    def test_pictures_and_folios(self):
        self.open("probe", p=probe(rows=["Port.name"], measures=["seats_sold"]))
        self.b.reads("Teal Quay", ".grid")
        self.region(".grid-place")
        self.at("Bars", back=True).b.keys(Keys.ENTER)
        self.at("Pick Brannock").b.keys(Keys.ENTER)
        self.sees(lambda: self.asked()["picks"], [{"column": "Port.name", "in": ["Brannock"]}])
        self.region(".sentence")
        self.at("+ folio", back=True).b.keys(Keys.ENTER)
        self.at("Name of the folio").b.keys("By keys")
        for tile in ("late share", "A text"):
            self.at("Add a tile").b.keys(Keys.ENTER)
            self.b.typed(tile, Keys.ENTER)
        self.at("Text of the tile").b.keys("Read this first")
        self.sees(lambda: self.texts(".tile h3")[0], "Late share")
        self.at("What to do with the tile", back=True)
        ActionChains(self.b.driver).key_down(Keys.ALT).send_keys(Keys.ARROW_LEFT).key_up(Keys.ALT).perform()
        self.b.until(lambda: "text" in self.b.all(".tile")[0].get_attribute("class"))
        self.sees(lambda: self.b.driver.execute_script("return document.activeElement.closest('.tile').className.includes('text')"))
        self.region(".folio-scroll")
        self.at(self.shown(".tile-value")).b.keys(Keys.ENTER)
        self.sees(lambda: self.texts("[data-testid=trace-value]"), self.texts(".tile-value"))
        self.region(".sentence")
        self.at("Save").b.keys(Keys.ENTER)
        self.b.named("↶ undo: save folio By keys")
        self.sees(lambda: [t["kind"] for t in self.api()["folios"][-1]["tiles"]], ["text", "number"])


if __name__ == "__main__":
    unittest.main()
