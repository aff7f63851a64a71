"""A team in two browsers: invited, let in, shown what they may, seen as somebody else, and back in without losing a word."""

import json
import re
import unittest
import urllib.error
import urllib.parse
import urllib.request

from selenium.webdriver.common.keys import Keys

from nexorem.server.app import create_app
from nexorem.server.door import Locked, Team
from nexorem.work.actor import COMMAND_LINE
from nexorem.work.entering import new_address, new_invitation
from tests.browser.driver import Browser
from tests.browser.site import DEMO
from tests.server.served import served
from tests.store.cluster import fresh_url

PASSWORD = "three odd words"
ADDRESS = re.compile(r"http://\S+invitation=[\w-]+")


class Teams(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        door = Team("")
        cls.app = create_app(fresh_url(), door=door)
        door.origin = cls.address = served(cls.app)
        cls.workspace = cls.app.extensions["nexorem"]
        cls.addClassCleanup(cls.workspace.engine.dispose)
        cls.model = cls.workspace.open(COMMAND_LINE, DEMO)
        cls.owner, cls.other = Browser(), Browser()
        cls.addClassCleanup(cls.owner.close)
        cls.addClassCleanup(cls.other.close)

    def accept(self, browser, address, name):
        browser.open(address)
        browser.reads("Say who you are")
        browser.type('input[autocomplete="name"]', name)
        browser.type('input[type="password"]', PASSWORD)
        browser.click("Make the account")
        browser.reads(name, "header")

    def open_people(self, part):
        self.owner.click("Ada Kell", "header button")
        self.owner.click(part, '[role="menuitem"]')

    def test_the_way_of_a_team(self):
        owner, other = self.owner, self.other
        owner.open(self.address)
        owner.reads("Sign in", "h2")
        self.accept(owner, new_invitation(self.workspace.engine, self.address, "ada@example.org", True, True), "Ada Kell")
        # A clearance, and the probe that is open as somebody who has it sees it.
        owner.open(f"{self.address}/m/{self.model}/probe")
        owner.reads("Brann East", ".grid")
        self.open_people("Clearances: who sees which rows")
        owner.click("New clearance")
        owner.type("form.panel input", "Near office")
        owner.type("form.panel textarea", "Island.\"group\" = 'Near Isles'")
        owner.click("Save", "form.panel button")
        owner.reads("Comes to Booking", '[aria-label="Near office"]')
        owner.reads("All rows are seen of Ledger", '[aria-label="Near office"]')
        owner.click("See the open probe as…")
        owner.reads("29,467 of 60,212 rows of Booking", '[aria-label="Seen as Near office"]')
        owner.reads("cells differ", '[aria-label="Seen as Near office"]')
        self.assertEqual(owner.violations(), [])
        # Somebody is invited with it, comes in, and sees those rows and no more.
        owner.click("People", ".segment button")
        owner.type('.people-form input[type="email"]', "bo@example.org")
        owner.run(
            "const s = document.querySelector('.people-form select[aria-label=\"Rows that they see\"]');"
            "Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(s, 'Near office');"
            "s.dispatchEvent(new Event('change', {bubbles: true}))"
        )
        owner.click("Invite", ".people-form button")
        address = ADDRESS.search(owner.text(".told-once"))[0]
        self.accept(other, address, "Bo Lind")
        other.open(f"{self.address}/m/{self.model}/probe")
        other.reads("You see the rows of Near office", ".cleared-bar")
        other.reads("Teal Bridge", ".grid")
        self.assertNotIn("Brann East", other.text(".grid"))
        other.press(lambda: next(iter(other.all(".grid tbody td button"))))
        other.reads("Before all other filters, by the clearance Near office", ".lens")
        # What a reader may not do is not offered, and is refused where it is asked for all the same.
        self.assertEqual([x.text for x in other.all(".stages b")], ["Link", "Measure", "Probe"])
        other.open(f"{self.address}/m/{self.model}/link")
        other.reads("Who filters whom")
        self.assertEqual([b.text for b in other.all("[data-needs]") if b.is_displayed()], [])
        self.assertEqual(other.violations(), [])
        other.open(f"{self.address}/m/{self.model}/gather")
        other.reads("Bo Lind", "header")
        # A token for a program, used from outside.
        other.click("Bo Lind", "header button")
        other.click("Tokens and sessions", '[role="menuitem"]')
        other.type(".people-form input", "a sheet")
        other.click("Make a token")
        token = other.text(".told-once code")
        probe = urllib.parse.quote(json.dumps({"rows": ["Island.name"], "measures": ["seats_sold"]}))
        grid = f"{self.address}/api/models/{self.model}/grid.csv?probe={probe}"
        asked = urllib.request.Request(grid, headers={"Authorization": f"Bearer {token}"})
        with urllib.request.urlopen(asked) as answer:
            self.assertEqual(len(answer.read().decode().splitlines()), 6)  # the isles near, and the heading
        with self.assertRaises(urllib.error.HTTPError) as closed:
            urllib.request.urlopen(grid)
        closed.exception.close()
        self.assertEqual(closed.exception.code, 401)
        # Another role is there at the next answer.
        owner.click("People", ".segment button")
        owner.reads("Bo Lind", ".people-list")
        owner.run(
            "const s = document.querySelector('select[aria-label=\"Role of Bo Lind\"]');"
            "Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(s, 'author');"
            "s.dispatchEvent(new Event('change', {bubbles: true}))"
        )
        owner.click("Log", ".segment button")
        owner.reads("bo@example.org: author", ".people-list")
        # The session ends while something is typed: it is still there behind the way in.
        other.open(f"{self.address}/m/{self.model}/measure")
        other.click("New measure")
        other.type(".cm-content", "rows(Booking) + 41")
        other.reads("41", ".cm-content")
        with self.workspace.engine.begin() as connection:
            connection.exec_driver_sql(
                "DELETE FROM secret WHERE kind = 'session' AND person_id = (SELECT id FROM person WHERE name = 'Bo Lind')"
            )
        other.type(".cm-content", Keys.END, "2")
        other.reads("Your session has ended", ".way-in")
        other.type('.way-in input[type="email"]', "bo@example.org")
        other.type('.way-in input[type="password"]', PASSWORD)
        other.click("Sign in", ".way-in button")
        other.until(lambda: not other.all(".way-in"))
        other.reads("rows(Booking) + 412", ".cm-content")
        other.reads("29,879", "main")
        self.assertEqual([x for b in (owner, other) for x in b.complaints()], [])


class Alone(unittest.TestCase):
    def test_one_machine(self):
        app = create_app(fresh_url(), door=Locked())
        workspace = app.extensions["nexorem"]
        self.addCleanup(workspace.engine.dispose)
        workspace.new(COMMAND_LINE, "Mine")
        address, browser = served(app), Browser(dark=True)
        self.addCleanup(browser.close)
        browser.open(address)
        browser.reads("This browser is not let in yet")
        self.assertEqual(browser.violations(), [])
        browser.open(new_address(workspace.engine, address))
        browser.reads("Mine", "h1")
        self.assertNotIn("key=", browser.driver.current_url)
        browser.click("Sharing", "header button")
        browser.click("Sign out", '[role="menuitem"]')
        browser.reads("This browser is not let in yet")


if __name__ == "__main__":
    unittest.main()
