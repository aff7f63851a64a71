"""The Link stage of a fresh model in the browser, and what is done there again and again."""

import json
import unittest
import urllib.parse
import urllib.request

from selenium.common.exceptions import TimeoutException
from selenium.webdriver.common.action_chains import ActionChains

from tests.browser.driver import Browser, Keys
from tests.browser.site import site

PROBE = {
    "name": "By group",
    "rows": ["Island.group"],
    "columns": ["Calendar.year"],
    "measures": ["seats_sold"],
    "totals": "all",
    "picks": [],
}


class OneBrowser(unittest.TestCase):
    """A browser for a class; `address` is that of the model at hand."""

    SIZE = (1280, 800)

    @classmethod
    def setUpClass(cls):
        cls.b = Browser(*cls.SIZE)
        cls.addClassCleanup(cls.b.close)

    def sees(self, found, want=True):
        """Waits until `found()` is what it should be: a page may still be drawing the answer."""
        try:
            self.b.until(lambda: found() == want)
        except TimeoutException:
            self.assertEqual(found(), want)

    def api(self, rest="", **body):
        """What the server says of the model, or an edit made beside the window."""
        url = self.address.replace("/m/", "/api/models/") + rest
        data = json.dumps(body).encode() if body else None
        return json.load(urllib.request.urlopen(urllib.request.Request(url, data, {"Content-Type": "application/json"})))


class Stage(OneBrowser):
    def open(self, **named):
        """A fresh model's Link stage, with the probe open."""
        self.address = site().model()
        return self.again(**named)

    def again(self, **named):
        query = urllib.parse.urlencode({"at": json.dumps({"p": PROBE, **named})})
        self.b.open("about:blank")
        self.b.open(f"{self.address}/link?{query}")
        self.b.one(".matrix td, .star-card")

    def link(self, name):
        return next((k for k in self.api()["links"] if k["name"] == name), None)

    def cell(self, words):
        return self.b.one(f'.matrix td[aria-label^="{words}"]')

    def accept(self, words):
        """Waits until the sheet has told what follows, then accepts it."""
        self.b.until(lambda: self.b.named(words).is_enabled())
        self.b.click(words)
        self.b.until(lambda: not self.b.all(".mantine-Modal-overlay"))

    def accepted(self):
        """The same by Ctrl and Enter."""
        self.b.until(lambda: self.b.one(".sheet-foot .solid").is_enabled())
        ActionChains(self.b.driver).key_down(Keys.CONTROL).send_keys(Keys.ENTER).key_up(Keys.CONTROL).perform()
        self.b.until(lambda: not self.b.all(".mantine-Modal-overlay"))

    def undone(self, words):
        self.b.named(f"↶ undo: {words}")
