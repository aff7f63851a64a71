"""Nothing typed is lost, and every name and order can be changed where it stands: drafts, somebody else's saves, renames, orders, trials."""

import json
import unittest

from tests.browser.driver import Keys
from tests.browser.test_probe import Bench, probe

SEATS = probe(rows=["Island.group", "Port.name"], measures=["seats_sold"])
FORMULA = "sum(Booking.seats) + 0"


class Drafts(Bench):
    """What is typed stays until it is saved or thrown away on purpose."""

    def edits(self):
        return self.api()["edits"]

    def editor(self):
        return self.b.one(".cm-content").text

    def change(self, **edit):
        """Somebody else's edit, made beside the window."""
        self.api("/edits", edit=edit, base=self.api()["version"])

    def test_a_measure_and_its_name_survive_a_reload_and_are_saved_as_one_edit(self):
        self.open("measure", m="seats_sold", p=SEATS)
        self.write(FORMULA)
        self.b.type('[aria-label="Name of the measure"]', "_kept")
        self.b.reads("1 draft", ".stages")
        self.b.driver.refresh()
        self.sees(self.editor, FORMULA)
        self.sees(lambda: self.b.one('[aria-label="Name of the measure"]').get_attribute("value"), "seats_sold_kept")
        self.b.one('.outline [title="Not saved yet"]')
        # Another stage and back; the browser is told to forget nothing but the page.
        self.b.run("document.activeElement.blur()")
        self.b.keys("6")
        self.b.reads("1 draft", ".stages")
        self.b.driver.back()
        self.sees(self.editor, FORMULA)
        before = self.edits()
        self.b.until(lambda: self.b.named("Save").is_enabled())
        self.b.run("document.querySelector('[aria-label=\"Name of the measure\"]').focus()")
        self.b.command("s")
        self.b.until(lambda: self.measure("seats_sold_kept"))
        self.assertEqual((self.edits() - before, self.measure("seats_sold_kept")["formula"]), (1, FORMULA))
        self.b.until(lambda: not self.b.all('.outline [title="Not saved yet"]'))
        self.assertNotIn("draft", self.b.text(".stages"))

    def test_a_draft_is_thrown_away_on_purpose_alone(self):
        self.open("measure", m="seats_sold", p=SEATS)
        saved = self.measure("seats_sold")["formula"]
        self.write(FORMULA)
        self.b.reads("1 draft", ".stages")
        self.b.click("Back to the saved one")
        self.sees(self.editor, saved)
        self.b.driver.refresh()
        self.sees(self.editor, saved)
        self.assertEqual(self.measure("seats_sold")["formula"], saved)

    def test_somebody_elses_save_stands_beside_ones_draft(self):
        for mine, kept in ((True, FORMULA), (False, "sum(Booking.seats) + 1")):
            with self.subTest(mine=mine):
                self.address = self.address if mine else self.fresh()
                self.open("measure", m="seats_sold", p=SEATS)
                self.write(FORMULA)
                self.b.keys(Keys.ESCAPE)  # the list of completions
                self.change(kind="change_measure", name="seats_sold", set={"formula": "sum(Booking.seats) + 1"})
                self.b.reads("sum(Booking.seats) + 1", ".meanwhile")
                self.b.reads(FORMULA, ".meanwhile")
                self.assertFalse(self.b.named("Save").is_enabled())
                self.b.click("Go on with mine" if mine else "Take theirs")
                self.b.until(lambda: not self.b.all(".meanwhile"))
                self.sees(self.editor, kept)
                if mine:
                    self.b.press(lambda: self.b.one(".cm-content"))
                    self.b.until(lambda: self.b.named("Save").is_enabled())
                    self.b.command("s")
                self.sees(lambda kept=kept: self.measure("seats_sold")["formula"], kept)

    def fresh(self):
        self.setUp()
        return self.address

    def test_a_mended_link_is_looked_at_over_the_probe(self):
        picks = [{"column": "Vessel.name", "in": ["Heron"]}]
        cell = {"kind": "cell", "measure": "seats_sold", "at": []}
        self.open("probe", p=probe(measures=["seats_sold"], picks=picks), s=cell)
        self.b.click("sailing", ".lens button")
        self.b.click("Change", ".lens button")
        self.b.reads("Booking.sailing_no", ".sheet")
        self.assertIn("/probe", self.b.driver.current_url)
        self.b.keys(Keys.ESCAPE)
        self.b.until(lambda: not self.b.all(".sheet"))


class Names(Bench):
    """Names, orders, trials and acceptances, each where the thing stands."""

    def test_a_table_is_renamed_shown_first_and_undone(self):
        self.open("link", p=SEATS, s={"kind": "table", "name": "Booking"})
        self.b.click("Rename", ".lens button")
        box = self.b.one('[aria-label="New name of the table"]')
        box.send_keys("Bookings of seats")
        self.b.reads('"Bookings of seats".booked_on', ".rename-touched")
        self.assertIn("sum(Booking.seats)", self.measure("seats_sold")["formula"])
        self.b.click("Rename everywhere")
        self.b.until(lambda: any(t["name"] == "Bookings of seats" for t in self.api()["tables"]))
        self.assertIn('"Bookings of seats".seats', self.measure("seats_sold")["formula"])
        self.b.keys(Keys.ESCAPE)
        # An address given away before still leads there.
        self.open("link", p=SEATS, s={"kind": "table", "name": "Booking"})
        self.b.reads("Bookings of seats", ".lens h2")
        self.open("probe", p=probe(rows=["Booking.fare_class"], measures=["seats_sold"]))
        self.b.reads("136,115", ".grid")
        # An open window follows a name that is changed back, and one that somebody else changes.
        self.b.command("z")
        self.b.until(lambda: "sum(Booking.seats)" in self.measure("seats_sold")["formula"])
        self.until_asked(rows=["Booking.fare_class"])
        self.b.reads("136,115", ".grid")
        rename = {"kind": "rename", "what": "column", "name": "Booking.fare_class", "to": "class"}
        self.api("/edits", edit=rename, base=self.api()["version"])
        self.until_asked(rows=["Booking.class"])
        self.b.reads("136,115", ".grid")

    def test_a_step_that_renames_a_used_column_offers_to_rename_it_everywhere(self):
        self.open("shape", t="Booking")
        self.b.click("+ step")
        self.b.type('input[aria-label="Search steps"]', "rename")
        self.b.press(lambda: self.b.one(".step-kinds .side-item"))
        self.b.type('input[aria-label="New name of seats"]', "places")
        self.b.until(lambda: self.b.named("Keep the steps").is_enabled())
        self.b.click("Keep the steps")
        self.b.reads("The measure seats_sold would no longer make sense", ".wrong-box")
        self.b.click("Rename seats to places everywhere")
        self.b.until(lambda: "sum(Booking.places)" in self.measure("seats_sold")["formula"])
        self.b.until(lambda: not self.b.all(".wrong-box, .keep-bar, .meanwhile"))

    def test_members_are_ordered_by_another_column(self):
        self.api("/edits", edit={"kind": "put_column", "name": "Port", "column": {"name": "name", "order_by": ""}}, base=0)
        ports = probe(rows=["Port.name"], measures=["seats_sold"])
        self.open("probe", p=ports)
        first = self.lines()
        self.assertEqual(first, sorted(first))
        self.open("shape", t="Port", s={"kind": "column", "table": "Port", "name": "name"})
        select = self.b.one('[aria-label="What name is ordered by"]')
        select.send_keys("code")
        self.b.until(lambda: any(c["order_by"] == "code" for t in self.api()["tables"] for c in t["columns"]))
        self.open("probe", p=ports)
        self.sees(lambda: self.lines() != first)
        self.assertEqual(sorted(self.lines()), first)

    def lines(self):
        self.b.one(".grid tbody th")
        return [t for t in self.texts(".grid tbody.lines th") if "⊘" not in t]

    def test_a_formula_is_tried_in_a_probe_and_promoted(self):
        self.open("probe", p=probe(rows=["Island.group"], measures=["seats_sold"]))
        self.b.click("+ measure")
        self.b.type('input[aria-label="Add a measure"]', "sum(Booking.seats) * 2", Keys.ENTER)
        self.b.reads("272,230", ".grid")
        name = next(iter(self.asked()["define"]))
        self.assertIsNone(self.measure(name))
        called = self.b.one('[aria-label="Name of the trial"]')
        called.clear()
        called.send_keys("twice")
        self.b.click("Make it a measure")
        self.b.until(lambda: self.measure("twice"))
        self.until_asked(measures=["seats_sold", "twice"], define=None)
        self.b.reads("272,230", ".grid")

    def test_one_drills_into_any_column_and_keeps_the_way(self):
        self.open("probe", p=probe(rows=["Vessel.class"], measures=["seats_sold"]))
        self.b.press(lambda: self.b.one(".grid tbody.lines th button[data-menu]"))
        self.b.type('[aria-label="Into a column"]', "vessel.name")
        self.b.click("Into Vessel name", "[role=menuitem]")
        self.b.until(lambda: "Vessel.name" in self.asked()["rows"])
        self.b.press(lambda: self.b.one(".grid tbody.lines th button[data-menu]"))
        self.b.press(
            lambda: next(e for e in self.b.all("[role=menuitem]") if e.text.startswith("Keep the way") and e.text.endswith("hierarchy"))
        )
        self.b.until(lambda: ["Vessel.class", "Vessel.name"] in [h["levels"] for h in self.api()["hierarchies"]])

    def test_a_finding_is_accepted_with_a_reason_and_opened_again(self):
        self.open("prove")
        self.b.click("Findings", ".prove-switch button b")
        words = self.b.until(lambda: self.texts(".finding")[0])
        self.assertNotIn("known to the desk", json.dumps(self.api("/analysis")["findings"]))
        self.b.press(lambda: self.b.one('[aria-label^="Accept: "]'))
        self.sees(lambda: self.b.focused(), "Why it may stand")
        self.b.keys("known to the desk", Keys.ENTER)
        self.b.until(lambda: "known to the desk" in json.dumps(self.api("/analysis")["findings"]))
        self.b.until(lambda: self.texts(".finding")[0] != words)
        self.b.click("1 accepted")
        self.b.press(lambda: self.b.one('[aria-label^="Open again: "]'))
        self.b.until(lambda: self.texts(".finding")[0] == words)

    def test_the_history_and_the_grid_are_read_in_order(self):
        for number in range(3):
            self.add(f"m{number}", "1")
        self.open("link", s={"kind": "history", "number": None})
        self.b.reads("add measure m2", ".history")
        names = [e.get_attribute("aria-label") for e in self.b.all(".history .pill.small")]
        self.assertEqual((len(names), len(set(names))), (3, 3))
        self.open("probe", p=probe(rows=["Calendar.date"], measures=["seats_sold"]))
        self.b.until(lambda: len(self.b.all(".grid tbody.lines tr")) > 10)
        for place in (4000, 300, 9000, 0):
            self.b.run(f"document.querySelector('.grid-scroll').scrollTop = {place}")
            first = place // 30

            def order():
                return [
                    int(i)
                    for i in self.b.driver.execute_script(
                        "return [...document.querySelectorAll('.grid tbody.lines tr')].map((r) => r.ariaRowIndex)"
                    )
                ]

            self.b.until(lambda first=first: min(order()) <= first + 2 <= max(order()))
            self.assertEqual(order(), sorted(order()))

    def test_the_exact_name_is_taken_and_what_is_shown_is_found(self):
        self.add("seats", "sum(Booking.seats)")
        self.open("probe", p=probe(rows=["Calendar.date"], measures=["bookings"]))
        self.b.click("+ measure")
        self.b.type('input[aria-label="Add a measure"]', "seats", Keys.ENTER)
        self.until_asked(measures=["bookings", "seats"])
        self.b.keys(Keys.ESCAPE)
        self.b.click("+ pick")
        self.b.type('input[aria-label="Pick from a column"]', "calendar date", Keys.ENTER)
        self.b.type('[aria-label="Search Calendar date"]', "14 May 2031")
        self.sees(lambda: [t.split("\n")[0] for t in self.texts('[aria-label="Calendar date"] label')], ["14 May 2031"])
        self.b.command("k")
        self.b.type('input[aria-label="Find"]', "new measure", Keys.ENTER)
        self.sees(lambda: self.b.focused(), "Name of the new measure")

    def test_f6_comes_to_the_matrix(self):
        self.open("link")
        self.b.one(".matrix td")
        self.b.until(lambda: self.b.keys(Keys.F6) or self.inside(".matrix"))
        self.b.keys(Keys.ARROW_RIGHT)
        self.b.until(lambda: self.inside(".matrix td"))

    def inside(self, css):
        return self.b.driver.execute_script("return document.activeElement.closest(arguments[0]) !== null", css)


if __name__ == "__main__":
    unittest.main()
