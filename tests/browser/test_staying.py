"""A fact left in a database, linked to files as before: measured, explained, checked, proven and taken in, in the real browser."""

import json
import urllib.parse

import psycopg
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.site import site
from tests.browser.stage import OneBrowser
from tests.server.warehouse import Warehouse

PROBE = {"rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold"], "totals": "all", "picks": []}


class Staying(OneBrowser):
    def bench(self, stage, **more):
        query = urllib.parse.urlencode({"at": json.dumps({"p": {"name": "Ports", **PROBE, **more}})})
        self.b.open("about:blank")
        self.b.open(f"{self.address}/{stage}?{query}")

    def connect(self, access):
        """Makes a connection by hand."""
        self.b.click("From a database")
        fields = {x.text.split("\n")[0]: x.find_element("css selector", "input") for x in self.b.all(".panel form label")}
        asked = {"Call it": "name", "Port": "port", "Database": "database", "User": "user", "Password": "password"}
        for label, part in asked.items():
            fields[label].send_keys(Keys.CONTROL, "a")
            fields[label].send_keys(str(access[part]))
        self.b.press(lambda: next(x for x in self.b.all(".panel form label.check") if "keep the password" in x.text))
        self.b.click("Connect")

    def test_a_fact_stays_in_a_database(self):
        there = Warehouse("Booking", "Sailing")
        self.address = site().model()
        before = self.api("/grid", probe=PROBE)["values"]
        self.bench("gather")
        self.connect(there.access("harbour"))
        self.b.reads("line.booking", ".panel .pick-list")
        self.b.press(lambda: next(x for x in self.b.all(".pick-list label") if x.text.startswith("line.booking")))
        Select(self.b.one(".pick-list select")).select_by_visible_text("left there for Booking")
        self.b.click("Leave 1 there")
        self.b.reads("stays in harbour: line.booking", ".cards")
        self.assertTrue(next(t for t in self.api()["tables"] if t["name"] == "Booking")["stays"])
        for dark in (False, True):
            self.b.scheme(dark)
            self.assertEqual(self.b.violations(), [])
        # It is measured: the same numbers, and where they come from.
        self.bench("probe")
        self.b.reads("Booking stays in harbour: asked there", ".lens")
        self.assertEqual(self.api("/grid", probe=PROBE)["values"], before)
        # While it waits it says for whom, and can be stopped; then there is the grid again.
        with psycopg.connect(there.url) as connection:
            connection.execute("LOCK TABLE line.booking IN ACCESS EXCLUSIVE MODE")
            self.bench("probe", picks=[{"where": "Booking.seats > 1"}])
            self.b.reads("Waiting for harbour", ".asked-now")
            self.b.click("Stop", ".asked-now button")
            self.b.reads("You stopped it", ".asked-now")
        self.b.click("Ask again", ".asked-now button")
        self.b.reads("cells", ".grid-bar")
        self.bench("probe")
        # A cell is explained, its rows a page at a time.
        self.b.press(lambda: self.b.one('.grid [data-row="1"] [data-col="0"]'))
        self.b.reads("rows", ".lens .steps, .lens")
        self.b.reads("Booking", ".lens")
        self.b.click("hold it", ".lens button")
        self.b.until(lambda: any("Ports" in c["name"] or c["must"].get("table") for c in self.api()["checks"][-1:]))
        # It is shown as SQL, with how it is gone about there, and held against its rows.
        self.b.click("take out ▾", ".grid-bar button")
        self.b.click("Show it as SQL, and prove it in PostgreSQL", "[role=menuitem]")
        self.b.reads("rows that are sent along", ".sql-text")
        self.b.click("how it goes about it", ".sql-pane button")
        self.b.reads("Scan on booking", ".sql-body pre:last-child")
        self.b.click("Hold it against its rows", ".sql-pane button")
        self.b.reads("harbour has the same in all", ".sql-beside")
        self.assertEqual(self.b.violations(), [])
        self.b.click("Close the SQL")
        # And it comes in.
        self.bench("gather")
        self.b.press(lambda: self.b.one('[aria-label="Take the rows of Booking in"]'))
        self.b.reads("from harbour: line.booking", ".cards")
        self.assertEqual(self.api("/grid", probe=PROBE)["values"], before)
        self.assertEqual(self.b.complaints(), [])
