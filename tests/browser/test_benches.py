"""The benches of Measure and Probe by hand and by keyboard: what each gesture does to the sentence, the formula and the numbers."""

import json
import tempfile
import time
import unittest
import urllib.parse
import urllib.request
from pathlib import Path
from xml.etree import ElementTree

from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.driver import Keys
from tests.browser.site import site
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
        self.b.reads("are not among the top ones", ".grid-bar")
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
        # Dragged by its heading; each event on its own, as a hand makes them.
        for place, kind in ((0, "dragstart"), (1, "dragover"), (1, "drop")):
            self.b.run(
                "document.querySelectorAll('.tile header')[arguments[0]].dispatchEvent(new DragEvent(arguments[1], {bubbles: true, cancelable: true, dataTransfer: new DataTransfer()}))",
                place,
                kind,
            )
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
        self.assertEqual([name for name, _ in taken], ["Seats and fares.svg", "Seats and fares.png"])
        root = ElementTree.fromstring(urllib.parse.unquote(taken[0][1].split(",", 1)[1]))
        texts = [e.text for e in root.iter("{http://www.w3.org/2000/svg}text")]
        self.assertEqual(texts[:3], ["Seats and fares", "Seats sold", "Fare income"])
        self.assertEqual(texts.count("Seats sold"), 2)  # in the legend, and above its own scale
        lines = [e for e in root.iter("{http://www.w3.org/2000/svg}path") if "stroke-width:2px" in e.get("style", "")]
        self.assertEqual(len(lines), 2)
        self.assertTrue(all("M" in e.get("d") and "rgb" in e.get("style") for e in lines))
        self.assertGreater(len(taken[1][1]), 20_000)
        self.b.click("Small multiples", ".picture-switch button")
        self.b.until(lambda: len(self.b.all(".multiples figure")) == 2 and not self.b.all(".legend-item"))


class MeasureBench(Bench):
    def test_completion_help_and_definition_come_from_the_core(self):
        self.open("measure", m="seats_sold")
        self.write("sum(Booking.seats * Fare.")
        self.b.keys("w")
        self.b.reads("winter", ".cm-tooltip-autocomplete")
        time.sleep(0.3)  # the editor takes no choice from a list that has only just opened
        self.b.keys(Keys.ENTER)
        self.b.reads("Fare.winter", ".cm-content")
        self.write("growth + 1")
        self.b.run("document.querySelector('.cm-content').focus()")
        self.b.keys(Keys.HOME, Keys.F12)
        self.b.until(lambda: self.b.one('[aria-label="Name of the measure"]').get_attribute("value") == "growth")
        self.b.run("[...document.querySelectorAll('.outline-item')].find((e) => e.innerText.startsWith('seats sold')).click()")
        self.b.reads("growth + 1", ".cm-content")  # what was typed is still there
        self.b.one('.outline-item [title="Not saved yet"]')

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
        self.b.reads("There is no measure nothing_there", ".sheet-text")
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
        self.b.until(lambda: {"ports served", "vessels used"} <= {t.split("\n")[0] for t in self.texts(".outline-item")})
        self.sees(lambda: len(self.b.all(".outline-item")) < 8)


class Everyone(Bench):
    def test_the_benches_are_accessible_in_both_themes_and_wide(self):
        folio = self.api()["folios"][0]
        marked = GROUPS | {"picks": [{"column": "Vessel.name", "in": ["Heron"]}, {"column": "Calendar.year", "in": [2032]}]}
        views = [
            ("probe", {"p": marked, "s": {"kind": "cell", "measure": "share_of_all", "at": NEAR}, "c": {"measure": "seats_sold", "at": NEAR}}, "Where they part"),
            ("probe", {"p": marked, "s": {"kind": "mark", "measure": "seats_sold", "mark": "unreached"}}, "What would mend it"),
            ("probe", {"p": GROUPS | {"look": {"picture": "columns"}}}, "SVG"),
            ("probe", {"p": GROUPS | {"look": {"picture": "heat"}}}, "SVG"),
            ("probe", {"o": folio}, "a year earlier"),
            ("measure", {"m": "share_of_all_trial", "p": GROUPS}, "Put it in the place of"),
        ]  # fmt: skip
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
                {"name": "sales", "path": "sales.csv", "schema": {"fields": fields, "foreignKeys": [{"fields": ["item no."], "reference": {"resource": "items", "fields": ["code"]}}]}},
                {"name": "items", "path": "items.csv", "schema": {"fields": [{"name": "code", "type": "string"}, {"name": "kind.of", "type": "string"}], "primaryKey": ["code"]}},
            ],
            "nexorem": {"version": 1, "tables": [{"name": "Sales 20.31", "resource": "sales"}, {"name": "It.ems", "resource": "items"}],
                        "measures": [{"name": "net amount", "formula": 'sum("Sales 20.31"."net.amount")', "format": "0.0"}]},
        }  # fmt: skip
        with tempfile.TemporaryDirectory() as folder:
            for name, text in (("datapackage.json", json.dumps(described)), ("items.csv", "code,kind.of\na,K\nb,L\n"),
                               ("sales.csv", 'item no.,net.amount,"say ""hi"""\na,1.5,x\nb,2,y\nz,4,x\n')):  # fmt: skip
                (Path(folder) / name).write_text(text)
            self.address = f"{site().address}/m/{site().app.extensions['nexorem'].open(Path(folder))}"
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
        self.sees(lambda: self.b.focused().startswith("seats sold"))
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
        self.at("Formula")
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
