"""A model begins: files are dropped on the page of models, and every step to the first traced number is one decision."""

import tempfile
import time
import unittest
from pathlib import Path

from selenium.webdriver.common.keys import Keys

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
        # It is still told after the page was left, and what Find does to a model it does at once.
        self.b.open(f"{site().address}/models")
        self.b.click(f"Bring {title}, a copy back")
        self.sees(cards, before + 1)
        self.b.click(f"Open {title}, a copy")
        self.b.reads("The star of Booking")
        for words in ("duplicate", "delete"):
            self.b.command("k")
            self.b.typed(words, Keys.ENTER)
            self.b.reads(f"{title}, a copy, a copy", ".top" if words == "duplicate" else ".note")
        self.sees(cards, before + 1)

    def test_moments_are_dated_for_a_calendar(self):
        self.b.open(f"{site().address}/models")
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "crossing.csv"
            lines = (f"{i},2031-{1 + i % 12:02}-{1 + i % 28:02}T{i % 24:02}:30:00,{'Ferry' if i % 3 else 'Boat'},{i}" for i in range(60))
            file.write_text("number,left_at,craft,seats\n" + "\n".join(lines) + "\n")
            self.b.type('input[aria-label="Choose files"]', str(file))
            self.b.click("Take 1 table")
            self.address = self.b.driver.current_url.split("/gather")[0]
            self.b.until(lambda: "Keys" in self.b.text(".begin-steps [aria-current]"))
            self.b.press(lambda: self.b.one(".begin .solid"))
            self.b.reads("Crossing.left_date = CAST(left_at AS date)", ".begin")
            for step in ("Calendar", "Links"):
                self.b.until(lambda s=step: s in self.b.text(".begin-steps [aria-current]"), step)
                self.b.press(lambda: self.b.one(".begin .solid"))
            self.sees(lambda: [k["text"] for k in self.api()["links"]], ["Crossing.left_date = Calendar.date"])
            self.assertEqual(next(t for t in self.api()["tables"] if t["name"] == "Calendar")["rows"], 365)


if __name__ == "__main__":
    unittest.main()
