"""What one's own files ask for first: tables in roles, missing members, lines by a condition, marks of what has no effect, models at hand."""

import unittest

from selenium.webdriver.support.ui import Select

from tests.browser.driver import Keys
from tests.browser.site import site
from tests.browser.test_probe import Bench, probe

BY_PORT = probe(rows=["Island.group", "Port.name"], measures=["seats_sold"], totals="all")


class Roles(Bench):
    def table(self, name):
        return next((t for t in self.api()["tables"] if t["name"] == name), None)

    def test_a_link_gets_a_table_of_its_own(self):
        link = next(k for k in self.api()["links"] if k["text"] == "Booking.refunded_on = Calendar.date")
        self.open("link", s={"kind": "link", "name": link["name"]})
        self.b.click("Give it a table of its own")
        field = self.b.one('form[aria-label="Use Calendar in a role"] input')
        self.assertEqual(field.get_attribute("value"), "Refunded on calendar")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("Refund day")
        self.b.click("Make the role")
        self.b.until(lambda: self.table("Refund day"))
        texts = {k["text"]: k["active"] for k in self.api()["links"]}
        self.assertEqual(
            (texts.get('Booking.refunded_on = "Refund day".date'), "Booking.refunded_on = Calendar.date" in texts), (True, False)
        )
        self.b.reads("Refund day", ".lens h2")
        self.b.click("↶ undo: use Calendar again as Refund day")
        self.b.until(lambda: self.table("Refund day") is None)

    def test_missing_members_are_added_with_one_click(self):
        link = next(k for k in self.api()["links"] if k["from_table"] == "Booking" and k["to_table"] == "Route")
        before = self.table("Route")["rows"]
        self.open("link", s={"kind": "link", "name": link["name"]})
        self.b.click("Add the missing members to Route")
        self.b.until(lambda: self.table("Route")["rows"] == before + 1)  # R99
        self.sees(lambda: next(k for k in self.api()["links"] if k["name"] == link["name"])["orphans"], 0)
        step = self.table("Route")["steps"][-1]
        self.assertEqual((step["kind"], step["named_by"]), ("add_missing", [{"table": "Booking", "columns": ["route_code"]}]))
        self.b.click("↶ undo: add missing members to Route")
        self.b.until(lambda: self.table("Route")["rows"] == before)


class Lines(Bench):
    def note(self, words):
        """Opens a mark by what is said of it under the grid."""
        self.b.press(lambda: next(e for e in self.b.all(".mark-notes button") if e.text.startswith(words)))

    def lines(self):
        return [e.text for e in self.b.all(".grid tbody.lines th")]

    def test_lines_are_kept_by_a_condition_and_by_the_top_of_a_level(self):
        self.open("probe", p=BY_PORT)
        self.b.until(lambda: len(self.lines()) > 15)
        self.b.click("+ lines having")
        self.b.type('input[aria-label="A condition on measures"]', "seats_sold > 10000", Keys.ENTER)
        self.b.reads("left out", ".grid-bar")
        self.until_asked(having=[{"where": "seats_sold > 10000"}])
        few = len(self.lines())
        Select(self.b.one('[aria-label="Which lines seats_sold > 10000 is about"]')).select_by_visible_text("Island group")
        self.until_asked(having=[{"where": "seats_sold > 10000", "level": "Island.group"}])
        self.b.until(lambda: len(self.lines()) > few)
        self.b.click("Take the condition seats_sold > 10000 out")
        self.b.press(lambda: self.b.one('[aria-label="What to do with Seats sold"]'))
        self.b.click("The top 5 of each", "button, [role=menuitem]")
        self.b.click("Ask for something else")  # what has no room stands behind it
        self.b.click("with ties")
        Select(self.b.one('[aria-label="Which lines the top is of"]')).select_by_visible_text("Island group")
        self.until_asked(top={"count": 5, "by": "seats_sold", "level": "Island.group", "ties": False})

    def test_what_has_no_effect_is_marked(self):
        self.open(
            "probe",
            p=probe(
                rows=["Port.name"],
                measures=["r", "f"],
                define={"r": "rank(seats_sold among Port.name)", "f": "let a = seats_sold in a given (clear Port)"},
                picks=[{"column": "Port.name", "in": ["Brannock", "Teal Bridge", "Atlantis"]}],
            ),
        )
        self.b.reads("Port.name has no member Atlantis, which is picked.", ".mark-notes")
        self.note("First on every line")
        self.b.reads("rank(seats_sold among page Port.name)", ".lens")
        self.note("A given that changes nothing")
        self.b.reads("(seats_sold) given (clear Port)", ".lens")
        self.b.click("in order")
        self.b.reads("by count", ".pick-tools")

    def test_models_are_at_the_logo_and_in_find(self):
        other = site().empty("Another model").rsplit("/", 1)[1]
        self.open("probe", p=BY_PORT)
        self.b.driver.refresh()
        self.b.click("Models")
        self.b.reads("Another model", "[role=menu]")
        self.b.keys(Keys.ESCAPE)
        self.b.command("k")
        self.b.type('input[aria-label="Find"]', "another model", Keys.ENTER)
        self.b.until(lambda: f"/m/{other}/" in self.b.driver.current_url)


if __name__ == "__main__":
    unittest.main()
