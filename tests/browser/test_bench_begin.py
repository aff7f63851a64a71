"""A model begins: files are dropped on the page of models, and every step to the first traced number is one decision."""

import time
import unittest

from tests.browser.site import DEMO, site
from tests.browser.test_probe import Bench

FILES = ("booking", "route", "customer", "agent")
MOST_ACTIONS, MOST_SECONDS = 10, 120.0


class Begins(Bench):
    def setUp(self):
        self.address = site().address

    def test_four_files_to_a_traced_number(self):
        begun, actions = time.monotonic(), []

        def act(words, what):
            actions.append(words)
            what()

        self.b.open(f"{site().address}/models")
        chosen = "\n".join(str(DEMO / "data" / f"{name}.csv") for name in FILES)
        act("choose files", lambda: self.b.type('input[aria-label="Choose files"]', chosen))
        self.b.reads("Read 4 tables", ".panel")
        act("take", lambda: self.b.click("Take 4 tables"))
        self.b.until(lambda: self.b.all(".begin .solid"))
        for step in ("Keys", "Calendar", "Links", "First grid"):
            self.b.until(lambda s=step: s in self.b.text(".begin-steps [aria-current]"), step)
            act(step, lambda: self.b.press(lambda: self.b.one(".begin .solid")))
        self.b.until(lambda: "/probe" in self.b.driver.current_url)
        act("choose a cell", lambda: self.b.press(lambda: self.b.all(".grid tbody.lines td button")[0]))
        self.b.reads("Filters run", ".lens")
        self.assertLessEqual(len(actions), MOST_ACTIONS)
        self.assertLess(time.monotonic() - begun, MOST_SECONDS)
        self.address = self.b.driver.current_url.split("/probe")[0]
        document = self.api()
        self.assertEqual({t["name"]: t["key"] for t in document["tables"]}["Route"], ["code"])
        self.assertGreaterEqual(len(document["links"]), 4)
        # Nobody is led who has begun.
        self.open("gather")
        self.b.reads("5 tables", ".bench")
        self.assertEqual(self.b.all(".begin"), [])

    def test_models_are_copied_removed_and_brought_back(self):
        self.address = site().model()
        self.b.open(f"{site().address}/models")
        title = self.api()["title"]
        cards = lambda: len(self.b.all(".model-card"))  # noqa: E731
        self.b.until(cards)
        self.b.until(lambda: self.b.driver.execute_script("return document.querySelector('.model-card img').naturalWidth > 100"))
        before = cards()
        self.assertEqual(self.b.violations(), [])
        self.b.click(f"Copy {title}")
        self.b.until(lambda: "/link" in self.b.driver.current_url)
        self.b.reads(f"{title}, a copy", ".top")
        self.b.reads("The star of Booking")
        self.b.open(f"{site().address}/models")
        self.sees(cards, before + 1)
        self.b.click(f"Remove the model {title}, a copy")
        self.sees(cards, before)
        self.b.click("Bring it back")
        self.sees(cards, before + 1)


if __name__ == "__main__":
    unittest.main()
