"""Designing links in the real browser by the keyboard alone, and for everyone: both themes, after WCAG 2.2 AA."""

import unittest

from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.driver import Keys
from tests.browser.stage import Stage


class Keyboard(Stage):
    """The same by the keyboard alone: Tab, arrows, letters, Enter, Escape."""

    def test_1_the_matrix(self):
        self.open()
        self.b.tab_to("Calendar to Booking")
        self.b.keys(Keys.ARROW_DOWN, Keys.ARROW_RIGHT)
        self.sees(lambda: self.b.focused().startswith("Route to Sailing"))
        self.b.keys(Keys.END)
        self.b.keys(Keys.HOME)
        self.sees(lambda: self.b.focused().startswith("Calendar to Sailing"))
        self.b.keys("s")
        self.b.reads("no longer reached", ".sheet")
        self.accepted()
        self.sees(lambda: self.link("sailing day")["active"], False)
        self.b.tab_to("Calendar to Sailing")
        self.b.keys("t")
        self.b.reads("Who filters whom", ".sheet-outcome")
        self.accepted()
        self.sees(lambda: self.link("sailing day")["flow"], "two-way")
        self.b.tab_to("Calendar to Sailing")
        self.b.keys(Keys.DELETE)
        self.accepted()
        self.sees(lambda: self.link("sailing day"), None)
        # Enter opens the cell, Escape goes back to it.
        self.b.tab_to("Calendar to Sailing")
        self.b.keys(Keys.ARROW_UP, Keys.ENTER)
        self.b.reads("sails on", ".cell-panel")
        self.b.tab_to("Make it the active one")
        self.b.keys(Keys.ENTER)
        self.accepted()
        self.sees(lambda: self.link("booked on")["active"])
        self.b.tab_to("Calendar to Booking")
        self.b.keys(Keys.ENTER)
        self.b.until(lambda: self.b.focused() == "Close this cell")
        self.b.keys(Keys.ESCAPE)
        self.b.until(lambda: self.b.focused().startswith("Calendar to Booking"))
        self.b.keys("l")
        self.b.one(".sheet")
        self.b.keys(Keys.ESCAPE)
        self.b.command("z")
        self.b.until(lambda: not self.link("booked on")["active"])

    def test_2_the_star(self):
        self.open(w="star")
        self.b.until(lambda: len(self.b.all(".star-card")) == 16)
        before = self.b.one('.star-card[data-table="Agent"]').rect
        self.b.tab_to("Agent")
        self.b.until(lambda: self.b.all('.star-card.source[data-table="Agent"]'))
        ActionChains(self.b.driver).key_down(Keys.ALT).send_keys(Keys.ARROW_LEFT).key_up(Keys.ALT).perform()
        self.undone("move Agent")
        self.b.until(lambda: self.b.one('.star-card[data-table="Agent"]').rect["x"] < before["x"])
        # Where it stands is in the model: undone like anything else, and made again.
        self.b.command("z")
        self.b.until(lambda: abs(self.b.one('.star-card[data-table="Agent"]').rect["x"] - before["x"]) < 1)
        self.b.click("redo: move Agent")
        self.b.until(lambda: self.b.one('.star-card[data-table="Agent"]').rect["x"] < before["x"] - 1)
        self.undone("move Agent")
        # A composite key: columns picked with Space, linked with L.
        self.api("/edits", edit={"kind": "remove_link", "name": "fare"}, base=1)
        self.b.until(lambda: "Fare" in self.b.text(".shelf"))
        self.b.tab_to("Columns of Booking", back=True)
        self.b.keys(Keys.ENTER)
        self.b.one('[data-key="Booking.number"]')
        for column in ("route_code", "fare_class"):
            self.b.tab_to(column)
            self.b.keys(Keys.SPACE)
        self.b.keys("l")
        self.b.until(lambda: self.b.one(".sheet-keys input").get_attribute("value") == "Booking.route_code, Booking.fare_class")
        self.b.until(lambda: self.b.driver.switch_to.active_element.get_attribute("role") == "combobox")
        self.b.keys("fare.rou")
        self.b.reads("Fare.route_code, Fare.fare_class", ".key-list-box")  # the data suggest the whole key
        self.b.keys(Keys.ENTER)
        self.b.reads("= (Fare.route_code, Fare.fare_class)", ".sheet")
        self.accepted()
        self.assertEqual(len(self.api()["links"]), 23)
        self.b.tab_to("The star of Booking")
        self.b.keys("+", "+", Keys.ARROW_LEFT, "0")
        self.b.tab_to("agent: Booking.agent_code")
        self.b.keys(Keys.ENTER)
        self.b.reads("A filter on Agent runs to Booking", ".lens")

    def test_2_and_3_a_link_typed_and_refused(self):
        self.open()
        self.b.keys("l")
        self.b.until(lambda: self.b.driver.switch_to.active_element.get_attribute("role") == "combobox")
        self.b.keys("customer.sin", Keys.ENTER, Keys.TAB, "calendar.dat", Keys.ENTER)
        self.b.reads("Offered inactive: active, it would double a path", ".sheet")
        self.b.tab_to("active")
        self.b.keys(Keys.SPACE)
        self.b.reads("A filter on Calendar would reach Booking over two paths", ".sheet")
        self.b.until(lambda: self.b.all(".two-paths"))
        self.b.tab_to("inactive")
        self.b.keys(Keys.SPACE)
        self.accepted()
        self.sees(lambda: self.link("since")["active"], False)

    def test_4_suggestions(self):
        self.open()
        self.api("/edits", edit={"kind": "remove_link", "name": "agent"}, base=0)
        self.b.reads("Booking.agent_code = Agent.code", ".suggestions")
        self.b.tab_to("Take Booking.agent_code = Agent.code")
        self.b.keys(Keys.SPACE)
        self.b.tab_to("Look at 1", back=True)
        self.b.keys(Keys.ENTER)
        self.b.reads("newly reached", ".sheet")
        self.accepted()
        self.sees(lambda: self.link("agent")["active"])

    def test_5_a_table(self):
        self.open(s={"kind": "table", "name": "Target"})
        self.b.tab_to("Role of Target")
        self.b.keys("b")
        self.b.until(lambda: next(t for t in self.api()["tables"] if t["name"] == "Target")["role"] == "bridge")
        self.b.tab_to("other columns")
        self.b.keys(Keys.ENTER)
        self.b.keys(Keys.TAB, Keys.SPACE)
        self.b.reads("the grain is finer", ".lens")
        self.b.keys(Keys.SPACE)
        self.b.reads("has its own route_code and month_end", ".lens")

    def test_6_and_7_reach_and_beside(self):
        self.open(s={"kind": "table", "name": "Crew"})
        self.b.keys("r")
        self.b.reads("Not reached", ".reach")
        self.b.keys("r")
        self.b.until(lambda: self.b.all('.reach [aria-pressed="true"]')[0].text == "what filters it")
        self.b.keys("r")
        self.b.until(lambda: not self.b.all(".reach"))
        self.b.keys("b")
        self.b.reads("Beside the model", ".variant")
        self.b.tab_to("Calendar to Booking")
        self.b.keys("s")
        self.accepted()
        self.b.reads("switch sails on off", ".variant .chip")
        self.b.reads("cells differ", ".variant")
        self.b.tab_to("Take it as one edit")
        self.b.keys(Keys.ENTER)
        self.b.until(lambda: not self.b.all(".variant"))
        self.sees(lambda: self.link("sails on")["active"], False)
        self.b.tab_to("History")
        self.b.keys(Keys.ENTER)
        self.b.tab_to("switch sails on off")
        self.b.keys(Keys.ENTER)
        self.b.reads("no longer reached", ".history-change")


class Accessible(Stage):
    def test_every_view_in_both_themes(self):
        off = [{"kind": "change_link", "name": "sails on", "set": {"active": False}}]
        views = (
            ({"w": "matrix"}, ".matrix"),
            ({"w": "star", "h": {"measure": "refunded_seats"}, "b": "Sailing"}, ".held-line"),
            ({"r": "out", "s": {"kind": "table", "name": "Vessel"}}, ".reach table"),
            ({"x": off}, ".variant td.differs"),
        )
        for dark in (False, True):
            self.b.scheme(dark)
            self.open()
            self.b.press(lambda: self.cell("Calendar to Booking"))
            self.b.one(".cell-panel")
            self.assertEqual(self.b.violations(), [], "cell")
            self.b.click("Switch off", ".cell-panel button")
            self.b.reads("cells differ", ".sheet")
            self.b.settled()
            self.assertEqual(self.b.violations(), [], f"sheet {dark}")
            for named, shown in views:
                self.again(**named)
                self.b.one(shown)
                self.b.settled()
                self.assertEqual(self.b.violations(), [], (named, dark))
            self.api("/edits", edit=off[0], base=0)
            self.again(s={"kind": "history", "number": 1})
            self.b.one(".history-change td")
            self.assertEqual(self.b.violations(), [], f"history {dark}")
        self.b.scheme(False)
        self.assertEqual(self.b.complaints(), [])


if __name__ == "__main__":
    unittest.main()
