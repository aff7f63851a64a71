"""Designing links in the real browser, with the mouse."""

import tempfile
import unittest
from pathlib import Path

from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.driver import Keys
from tests.browser.stage import Stage


class Mouse(Stage):
    def test_1_the_matrix_is_worked_in(self):
        self.open()
        self.b.press(lambda: self.cell("Calendar to Booking"))
        self.b.reads("Calendar filters Booking, over sails on.", ".cell-panel")
        self.sees(lambda: len(self.b.all(".cell-panel .panel-link")), 3)
        self.b.click("Make it the active one", ".cell-panel button")
        self.b.reads("1 by another way", ".sheet")
        self.b.reads("Calendar › Booking over booked on", ".sheet")
        self.accept("Make it so")
        self.undone("let booked on be the active one")
        self.sees(lambda: [self.link(n)["active"] for n in ("sails on", "booked on")], [False, True])
        # Turned, changed and removed, each from its cell; each can be undone.
        self.b.press(lambda: self.cell("Crew to Crew vessel"))
        self.b.click("Both ways", ".cell-panel button")
        self.b.reads("newly reached", ".sheet")
        self.accept("Change the link")
        self.sees(lambda: self.link("works as")["flow"], "two-way")
        self.b.until(lambda: "both ways" in self.cell("Crew to Crew vessel").get_attribute("aria-label"))
        self.b.click("Remove", ".cell-panel button")
        self.b.reads("no longer reached", ".sheet")
        self.accept("Remove the link")
        self.undone("remove works as")
        self.sees(lambda: self.link("works as"), None)
        # What the data suggest for a pair stands in its cell.
        self.b.press(lambda: self.cell("Crew to Crew vessel"))
        self.b.click("Look and link", ".cell-panel button")
        self.b.reads('"Crew vessel".crew_number = Crew.number', ".sheet")
        self.accept("Make the link")
        self.undone('link "Crew vessel".crew_number = Crew.number')
        # A gap tells which probe runs into it, and the smallest change that would close it.
        self.sees(lambda: "gap" in self.cell("Vessel to Target").get_attribute("class"))
        self.b.press(lambda: self.cell("Vessel to Target"))
        self.b.reads("sets Target beside another fact under Vessel", ".cell-panel")

    def test_1_the_matrix_is_searched_grouped_and_collapsed(self):
        self.open(w="matrix")
        self.sees(lambda: [e.text for e in self.b.all(".matrix th.col button")][:2], ["Calendar", "Route"])
        self.b.type('[aria-label="Find in the matrix"]', "vess")
        self.b.until(lambda: [e.text for e in self.b.all(".matrix th.col button")] == ["Vessel"])
        self.sees(lambda: [e.text for e in self.b.all(".matrix th.row b")], ["Crew vessel"])
        self.b.type('[aria-label="Find in the matrix"]', Keys.BACKSPACE * 4)
        self.b.type('[aria-label="Group the matrix"]', "by role")
        self.b.reads("bridge", ".matrix .row-group")
        self.sees(lambda: len(self.b.all(".matrix tbody tr:not(.row-group)")), 5)
        self.b.click("▾ fact 4", ".matrix .row-group button")
        self.b.until(lambda: len(self.b.all(".matrix tbody tr:not(.row-group)")) == 1)
        columns = len(self.b.all(".matrix th.col"))
        self.b.press(lambda: self.b.one('.matrix .groups button[title="dimension"]'))
        self.b.until(lambda: len(self.b.all(".matrix th.col")) < columns)

    def test_2_the_star_is_drawn_searched_pulled_and_linked_in(self):
        self.open(w="star")
        self.b.until(lambda: len(self.b.all(".star-card")) == 16)
        # The fact of a second star, and back.
        self.b.type('[aria-label="A second fact"]', "beside S")
        self.b.until(lambda: len(self.b.all(".star-card.fact")) == 2)
        self.b.type('[aria-label="A second fact"]', "alone")
        # A search jumps to a column: its card opens, the column is chosen.
        find = self.b.one('[aria-label="Find in the star"]')
        find.send_keys("vessel.name", Keys.ENTER)
        self.b.reads("Vessel.name", ".lens h2")
        self.b.one('[data-key="Vessel.name"]')
        find.send_keys("nothing of the kind", Keys.ENTER)
        self.b.until(lambda: find.get_attribute("aria-invalid") == "true")
        self.b.click("fit")
        # Keys and linked columns come first, each with its link.
        self.b.click("Columns of Booking, to drag a link from")
        keys = '.star-card[data-table="Booking"] [data-key]'
        self.sees(lambda: self.b.one(keys).get_attribute("data-key"), "Booking.number")
        self.sees(lambda: bool(self.b.all(keys)[1].find_elements("css selector", "svg")))
        # A key of two columns: picked together, dragged together.
        self.api("/edits", edit={"kind": "remove_link", "name": "fare"}, base=0)
        self.b.until(lambda: len(self.b.all(".star-link")) == 22)
        for column in ("route_code", "fare_class"):
            one = self.b.one(f'[data-key="Booking.{column}"]')
            self.b.run("arguments[0].scrollIntoView({block: 'nearest'})", one)
            ActionChains(self.b.driver).key_down(Keys.SHIFT).click(one).key_up(Keys.SHIFT).perform()
        self.sees(lambda: len(self.b.all(".key.picked")), 2)
        self.b.click("Columns of Crew, to drag a link from")
        self.api(
            "/edits",
            edit={
                "kind": "change_links",
                "edits": [
                    {
                        "kind": "add_link",
                        "link": {
                            "name": "spare",
                            "from": "Booking.fare_class",
                            "to": "Fare.fare_class",
                            "cardinality": "many-to-many",
                            "active": False,
                        },
                    }
                ],
            },
            base=1,
        )
        self.b.one('.star-card[data-table="Fare"]')
        self.b.drag(self.b.one('[data-key="Booking.fare_class"]'), self.b.one('.star-card[data-table="Fare"] small'))
        self.b.reads("(Booking.route_code, Booking.fare_class) = (Fare.route_code, Fare.fare_class)", ".sheet")
        self.accept("Make the link")
        self.assertEqual(len(self.api()["links"]), 24)

    def test_2_what_stood_somewhere_stays_and_tidy_puts_it_back(self):
        self.open(w="star")
        self.b.until(lambda: len(self.b.all(".star-card")) == 16)
        places = lambda: {e.get_attribute("data-table"): e.get_attribute("style").split("width")[0] for e in self.b.all(".star-card")}  # noqa: E731
        before = places()
        self.api("/edits", edit={"kind": "remove_link", "name": "agent"}, base=0)
        self.b.until(lambda: len(self.b.all(".star-card")) == 15)
        after = places()
        self.assertEqual(after, {n: p for n, p in before.items() if n != "Agent"})
        self.b.drag_by(self.b.one('.star-card[data-table="Community"] small'), 0, 40)
        self.undone("move Community")
        self.b.until(lambda: places()["Community"] != before["Community"])
        self.assertEqual({n: p for n, p in places().items() if n != "Community"}, {n: p for n, p in after.items() if n != "Community"})
        self.b.click("tidy")
        self.b.until(lambda: self.api()["places"] == {})

    def test_2_a_measure_is_held_over_the_star(self):
        self.open()
        hold = self.b.one('[aria-label="Hold a measure or a given over the star"]')
        hold.send_keys("refunded_seats", Keys.ENTER)
        self.b.reads("sails on yields, refunded on is switched on", ".held-line")
        self.b.until(lambda: {e.get_attribute("data-link") for e in self.b.all(".star-link.held")} == {"sails on", "refunded on"})
        self.sees(lambda: bool(self.b.all('.star-card[data-table="Booking"] .change-mark')))
        hold.send_keys('given (flow link "route" off, clear Port)', Keys.ENTER)
        self.b.reads("route is off", ".held-line")
        self.b.until(lambda: self.b.all('.star-card[data-table="Port"] [aria-label="cleared"]'))
        hold.send_keys("given (via nothing)", Keys.ENTER)
        self.b.until(lambda: self.b.all(".held-line [role=alert]"))
        self.b.click("Take it off the star")
        self.b.until(lambda: not self.b.all(".held-line"))

    def test_3_the_sheet_tells_what_follows(self):
        self.open()
        self.b.until(lambda: len(self.b.all(".star-link")) == 23)
        self.b.press(lambda: self.b.one('.star-link[data-link="route"]'))
        self.b.click("Change", ".lens button")
        for words in (
            "The data prove it many-to-one",
            "It is firm",
            "23",
            "that no row names",
            "R99",
            "nothing is changed yet".capitalize(),
        ):
            self.b.reads(words, ".sheet")
        self.sees(lambda: len(self.b.all(".sheet-profiles section")), 2)
        self.sees(lambda: self.b.named("one-to-one", ".sheet button").is_enabled(), False)
        self.b.click("loose", ".sheet button")
        self.b.reads("It is loose: its author declared it so", ".sheet")
        self.b.reads("+ appears: The link route is loose", ".sheet-outcome")
        self.b.click("as the data say", ".sheet button")
        self.b.click("inactive", ".sheet button")
        self.b.reads("no longer reached", ".sheet-outcome")
        self.b.reads("cells differ", ".sheet-outcome")
        self.b.reads("not reached by Island then", ".sheet-outcome")
        self.sees(lambda: bool(self.b.all(".sheet-outcome td.differs")))
        self.b.click("Leave it")
        self.sees(lambda: self.link("route")["active"])
        # A second path is refused, drawn, and another link can yield.
        self.b.until(lambda: not self.b.all(".sheet"))
        self.b.press(lambda: self.b.one('.star-link[data-link="sailing"]'))
        self.b.click("active", ".lens .segment button")
        self.b.reads("It would double a path", ".sheet-outcome")
        self.sees(lambda: bool(self.b.all(".two-paths")))
        self.sees(lambda: self.b.named("Change the link").is_enabled(), False)
        self.b.keys(Keys.ESCAPE)

    def test_4_suggestions_are_taken_one_by_one_or_together(self):
        self.open()
        gone = [{"kind": "remove_link", "name": n} for n in ("agent", "customer", "home island", "fare")]
        self.api("/edits", edit={"kind": "change_links", "edits": gone}, base=0)
        self.b.reads("Booking.agent_code = Agent.code", ".suggestions")
        self.b.reads("of 60,212 rows match", ".suggestions")
        before = len(self.api()["links"])
        self.b.press(lambda: self.b.within(".suggestion", "Community.route_code", ".//button[text()='Not this one']"))
        self.b.reads("1 put aside", ".suggestions")
        self.b.press(lambda: self.b.within(".suggestion", "Agent.code", ".//button[text()='Look and link']"))
        self.b.reads("newly reached", ".sheet")
        self.accept("Make the link")
        self.sees(lambda: len(self.api()["links"]), before + 1)
        self.b.until(lambda: "Agent.code" not in self.b.text(".suggestions"))
        self.b.click("Tick all")
        self.b.until(lambda: self.b.all(".suggestions .solid:not(:disabled)"))
        self.b.press(lambda: self.b.one(".suggestions .row .solid"))
        self.b.reads("make", ".sheet .plain-list")
        self.accept("Make it so")
        self.sees(lambda: len(self.api()["links"]) >= before + 4)

    def test_5_tables_are_told_what_they_are(self):
        self.open(s={"kind": "table", "name": "Target"})
        self.b.reads("Found to be a fact by its links", ".lens")
        self.b.type('[aria-label="Role of Target"]', "dimension")
        self.b.reads("Its author calls it a dimension", ".lens")
        self.b.until(lambda: len(self.b.all(".matrix tbody tr")) == 4)
        self.b.type('[aria-label="What one row of Target is"]', ", as planned")
        self.b.reads("Each of 310 rows has its own month_end and route_code", ".lens")
        self.b.click("other columns")
        self.b.click("route_code", ".lens .pick-list label")
        self.b.reads("share it with another: the grain is finer", ".lens")
        self.b.click("target_seats", ".lens .pick-list label")
        self.b.reads("target_seats", ".lens .chip")
        self.b.click("Keep", ".lens button")
        self.b.until(
            lambda: next(t for t in self.api()["tables"] if t["name"] == "Target")["grain_columns"] == ["month_end", "target_seats"]
        )
        self.again(s={"kind": "table", "name": "Port"})
        self.b.click("New hierarchy")
        self.b.type('[aria-label="Name of the hierarchy"]', "Where")
        level = 'input[aria-label="Add a level, the widest first"]'
        for typed, words in (("port name", "Port name"), ("island group", "Island group")):
            self.b.click("+ level")
            self.b.type(level, typed, Keys.ENTER)
            self.b.reads(words, ".levels")
        self.b.click("Keep", ".lens button")
        self.b.reads("does not look Port up", ".lens .hierarchy")
        self.b.click("Change the hierarchy Where")
        self.b.click("Make Island.group a wider level")
        self.b.click("Keep", ".lens button")
        self.b.reads("every member has one parent", ".lens .hierarchy")
        self.b.click("hidden", ".lens label")
        self.b.until(lambda: not self.b.all('.star-card[data-table="Port"]'))
        self.again(s={"kind": "column", "table": "Vessel", "name": "class"})
        self.b.click("Describe", ".lens button")
        self.b.type('[aria-label="Description of class"]', "How large she is.")
        self.b.click("Keep", ".lens button")
        self.b.reads("How large she is.", ".lens p")
        self.b.click("Hide from lists", ".lens button")
        self.b.reads("Hidden: lists leave it out", ".lens")

    def test_6_reach_is_shown_in_matrix_star_and_words(self):
        self.open(s={"kind": "table", "name": "Vessel"})
        self.b.click("reaches", ".link-bar button")
        self.b.reads("Not reached", ".reach")
        self.b.until(
            lambda: {e.get_attribute("data-link") for e in self.b.all(".star-link.runs")} == {"vessel", "ledger vessel", "works on"}
        )
        self.sees(lambda: bool(self.b.all(".matrix th.row.blocked") and self.b.all(".star-card.blocked")))
        self.b.press(lambda: self.b.within(".blocked-line", "Booking", ".//*[contains(@class, 'plain')]"))
        self.b.reads("The smallest change: switch sailing on; route and sails on yield", ".reach")
        self.b.click("Hold it over the star", ".reach button")
        self.b.reads("sailing is switched on", ".held-line")
        self.b.click("Look at it", ".reach button")
        self.b.reads("newly reached", ".sheet")
        self.b.reads("Vessel › Booking", ".sheet")
        self.b.click("Leave it")
        self.b.until(lambda: not self.b.all(".sheet"))
        self.b.click("what filters it", ".reach button")
        self.b.reads("Crew vessel", ".reach")
        self.again(s={"kind": "measure", "name": "seats_sold"}, r="in")
        self.b.reads("It runs over the rows of Booking", ".reach")
        self.b.reads("Does not reach it", ".reach")
        self.again(s={"kind": "column", "table": "Island", "name": "group"}, r="out")
        self.b.reads("over island › from port › route", ".reach")

    def test_7_a_variant_stands_beside_and_is_taken_or_dropped(self):
        self.open()
        self.b.click("Beside…")
        self.b.reads("the model stays as it is", ".variant")
        self.b.press(lambda: self.cell("Calendar to Booking"))
        self.b.click("Switch off", ".cell-panel button")
        self.b.reads("Goes into the variant", ".sheet")
        self.accept("Change the link")
        self.b.reads("switch sails on off", ".variant .chip")
        self.b.reads("of 25 cells differ", ".variant")
        self.sees(lambda: self.link("sails on")["active"])
        self.b.reads("As in the variant beside the model", ".lens")
        self.b.reads("It carries nothing until", ".lens")
        self.b.until(lambda: "inactive" in self.cell("Calendar to Booking").get_attribute("aria-label"))
        self.b.press(lambda: self.cell("Calendar to Booking"))
        self.b.press(lambda: self.b.within(".panel-link", "booked on", ".//button[text()='Switch on']"))
        self.accept("Change the link")
        self.b.reads("switch booked on on", ".variant .chip")
        self.b.reads("of 20 cells differ", ".variant")
        self.b.click("only lines that differ", ".variant label")
        self.b.click("Take it as one edit")
        self.b.until(lambda: not self.b.all(".variant"))
        self.sees(lambda: ([self.link(n)["active"] for n in ("sails on", "booked on")], self.api()["edits"]), ([False, True], 1))
        self.b.click("Beside…")
        self.b.click("Drop the variant")
        self.b.until(lambda: not self.b.all(".variant"))
        self.assertEqual(self.api()["edits"], 1)

    def test_8_the_history_tells_what_each_edit_changed(self):
        self.open()
        for base, (name, active) in enumerate((("sails on", False), ("booked on", True), ("agent", False))):
            self.api("/edits", edit={"kind": "change_link", "name": name, "set": {"active": active}}, base=base)
        self.b.click("History")
        self.b.reads("3 edits in force", ".lens")
        self.b.click("switch booked on on", ".history button")
        self.b.reads("Calendar › Booking over booked on", ".history-change")
        self.b.reads("cells differ", ".history-change")
        self.b.press(lambda: self.b.all(".history li")[2].find_element("xpath", ".//button[text()='Back to here']"))
        self.b.until(lambda: self.api()["edits"] == 1)
        self.sees(lambda: [self.link(n)["active"] for n in ("sails on", "booked on", "agent")], [False, False, True])
        self.b.reads("undone", ".history")
        self.b.click("Again up to here", ".history button")
        self.b.until(lambda: self.api()["edits"] == 3)

    def test_9_documents_are_saved(self):
        self.open()
        with tempfile.TemporaryDirectory() as folder:
            self.b.driver.execute_cdp_cmd("Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": folder})
            name = self.api()["name"]
            self.b.click("Columns of Agent, to drag a link from")
            self.b.one('.star-card[data-table="Agent"] .key')
            for words, file, start in (
                ("The star as PNG", f"{name}-star.png", b"\x89PNG"),
                ("The matrix as PNG", f"{name}-matrix.png", b"\x89PNG"),
                ("The star as SVG", f"{name}-star.svg", b"<svg"),
                ("SQL: tables, keys, comments", f"{name}-ddl.sql", b"-- Lantern"),
            ):
                self.b.click("Documents")
                self.b.click(words, "[role=menuitem]")
                self.b.until(lambda f=Path(folder) / file: f.is_file() and f.stat().st_size)
                self.assertTrue((Path(folder) / file).read_bytes().startswith(start), file)
                self.b.until(lambda: not self.b.all("[role=menu]"))
            # The picture is what is on screen: the card that was opened is open in it.
            self.assertIn(">commission<", (Path(folder) / f"{name}-star.svg").read_text())


if __name__ == "__main__":
    unittest.main()
