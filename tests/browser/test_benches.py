"""The benches of Measure and Probe by hand and by keyboard: what each gesture does to the sentence, the formula and the numbers."""

import unittest
import urllib.parse
import urllib.request
from xml.etree import ElementTree

from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.driver import Keys
from tests.browser.test_probe import Bench, probe, value

GROUPS = probe(rows=["Island.group", "Port.name"], columns=["Calendar.year"], measures=["seats_sold", "share_of_all"])
NEAR = [{"column": "Island.group", "member": value("Near Isles")}]


class ProbeBench(Bench):
    def test_the_sentence_is_typed_moved_cut_and_undone(self):
        self.open("probe", p=GROUPS)
        self.b.reads("Near Isles", ".grid")
        self.b.click("+ columns")
        box = self.b.one('input[aria-label="Add a column across"]')
        box.send_keys("seas", Keys.ENTER)
        self.until_asked(columns=["Calendar.year", "Calendar.season"])
        chip = self.b.named("Port name", ".chip button")
        ActionChains(self.b.driver).move_to_element(chip).perform()
        chip.send_keys(Keys.ALT, Keys.ARROW_LEFT)
        self.until_asked(rows=["Port.name", "Island.group"])
        self.b.run("[...document.querySelectorAll('.chip button')].find((b) => b.innerText === 'Calendar season').focus()")
        self.b.command("x")
        self.until_asked(columns=["Calendar.year"])
        self.b.run("[...document.querySelectorAll('.chip button')].find((b) => b.innerText === 'Port name').focus()")
        self.b.command("v")
        self.until_asked(rows=["Port.name", "Calendar.season", "Island.group"])
        self.b.click("Undo in the sentence")
        self.b.click("Undo in the sentence")
        self.b.click("Undo in the sentence")
        self.until_asked(rows=["Island.group", "Port.name"])
        self.b.click("Redo in the sentence")
        self.until_asked(rows=["Port.name", "Island.group"])
        self.b.run("[...document.querySelectorAll('.chip button')].find((b) => b.innerText === 'Island group').focus()")
        self.b.keys("a")
        self.b.typed("gent dist", Keys.ENTER)  # the letter that opened the list is the first of them
        self.until_asked(rows=["Port.name", "Agent.district"])
        self.b.click("Undo in the sentence")
        self.b.click("+ rows")
        self.b.type('input[aria-label="Add a column to the rows"]', "when", Keys.ENTER)
        self.b.until(lambda: "Calendar.quarter" in self.asked()["rows"])
        self.b.click("+ condition")
        self.b.typed("Calendar.year = 2032", Keys.ENTER)
        self.b.until(lambda: {"where": "Calendar.year = 2032"} in self.asked()["picks"])

    def test_chips_are_dragged_within_a_part_and_to_the_other_axis(self):
        self.open("probe", p=probe(rows=["Island.group", "Port.name"], measures=["seats_sold", "share_of_all"]))
        self.b.reads("Near Isles", ".grid")
        for name, onto, parts in (
            ("Share of all", "Seats sold", {"measures": ["share_of_all", "seats_sold"]}),
            ("Port name", "Add a column across", {"rows": ["Island.group"], "columns": ["Port.name"]}),
            ("Island group", "Port name", {"rows": [], "columns": ["Island.group", "Port.name"]}),
            ("Port name", "Add a column to the rows", {"rows": ["Port.name"], "columns": ["Island.group"]}),
        ):

            def dragged(name=name, onto=onto, parts=parts):
                self.b.drag(self.b.named(name, ".chip button"), self.b.named(onto, ".chip button"))
                self.b.until(lambda: all(self.asked()[k] == v for k, v in parts.items()), seconds=2)
                return True

            self.b.until(dragged, f"{name} did not come to {onto}")

    def test_lines_are_drilled_folded_ordered_cut_to_the_top_and_pinned(self):
        self.open("probe", p=probe(rows=["Island.group"], columns=["Calendar.year"], measures=["seats_sold"]))
        self.b.click("Near Isles", ".grid tbody th .plain")
        self.b.click("Down to Island name", "button")
        self.until_asked(rows=["Island.name"], picks=[{"column": "Island.group", "in": ["Near Isles"]}])
        self.b.click("Teal", ".grid tbody th .plain")
        self.b.type('input[aria-label="Into a column"]', "customer segment")
        self.b.click("Into Customer segment", "button")
        self.until_asked(rows=["Customer.segment"])
        self.b.click("Undo in the sentence")
        self.b.click("Teal", ".grid tbody th .plain")
        self.b.click("Up to Island group", "button")
        self.b.until(lambda: self.asked()["rows"] == ["Island.group"])
        self.open("probe", p=GROUPS)
        self.b.click("Fold Near Isles", ".fold")
        self.b.until(lambda: "Teal Quay" not in self.texts(".grid tbody th"))
        self.b.run("document.querySelectorAll('.grid thead th.num .plain')[2].click()")
        self.until_asked(sort=[{"by": "seats_sold", "at": {"Calendar.year": 2032}, "desc": True}])
        self.b.run("document.querySelector('.head-menu').click()")
        self.b.click("The top 5 of each", "button")
        self.b.reads("left out", ".grid-bar")
        self.b.click("Middle Holms", ".grid tbody th .plain")
        self.b.click("Keep it in sight", "button")
        self.b.one(".grid tr.pinned")
        self.b.run("document.querySelector('.head-menu').click()")
        self.b.click("Shade by value", "button")
        self.b.until(
            lambda: self.b.driver.execute_script(
                "return [...document.querySelectorAll('.grid td')].some((t) => t.style.background.includes('color-mix'))"
            )
        )

    def test_a_probe_is_saved_described_and_removed(self):
        self.open("probe", p=probe(rows=["Vessel.name"], measures=["sailings"]))
        self.b.reads("Heron", ".grid")
        self.b.click("a probe without a name (changed) ▾")
        self.b.click("Save under a name…", "[role=menuitem]")
        self.b.typed("Vessels")
        self.b.reads("There is one of that name", ".sentence-end")  # never without a word
        self.b.typed(" that sail", Keys.ENTER)
        self.b.named("↶ undo: save probe Vessels that sail")
        self.b.click("Vessels that sail ▾")
        self.b.click("Say what it is for…", "[role=menuitem]")
        self.b.typed("who sails", Keys.ENTER)
        kept = lambda: next((p for p in self.api()["probes"] if p["name"] == "Vessels that sail"), None)  # noqa: E731
        self.sees(lambda: kept().get("description"), "who sails")
        self.b.reads("who sails", ".lens")
        self.b.click("Vessels that sail ▾")
        self.b.click("Remove “Vessels that sail”", "[role=menuitem]")
        self.sees(kept, None)
        self.sees(lambda: self.asked()["rows"], ["Vessel.name"])  # it stays open, without the name

    def test_picks_are_counted_under_each_other_and_the_ruler_is_dragged(self):
        picks = [{"column": "Customer.segment", "in": []}, {"column": "Agent.district", "in": []}]
        self.open("probe", p=probe(rows=["Island.group"], measures=["seats_sold"], picks=picks))
        before = self.b.until(lambda: [t for t in self.texts('section[aria-label="Agent district"] .end') if t])
        self.b.named("(unmatched)", ".pick-list label .clip")
        self.b.click("visitor", 'section[aria-label="Customer segment"] .pick-list .clip')
        self.b.until(lambda: self.texts('section[aria-label="Agent district"] .end') != before)
        want = self.api(
            "/grid",
            probe={"rows": ["Agent.district"], "measures": ["bookings"], "picks": [{"column": "Customer.segment", "in": ["visitor"]}]},
        )
        counts = 'section[aria-label="Agent district"] .end'
        self.sees(lambda: [t for t in self.texts(counts) if t != "0"], [f"{v[0]:,}" for v in want["values"][0]])
        ruler = self.b.one('svg[data-ruler="Calendar"]')
        chain = (
            ActionChains(self.b.driver, duration=30)
            .move_to_element_with_offset(ruler, -60, -10)
            .click_and_hold()
            .move_by_offset(30, 0)
            .move_by_offset(30, 0)
            .release()
        )
        chain.perform()
        self.b.until(lambda: any("BETWEEN" in p.get("where", "") for p in self.asked()["picks"]))
        self.b.run("document.querySelector('[aria-label=\"Calendar from\"]').focus()")
        was = [p["where"] for p in self.asked()["picks"] if "where" in p]
        self.b.keys(Keys.ARROW_RIGHT)
        self.b.until(lambda: [p["where"] for p in self.asked()["picks"] if "where" in p] != was)

    def test_pictures_say_the_numbers_and_pick(self):
        shown = probe(rows=["Port.name"], columns=["Calendar.year"], measures=["seats_sold"], picks=[])
        self.open("probe", p=shown)
        teal = self.line("Teal Quay")
        for name, css in (
            ("Bars", "rect.solid"),
            ("Columns", "rect.solid"),
            ("Stacked", "rect.solid"),
            ("Lines", "path.line"),
            ("Dots", "path.solid"),
            ("Heat", "rect.heat"),
            ("Small multiples", "figure svg"),
        ):
            self.b.click(name, ".picture-switch button")
            self.b.until(lambda css=css: self.b.all(f".picture-place {css}"))
            self.b.reads(f"Teal Quay, 2032: {teal[1]}", ".picture-place title")
        # The small pictures of one measure have one scale, so that small numbers look small.
        scales = "return [...document.querySelectorAll('.multiples svg')].map((s) => [...s.querySelectorAll('text[text-anchor=end]')].map((t) => t.textContent).join())"
        told = self.b.driver.execute_script(scales)
        self.assertEqual((len(told), len({*told})), (3, 1), told)
        self.assertIn(",", told[0])
        self.b.click("Take Calendar year out")
        self.b.until(lambda: not self.b.named("Heat", ".picture-switch button").is_enabled())
        self.b.click("Bars", ".picture-switch button")
        self.b.type('[aria-label="Pick Teal Quay"]', Keys.ENTER)
        self.until_asked(picks=[{"column": "Port.name", "in": ["Teal Quay"]}])

    def test_a_cell_beside_another_and_the_rows_behind_it(self):
        cell = {"kind": "cell", "measure": "seats_sold", "at": NEAR}
        self.open("probe", p=GROUPS, s=cell)
        self.b.reads("Arithmetic on what is left", ".steps")
        other = self.cell("Outer Lights", -2)
        ActionChains(self.b.driver).key_down(Keys.SHIFT).click(other).key_up(Keys.SHIFT).perform()
        self.b.reads("Near Isles", ".cells-beside")
        self.b.reads("rows of Booking used", ".cells-beside")
        self.b.click("one cell again")
        self.b.click("page through them")
        self.b.reads("1 to 25 of", ".pager")
        self.b.click("seats", ".used-rows th .plain")
        self.b.click("seats ↑", ".used-rows th .plain")
        self.b.until(
            lambda: self.texts(".used-rows tbody tr:first-child td")[1] == max(self.texts(".used-rows tbody tr td:nth-child(2)"), key=int)
        )
        link = self.b.named("all as CSV", "a").get_attribute("href")
        rows = urllib.request.urlopen(link).read().decode().splitlines()
        self.sees(lambda: len(rows) - 1 == int(self.b.text(".pager").split(" of ")[1].split()[0].replace(",", "")))
        self.b.type(".step-head", Keys.ARROW_DOWN)
        self.sees(lambda: self.b.focused() == self.b.all(".step-head")[1].text)
        self.b.keys(Keys.ARROW_LEFT)
        self.b.until(lambda: self.b.all(".step-head")[1].get_attribute("aria-expanded") == "false")
        self.b.type('select[aria-label="A table whose filter does not reach"]', "Vessel")
        self.b.reads("In one formula", ".why-not")

    def test_an_empty_cell_says_at_which_step_nothing_was_left(self):
        at = [{"column": "Port.name", "member": value("Brann East")}]
        self.open(
            "probe",
            p=probe(rows=["Port.name"], measures=["target_seats"], empty_lines=True),
            s={"kind": "cell", "measure": "target_seats", "at": at},
        )
        self.b.reads("Nothing is left of", "[data-testid=emptied]")

    def test_a_folio_shares_its_picks_and_a_tile_opts_out(self):
        self.open("probe")
        self.b.click("Result", ".folio-strip button")
        self.b.reads("without Calendar year", ".tile")
        want = self.api("/grid", probe={"measures": ["income"], "picks": [{"column": "Calendar.year", "in": [2032]}]})["values"][0][0][0]
        income = 'section[aria-label="Income"] .tile-value'
        number = f"{round(want):,}"
        self.sees(lambda: self.texts(income), [number])
        self.b.click("2031", ".pick-list .clip")
        self.b.until(lambda: self.texts(income) not in ([], [""], [number]))
        self.b.click("What to do with the tile Income", "button")
        self.b.click("Opt out of Calendar year is 2032 or 2031", "button")
        self.b.until(lambda: sum("without" in t for t in self.texts(".tile header")) == 2)
        name = self.texts(".tile h3")[0]
        self.b.drag(self.b.all(".tile h3")[0], self.b.all(".tile h3")[1])
        self.b.until(lambda: self.texts(".tile h3")[1] == name)
        self.b.click("Save")
        self.b.named("↶ undo: save folio Result")
        self.assertEqual(self.api()["folios"][2]["tiles"][1]["without"], ["Calendar.year"])
        self.b.click("Open All quarters in Probe", "button")
        self.b.reads("2033", ".grid tbody")

    def test_a_folio_is_made_undone_and_its_numbers_are_traced(self):
        self.open("probe", p=probe(rows=["Vessel.name"], measures=["sailings"]))
        self.b.click("+ folio")
        self.b.press(lambda: self.b.one('[aria-label="Name of the folio"]'))
        self.b.keys("Quay meeting")
        self.sees(lambda: self.b.one('[aria-label="Name of the folio"]').get_attribute("value"), "Quay meeting")
        for tile in ("seats sold", "Ports by year"):
            self.b.click("+ tile")
            self.b.typed(tile, Keys.ENTER)
        self.b.click("Pick from a column, for all tiles")
        self.b.typed("island group", Keys.ENTER)
        self.b.click("Near Isles", ".pick-list .clip")
        want = self.api("/grid", probe={"measures": ["seats_sold"], "picks": [{"column": "Island.group", "in": ["Near Isles"]}]})
        number = f"{want['values'][0][0][0]:,}"
        self.sees(lambda: self.texts(".tile-value"), [number])
        # What is chosen on a tile is traced under the tile's own picks, not under those of the probe that was open.
        self.b.click(number, ".tile-value")
        self.sees(lambda: self.texts("[data-testid=trace-value]"), [number])
        self.b.reads("Island group is Near Isles", ".lens")
        self.b.run("document.querySelector('.tile .grid tbody.lines td button').click()")
        self.b.until(lambda: self.texts(".tile td.chosen button") == self.texts("[data-testid=trace-value]") != [number])
        self.assertEqual(self.asked()["picks"], [{"column": "Island.group", "in": ["Near Isles"]}])
        self.b.open(self.b.driver.current_url)  # the address brings folio, cell and trace
        self.b.until(lambda: self.texts(".tile td.chosen button") == self.texts("[data-testid=trace-value]") != [])
        self.b.click("Outer Lights", ".pick-list .clip")
        self.b.until(lambda: self.texts(".tile-value") not in ([], [""], [number]))
        self.b.until(lambda: not self.b.all("[data-testid=trace-value]"))  # it was under other picks
        self.b.click("Undo on the folio")
        self.sees(lambda: self.texts(".tile-value"), [number])
        self.b.click("Redo on the folio")
        self.b.until(lambda: self.texts(".tile-value") not in ([], [""], [number]))
        self.b.click("say what it is for", "button")
        self.b.typed("for the quay", Keys.ENTER)
        self.b.click("Save")
        self.b.named("↶ undo: save folio Quay meeting")
        self.sees(lambda: self.api()["folios"][-1].get("description"), "for the quay")
        self.b.press(lambda: self.b.one('[aria-label="Name of the folio"]'))
        self.b.command("a")
        self.b.keys("Result")
        self.b.named("Put it in the place of Result")  # never without a word
        self.b.keys("s")
        self.b.click("Save as another")
        self.b.until(lambda: [f["name"] for f in self.api()["folios"]][-2:] == ["Quay meeting", "Results"])
        self.b.click("+ condition for all", "button")
        self.b.typed("Calendar.year = 2032", Keys.ENTER)
        self.b.reads("Calendar.year is 2032", ".chip")
        self.b.click("Open Ports by year in Probe", "button")
        self.b.until(lambda: {"where": "Calendar.year = 2032"} in self.asked()["picks"])

    def test_a_picture_is_taken_with_its_title_legend_and_captions(self):
        shown = probe(name="Seats and fares", rows=["Calendar.month"], measures=["seats_sold", "fare_income"], look={"picture": "lines"})
        self.open("probe", p=shown)
        self.b.reads("Fare income", ".scaled figcaption")
        self.b.run("window.taken = []; HTMLAnchorElement.prototype.click = function () { window.taken.push([this.download, this.href]); }")
        for kind in ("SVG", "PNG"):
            self.b.click(kind, ".picture-legend button")
        taken = self.b.until(lambda: (lambda got: got if len(got) == 2 else None)(self.b.driver.execute_script("return window.taken")))
        self.assertEqual(
            [name for name, _ in taken], ["Seats sold, Fare income by Calendar month.svg", "Seats sold, Fare income by Calendar month.png"]
        )
        root = ElementTree.fromstring(urllib.parse.unquote(taken[0][1].split(",", 1)[1]))
        texts = [e.text for e in root.iter("{http://www.w3.org/2000/svg}text")]
        self.assertEqual(texts[:3], ["Seats sold, Fare income by Calendar month", "Seats sold", "Fare income"])
        self.assertEqual(texts.count("Seats sold"), 2)  # in the legend, and above its own scale
        lines = [e for e in root.iter("{http://www.w3.org/2000/svg}path") if "stroke-width:2px" in e.get("style", "")]
        self.assertEqual(len(lines), 2)
        self.assertTrue(all("M" in e.get("d") and "rgb" in e.get("style") for e in lines))
        self.assertGreater(len(taken[1][1]), 20_000)
        self.b.click("Small multiples", ".picture-switch button")
        self.b.until(lambda: len(self.b.all(".multiples figure")) == 2 and not self.b.all(".legend-item"))


# Keys that come one after the other, as from one that is held down; how many grids were asked for meanwhile.
TYPED = """
const [keys, done] = arguments;
document.querySelector('.cm-content').focus();
getSelection().modify('move', 'forward', 'documentboundary');
performance.clearResourceTimings();
let left = keys;
const press = () => {
  document.execCommand('insertText', false, '1');
  if ((left -= 1)) setTimeout(press, 4);
  else done(performance.getEntriesByType('resource').filter((e) => e.name.endsWith('/grid')).length);
};
press();
"""


class MeasureBench(Bench):
    def test_completion_help_and_definition_come_from_the_core(self):
        self.open("measure", m="seats_sold")
        self.write("sum(Booking.seats * Fare.")
        self.b.keys("w")
        self.b.reads("winter", ".cm-tooltip-autocomplete")
        self.b.frames(20)  # the editor takes no choice from a list that has only just opened
        self.b.keys(Keys.ENTER)
        self.b.reads("Fare.winter", ".cm-content")
        self.write("growth + 1")
        self.b.run("document.querySelector('.cm-content').focus()")
        self.b.keys(Keys.HOME, Keys.F12)
        self.b.until(lambda: self.b.one('[aria-label="Name of the measure"]').get_attribute("value") == "growth")
        self.b.run("[...document.querySelectorAll('.outline-item')].find((e) => e.innerText.startsWith('Seats sold')).click()")
        self.b.reads("growth + 1", ".cm-content")  # what was typed is still there
        self.b.one('.outline-item [title="Not saved yet"]')

    def test_numbers_come_with_the_keys_and_those_of_the_last_one_stay(self):
        self.open("measure", m="seats_sold", p=probe(rows=["Port.name"], measures=["seats_sold"]))
        self.write("sum(Booking.seats) + 1")
        self.b.reads("136,116", ".live")
        self.b.one('.live-grid[aria-busy="false"]')
        asked = self.b.driver.execute_async_script(TYPED, 8)
        self.b.reads("111,247,226", ".live")
        self.sees(lambda: self.b.all(".live-grid td")[-1].text.endswith("111,247,226"))
        self.b.one('.live-grid[aria-busy="false"]')
        self.assertLess(asked, 8, "keys that come faster than answers are asked about together")

    def test_the_ledger_has_the_cell_the_picks_and_the_conditions(self):
        picks = [
            {"column": "Island.group", "in": ["Near Isles"]},
            {"where": "Calendar.date >= DATE '2032-01-01' AND Calendar.month < '2033-05'"},
        ]
        self.open("measure", m="year_before", p=probe(rows=["Port.name"], measures=["seats_sold"], picks=picks))
        want = [
            ["Island.group", "Near Isles", "Near Isles"],
            [
                "Calendar.date",
                "Calendar.date is at least 2032-01-01 and Calendar.month is below 2033-05",
                "the dates of Calendar moved back by 1 year",
            ],
            ["Calendar.month", "Calendar.date is at least 2032-01-01 and Calendar.month is below 2033-05", "any"],
            ["Port.name", "Gallan Ness", "Gallan Ness"],
        ]
        rows = (
            "return [...document.querySelectorAll('.ledger tbody tr')].map((r) => [...r.cells].slice(1, 4).map((c) => c.innerText.trim()))"
        )
        self.sees(lambda: self.b.driver.execute_script(rows), want)

    def test_renamed_everywhere_and_found_where_it_is_used(self):
        self.open("measure", m="seats_sold")
        self.b.reads("Named in", ".lens")
        self.b.press(lambda: self.b.one('[aria-label="Name of the measure"]'))
        self.b.command("a")
        self.b.keys("seats")
        self.b.reads("renames it everywhere")
        self.b.click("Save")
        self.b.named("↶ undo: rename seats_sold to seats")
        self.sees(lambda: self.measure("growth")["formula"], "(seats - year_before) / year_before")
        self.b.click("↶ undo: rename seats_sold to seats")
        self.b.until(lambda: self.measure("seats_sold"))

    def test_a_variant_is_compared_and_promoted_with_its_difference_shown(self):
        self.open("measure", m="share_of_ports", p=probe(rows=["Island.group", "Port.name"], measures=["seats_sold"]))
        self.write("seats_sold / seats_sold given (clear Port, clear Island)")
        self.b.reads("cells differ", ".live-grid")
        self.sees(lambda: bool(self.b.all(".live-grid td.differs")))
        self.b.click("As a variant")
        self.b.named("↶ undo: add measure share_of_ports_trial")
        self.sees(lambda: self.measure("share_of_ports")["formula"], "seats_sold / seats_sold given (clear Port)")
        self.b.reads("trial beside share of ports", ".trial-mark")
        self.b.one('.live-grid[aria-busy="false"]')
        self.b.click("share of ports", ".variants label")
        self.b.until(lambda: len(self.b.all(".live-grid .side-head")) == 2)
        self.b.reads(", clear Island", ".lens ins")
        self.b.click("Put it in the place of share of ports")
        self.b.named("↶ undo: make share_of_ports_trial official")
        self.sees(lambda: self.measure("share_of_ports")["formula"], "seats_sold / seats_sold given (clear Port, clear Island)")
        self.sees(lambda: self.measure("share_of_ports_trial"), None)

    def test_many_as_text_with_a_preview(self):
        self.open("measure", m="seats_sold")
        self.b.click("As text")
        area = self.b.one('textarea[aria-label="Measures as text"]')
        self.b.until(lambda: "seats_sold = sum(Booking.seats);" in area.get_attribute("value"))
        self.b.press(lambda: area)
        ActionChains(self.b.driver).key_down(Keys.CONTROL).send_keys(Keys.END).key_up(Keys.CONTROL).perform()
        self.b.driver.execute_cdp_cmd("Input.insertText", {"text": "\n-- format: 0.0\nodd_one = seats_sold / 3;\nlost = nothing_there;\n"})
        self.b.reads("2 new", ".sheet-text")
        self.b.reads("The measure nothing_there does not exist", ".sheet-text")
        self.b.click("Take 1 measure in")
        self.b.named("↶ undo: take measures in")
        self.sees(lambda: self.measure("odd_one")["format"], "0.0")
        self.sees(lambda: self.measure("lost"), None)

    def test_the_formats_are_shown_by_examples_and_the_outline_is_searched(self):
        self.open("measure", m="seats_sold")
        self.b.press(lambda: self.b.one('.details input[list="formats"]'))
        self.b.command("a")
        self.b.keys("0.00E0")
        self.b.reads("1.36E5", "[data-testid=examples]")
        self.b.type('input[aria-label="Search the measures"]', "two-way")
        self.b.until(lambda: {"Ports served", "Vessels used"} <= {t.split("\n")[0] for t in self.texts(".outline-item")})
        self.sees(lambda: len(self.b.all(".outline-item")) < 8)


if __name__ == "__main__":
    unittest.main()
