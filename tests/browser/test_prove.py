"""Proving in the real browser: a link broken and the edit found, checks made where the work is, a hole closed, a release that does not move."""

import json
import urllib.parse
import urllib.request
from functools import cache

from selenium.webdriver.common.action_chains import ActionChains

from nexorem.server.app import in_background
from tests.browser.driver import PATIENCE, Keys
from tests.browser.site import Site
from tests.browser.stage import OneBrowser

PORTS = {
    "name": "Ports",
    "rows": ["Port.name"],
    "columns": ["Calendar.year"],
    "measures": ["seats_sold", "sailings"],
    "totals": "all",
    "picks": [],
}
COUNTED = "Seats as the harbour offices counted them"


@cache
def proving():
    """A site of its own whose checks run in the background."""
    site = Site()
    site.background = in_background(site.app)
    return site


class Prove(OneBrowser):
    @classmethod
    def tearDownClass(cls):
        proving().background.stop()

    def open(self, stage, probe=PORTS, **named):
        """A fresh model of the demo, its checks computed."""
        self.address = proving().model()
        self.b.until(lambda: self.checks() and not any(c["old"] for c in self.checks()))
        self.show(stage, probe, **named)

    def show(self, stage, probe=PORTS, **named):
        query = urllib.parse.urlencode({"at": json.dumps({"p": probe, **named})})
        self.b.open("about:blank")
        self.b.open(f"{self.address}/{stage}?{query}")

    def checks(self):
        return self.api("/checks")["checks"]

    def check(self, name):
        return next(c for c in self.api()["checks"] if c["name"] == name)

    def state(self, name):
        return next((c["state"] for c in self.checks() if c["name"] == name and not c["old"]), None)

    def made(self):
        """The newest check of the model."""
        return self.api()["checks"][-1]

    def cell(self, row, column):
        return self.b.one(f'.grid [data-row="{row}"] [data-col="{column}"]')

    def test_a_broken_link_is_followed_from_the_check_to_the_trace_to_the_edit(self):
        self.open("link", w="matrix")
        self.show("link", w="matrix", s={"kind": "link", "name": "from port"})
        self.b.click("inactive", ".lens button")
        self.b.reads(COUNTED, ".sheet")  # it is told before the edit is made
        self.b.click("Change the link", ".sheet-foot button")
        self.b.until(lambda: not self.b.all(".mantine-Modal-overlay"))
        self.sees(lambda: self.state(COUNTED), "fails")
        self.b.reads("wrong", ".stages")
        self.b.click("Prove", ".stages a b")
        self.b.reads("switch from port off", ".wrong-group .since")
        self.assertEqual(self.b.violations(), [])
        self.b.click(f"Trace the worst cell of {COUNTED}")
        self.b.reads("when it held", ".lens .beside-held")
        self.b.reads("filters over from port", ".lens .beside-held")
        self.b.click("when did this cell become what it is?", ".lens button")
        self.b.reads("switch from port off", '[data-testid="cell-moves"]')
        self.assertEqual(self.b.violations(), [])
        self.b.click("History", ".top button")
        self.b.reads(COUNTED, ".history .moved-check")
        self.b.click("Prove", ".stages a b")
        self.b.click("Take just this edit back", ".wrong-group button")
        self.sees(lambda: self.state(COUNTED), "holds")
        self.b.named("↶ undo: take back alone: switch from port off")
        self.assertEqual(self.b.complaints(), [])

    def test_checks_are_made_where_the_work_is(self):
        self.open("probe")
        self.b.press(lambda: self.cell(1, 0))
        self.b.click("hold it", ".lens button")
        self.b.reads("Made the check", ".made-line")
        self.sees(lambda: self.made()["must"]["table"]["columns"], ["Port.name", "Calendar.year", "seats_sold"])
        self.b.reads(f"held by {self.made()['name']}", ".lens .held-by")
        self.b.until(lambda: "held" in self.cell(1, 0).find_element("xpath", "..").get_attribute("class"))
        # Several cells: those between two, by keys alone.
        ActionChains(self.b.driver).key_down(Keys.SHIFT).click(self.cell(3, 1)).key_up(Keys.SHIFT).perform()
        self.b.reads("Where they part", ".lens")
        self.cell(3, 1).send_keys("h")
        self.sees(lambda: len(self.made()["must"].get("table", {"rows": []})["rows"]), 3)
        # Two measures beside each other.
        self.b.click("hold them equal", ".lens button")
        self.sees(lambda: self.made()["must"].get("hold"), "seats_sold = sailings")
        # The whole grid, and a table that is pasted.
        self.b.click("take out ▾", ".grid-bar button")
        self.b.click("Make a check of this grid", ".mantine-Menu-item")
        self.sees(lambda: self.made()["must"].get("whole"), True)
        self.sees(lambda: self.state(self.made()["name"]), "holds")
        self.b.click("take out ▾", ".grid-bar button")
        self.b.click("Hold a pasted table against it", ".mantine-Menu-item")
        line = "\t".join(e.text for e in self.b.all('.grid tbody.lines tr[data-row="2"] > *'))
        self.b.run(
            "const [text] = arguments; const t = document.querySelector('.pasted textarea'); t.focus(); document.execCommand('insertText', false, text)",
            line,
        )
        self.b.click("Keep it as a check", ".pasted button")
        self.sees(lambda: self.made()["name"], "Ports, as pasted")
        self.sees(lambda: self.state("Ports, as pasted"), "holds")
        # A folio's number, a finding; and undone like any edit.
        self.b.click("On time", ".folio-strip button")
        self.b.until(lambda: len(self.b.all(".tile.number .hold-number")) == 4)
        self.b.press(lambda: self.b.one(".tile.number .hold-number"))
        self.sees(lambda: self.made().get("probe"), {"folio": "On time", "tile": 1})
        self.show("prove")
        self.b.click("Findings", ".prove-switch b")
        self.b.press(lambda: self.b.one('[aria-label^="Check that there is none"]'))
        self.sees(lambda: "none" in self.made()["must"], True)
        count = len(self.api()["checks"])
        self.b.click("undo", ".made-line button")
        self.sees(lambda: len(self.api()["checks"]), count - 1)

    def test_a_hole_that_coverage_proposes_is_closed(self):
        self.open("prove")
        self.b.press(lambda: self.b.all(".prove-switch button")[1])
        self.b.click("Compute it")
        self.b.until(lambda: (c := self.api("/coverage"))["changes"] and not c["running"], seconds=5 * PATIENCE)
        self.b.reads("measure seats_in_price_band", ".coverage")
        self.assertEqual(self.b.violations(), [])
        hole = next(c for c in self.api("/coverage")["changes"] if c["about"] == "measure seats_in_price_band" and c["verdict"]["closes"])
        self.b.press(lambda: self.b.within(".coverage .wrong-line", hole["words"][:30], ".//button[text()='Close it']"))
        self.sees(lambda: self.made()["name"], hole["verdict"]["closes"]["check"]["name"])
        self.b.click("Compute it anew")
        self.b.until(lambda: not (c := self.api("/coverage"))["running"] and not c["old"])
        told = next(c for c in self.api("/coverage")["changes"] if (c["about"], c["words"]) == (hole["about"], hole["words"]))
        self.assertEqual(told["verdict"]["state"], "noticed")
        self.b.press(lambda: next(e for e in self.b.all(".coverage .cover-item") if e.text.startswith("Harbour meeting")))
        self.b.reads("What the harbour masters see", ".folio-bench")
        # The same marks stand in the matrix, the star, the outline of measures.
        self.show("measure")
        self.b.one(".outline .cover.part, .outline .cover.open")
        self.show("link", w="matrix")
        self.b.one('.matrix td[aria-label*="changes are noticed"]')

    def test_a_release_does_not_move_with_the_draft(self):
        self.open("prove")
        self.b.click("Releases", ".prove-switch b")
        self.b.click("Make a release")
        self.b.type('[aria-label="Name of the release"]', "First")
        self.b.type('[aria-label="Notes of the release"]', "What it is for.")
        self.b.until(lambda: self.b.all('[aria-label="Why it may be made"]') or self.b.named("Make release 1"))
        if self.b.all('[aria-label="Why it may be made"]'):  # checks that no package can compute guard releases, too
            self.b.type('[aria-label="Why it may be made"]', "There is no release yet.")
        self.b.click("Make release 1")
        self.b.reads("1 · First", ".lens h2")
        self.b.reads("What it is for.", ".lens")
        self.assertEqual(self.b.violations(), [])
        address = self.address.replace("/m/", "/api/models/") + "/releases/1/probes/Ports%20by%20year.csv"
        before = urllib.request.urlopen(address).read()
        edit = {"kind": "change_measure", "name": "seats_sold", "set": {"formula": "sum(Booking.seats) * 2"}}
        self.api("/edits", edit=edit, base=self.api()["version"])
        self.assertEqual(urllib.request.urlopen(address).read(), before)
        self.b.reads("1 part changed since", ".time-line")
        self.b.click("See probes as of it", ".lens button")
        self.b.reads("Seen as of", ".as-of")
        first = self.cell(0, 0).text
        self.b.click("beside the draft", ".as-of button")
        self.b.reads("cells differ", ".as-of-beside")
        self.b.press(lambda: self.cell(0, 0))
        self.b.reads("release 1", ".lens .beside-held")
        self.b.reads("draft", ".lens .beside-held")
        self.b.click("On time", ".folio-strip button")
        self.b.until(lambda: self.b.all(".tile .beside-grid th") and self.b.all(".tile .number-beside dd"))
        self.b.click("Probe", ".folio-strip button")
        self.b.click("Back to the draft", ".as-of button")
        self.b.until(lambda: self.cell(0, 0).text not in ("", first))
        self.show("prove")
        self.b.click("Releases", ".prove-switch b")
        self.b.press(lambda: self.b.one(".time-line li button"))
        self.b.click("Bring the draft back to it", ".lens button")
        self.b.named("↶ undo: bring back release 1")
        self.sees(lambda: next(m["formula"] for m in self.api()["measures"] if m["name"] == "seats_sold"), "sum(Booking.seats)")

    def test_by_keys_alone(self):
        self.open("prove")
        self.b.one(".check-name")
        self.b.keys("4")
        self.b.keys("6")
        self.b.tab_to(COUNTED).send_keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.ENTER)
        self.b.reads("Seats add up over ports and years", ".lens h2")
        self.b.command("k")
        self.b.typed("Growth", Keys.ENTER)
        self.b.reads("Growth", ".lens h2")
        self.b.command("k")
        self.b.typed("Make a release", Keys.ENTER)
        self.b.reads("Release 1", ".lens h2")
        self.b.command("k")
        self.b.typed("Seats by community", Keys.ENTER)
        self.b.reads("Seats by community", ".lens h2")
        self.b.tab_to("Change it…").send_keys(Keys.ENTER)
        self.b.type('[aria-label="may be off by"]', "half")
        self.b.type('[aria-label="folder"]', ", by year")
        self.b.keys(Keys.ENTER)
        self.b.reads("half is none", '[aria-label="Change the check"]')
        self.b.type('[aria-label="may be off by"]', *[Keys.BACKSPACE] * 4, "0.5")
        self.b.keys(Keys.ENTER)
        self.sees(lambda: self.check("Seats by community")["folder"], "Volume, by year")
        self.assertEqual(self.check("Seats by community")["must"]["tolerance"]["absolute"], 0.5)
        listed = self.check("Seats by community")["must"]["table"]["rows"]
        edit = {"kind": "change_measure", "name": "seats_sold", "set": {"formula": "sum(Booking.seats) * 2"}}
        self.api("/edits", edit=edit, base=self.api()["version"])
        self.b.reads("What is shown now is right", ".lens")
        self.b.tab_to("What is shown now is right").send_keys(Keys.ENTER)
        self.sees(lambda: self.state("Seats by community"), "holds")
        self.assertNotEqual(self.check("Seats by community")["must"]["table"]["rows"], listed)
        self.assertEqual(self.check("Seats by community")["must"]["tolerance"]["absolute"], 0.5)
        self.b.command("z")
        self.sees(lambda: self.check("Seats by community")["must"]["table"]["rows"], listed)
        self.show("probe")
        self.cell(1, 0)
        self.b.tab_to(self.cell(0, 0).text)
        self.b.keys(Keys.ARROW_DOWN, "h")
        self.b.reads("Made the check", ".made-line")
        self.b.command("z")
        self.b.until(lambda: len(self.api()["checks"]) == 30)
        self.b.scheme(True)
        self.show("prove")
        self.b.one(".check-name")
        self.assertEqual(self.b.violations(), [])
        for place in (1, 2, 3):
            self.b.press(lambda place=place: self.b.all(".prove-switch button")[place])
            self.b.settled()
            self.assertEqual(self.b.violations(), [])
        self.b.scheme(False)

    def test_a_grid_is_shown_as_sql_and_proven(self):
        self.open("probe")
        self.b.click("take out ▾", ".grid-bar button")
        self.b.click("Show it as SQL, and prove it in PostgreSQL", "[role=menuitem]")
        self.b.reads("port_lines AS (", ".sql-text")
        self.b.click("Prove it in PostgreSQL", "button")
        self.b.reads("PostgreSQL has the same in all", ".sql-beside")
        self.assertEqual(self.b.all(".sql-beside .differs"), [])
        # What is asked for changes, and the statement with it.
        self.b.click("Take Sailings out")
        self.b.until(lambda: "sailings" not in self.b.text(".sql-text") and not self.b.all(".sql-beside"))
        # One cell of it.
        self.b.press(lambda: self.cell(1, 0))
        self.b.reads("hold it", ".lens")
        self.b.click("as SQL", ".lens button")
        self.b.reads("the_cell AS (", ".sql-text")
        self.b.click("Prove it in PostgreSQL", "button")
        self.b.reads("PostgreSQL has the same in its one cell", ".sql-beside")
        for dark in (False, True):
            self.b.scheme(dark)
            self.assertEqual(self.b.violations(), [])
        self.b.click("Close the SQL")
        self.b.until(lambda: not self.b.all(".sql-pane"))
        # All of them, in the background.
        self.show("prove")
        self.b.click("Proofs", ".prove-switch b")
        self.b.press(lambda: next((x for x in self.b.all(".proofs-head button") if x.text.startswith("Prove")), None))
        self.b.reads("grids are the same in PostgreSQL", ".proofs-head")
        self.assertEqual({p["proof"]["state"] for p in self.api("/proofs")["proofs"] if p["proof"]}, {"proven"})
        self.assertEqual(self.b.violations(), [])
