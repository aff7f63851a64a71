"""The way of a newcomer, driven in Chromium: from the star to a number that explains itself, and back."""

import json
import re
import tempfile
import unittest
import urllib.request
from pathlib import Path

from selenium.webdriver.common.keys import Keys

from tests.browser.site import site
from tests.browser.stage import OneBrowser

STAGES = ("gather", "shape", "link", "measure", "probe", "prove")


def asked(probe=None, selection=None, **more):
    """The part of an address that names what is on screen."""
    named = {**({"p": probe} if probe else {}), **({"s": selection} if selection else {}), **more}
    return "?at=" + urllib.request.quote(json.dumps(named))


PORTS = {"rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold", "share_of_ports", "target_seats"], "totals": "all"}


class Way(OneBrowser):
    maxDiff = None

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.model = site().model()

    def tearDown(self):
        self.assertEqual(self.b.complaints(), [])

    def open(self, stage, query="", model=None):
        self.b.open(f"{model or self.model}/{stage}{query}")

    def cell(self, line, place):
        """A cell of the grid by its line's label and its place on it."""
        return self.b.until(
            lambda: next(
                r.find_elements("css selector", "td button")[place] for r in self.b.all(".grid tbody tr") if r.text.startswith(line)
            )
        )

    def choose(self, line, place):
        """Clicks a cell until it is chosen: a first click may meet a grid that is still being laid out."""

        def attempt():
            self.b.press(lambda: self.cell(line, place))
            return self.b.until(lambda: self.cell(line, place).get_attribute("aria-pressed") == "true", seconds=2)

        self.b.until(attempt)
        return self.cell(line, place)

    def test_1_the_star_is_the_first_thing_seen(self):
        self.b.open(site().address)
        self.b.reads("The star of Booking")
        self.b.reads("60,212 rows", ".star-card")
        self.sees(lambda: len(self.b.all(".star-card")), 16)
        self.sees(lambda: len(self.b.all(".star-link")), 23)
        self.sees(lambda: len(self.b.all(".matrix tbody tr")), 5)
        first = ".matrix tbody tr:first-child td"
        self.sees(lambda: self.b.one(first).get_attribute("aria-label"), "Calendar to Booking: filters it, over sails on, 3 links")

    def test_2_hover_runs_the_current_and_shows_where_it_stops(self):
        self.open("link")
        card = self.b.one('.star-card[data-table="Vessel"]')
        self.b.hover(card)
        self.b.until(lambda: self.b.all(".star-link.runs"))
        self.sees(lambda: [e.get_attribute("data-link") for e in self.b.all(".star-link.runs")], ["vessel", "ledger vessel", "works on"])
        self.sees(
            lambda: {e.find_element("xpath", "..").get_attribute("data-link") for e in self.b.all(".stop-bar")},
            {"sailing", "sailing day", "sailing route", "account", "ledger month", "works as"},
        )
        self.sees(lambda: "reached" in self.b.one('.star-card[data-table="Sailing"]').get_attribute("class"))

    def test_3_a_measure_is_written_with_its_errors_told_and_mended(self):
        self.open("measure", asked(m="seats_sold"))
        self.b.reads("136,115", "[data-testid=live-number]")
        self.b.click("New measure")
        self.b.type('[aria-label="Name of the new measure"]', "metres_a_seat")
        self.b.press(lambda: self.b.one(".cm-content"))
        self.b.keys("lane_metres / sum(Booking.seat")
        self.b.reads("Booking has no column seat")
        self.sees(lambda: self.b.named("Save").is_enabled(), False)
        self.b.click("write Booking.seats")
        self.b.reads("0.93", "[data-testid=live-number]")
        self.b.click("Save")
        self.b.named("↶ undo: add measure metres_a_seat")
        self.b.reads("Metres a seat", ".outline-item")

    def test_4_a_changed_formula_stands_beside_the_saved_one(self):
        self.open("measure", asked(m="outer_seats", p=PORTS))
        self.b.reads("29,561", "[data-testid=live-number]")
        self.b.press(lambda: self.b.one(".cm-content"))
        self.b.command(Keys.END)
        self.b.keys(Keys.BACKSPACE, ", clear Calendar)")
        self.b.reads("As written here")
        self.b.click("Back to the saved one")
        self.b.until(lambda: "As written here" not in self.b.text(".bench"))

    def test_5_a_grid_is_asked_for_by_the_sentence_of_chips(self):
        self.open("probe", asked({"rows": [], "columns": [], "measures": [], "totals": "all"}))
        self.b.reads("Ask for a measure")
        for button, words, choice in (
            ("Add a measure", "seats sold", "Seats sold"),
            ("Add a column to the rows", "island group", "Island group"),
            ("Add a column across", "calendar year", "Calendar year"),
            ("Pick from a column", "vessel name", "Vessel name"),
        ):
            self.b.click(button)
            box = self.b.one(f'input[aria-label="{button}"]')
            box.send_keys(words)
            self.b.until(lambda c=choice: self.b.one('[role=option][aria-selected="true"]').text.startswith(c))
            box.send_keys(Keys.ENTER)
        self.b.reads("Outer Lights", ".grid")
        self.sees(lambda: self.cell("All", -1).text, "136,115")
        self.b.press(lambda: self.b.named("Heron", ".pick-list label"))
        self.b.reads("not reached by Vessel", ".grid thead")
        self.sees(lambda: len(self.b.all(".grid td.hatched")) == len(self.b.all(".grid tbody td")))
        self.b.click("Vessel name is Heron", ".chip button")
        self.b.reads("Vessel.name", ".lens h2")
        self.b.click("Take the pick Vessel name is Heron out")
        self.b.until(lambda: not self.b.all(".grid td.hatched"))
        self.b.click("Take Calendar year out")
        self.b.until(lambda: len(self.b.all(".grid thead tr")) == 1)

    def test_6_a_cell_is_traced_in_the_lens(self):
        self.open("probe", asked(PORTS))
        shown = self.choose("Teal Quay", 4).text
        self.b.reads(shown.replace("↷", "").strip(), "[data-testid=trace-value]")
        for words in (
            "Port name Teal Quay",
            "Calendar year 2032",
            "Filters run",
            "over from port to Route",
            "Share of ports changes the context",
            "clear Port",
            "Arithmetic on what is left",
        ):
            self.b.reads(words, ".lens")
        self.assertRegex(self.b.text(".lens"), r"sum\(Booking.seats\) over [\d,]+ of 60,212 rows")
        self.sees(lambda: "%22kind%22:%22cell%22" in self.b.driver.current_url.replace("%3A", ":"))
        self.b.open(self.b.driver.current_url)  # the address brings the same to a colleague
        self.b.reads(shown.replace("↷", "").strip(), "[data-testid=trace-value]")

    def test_7_what_was_blocked_and_why(self):
        probe = PORTS | {"measures": ["target_seats"], "picks": [{"column": "Vessel.name", "in": ["Heron"]}]}
        self.open("probe", asked(probe))
        self.choose("All", 0)
        self.b.reads("The filter on Vessel does not reach Target")
        # Where it stops on its shortest way stands first; the other stops fold away.
        self.sees(lambda: "ledger month the link carries filters the other way only" in self.b.text(".lens"))
        self.b.press(lambda: self.b.one(".lens summary"))
        self.sees(lambda: "sailing the link is inactive" in self.b.text(".lens"))
        self.sees(lambda: "120 of 310" in self.b.text(".lens"))

    def test_7b_row_by_row_and_into_a_row(self):
        cell = [
            {"column": "Port.name", "member": {"kind": "value", "value": "Teal Quay"}},
            {"column": "Calendar.year", "member": {"kind": "value", "value": 2032}},
        ]
        probe = PORTS | {"measures": ["best_month"]}
        self.open("probe", asked(probe, {"kind": "cell", "measure": "best_month", "at": cell}))
        self.b.reads("560", "[data-testid=trace-value]")
        self.b.reads("max(seats_sold for each Calendar.month) over 12 rows", ".lens")
        self.sees(lambda: "2032-08 560" in self.b.text(".lens").replace("\n", " "))
        self.b.click("why", ".lens button")
        self.b.reads("in the row 2032-01, worth 130", ".lens")
        self.b.reads("Arithmetic on what is left", ".lens")
        self.b.click("leave it", ".lens button")
        self.b.reads("over 12 rows", ".lens")

    def test_7c_a_formula_is_read_aloud(self):
        self.open("measure", asked(m="year_before"))
        self.b.reads("Seats sold, with the dates of Calendar moved back by 1 year; every other filter stays.", "[data-testid=reading]")
        self.b.reads("What happens to each filter", ".ledger")
        self.b.reads("shift Calendar by -1 year", ".ledger")
        self.b.click("How it is computed")
        self.b.reads("Plan")

    def test_8_a_link_off_changes_the_number_and_its_reason_and_undo_brings_both_back(self):
        model = site().model()
        self.open(
            "probe",
            asked(
                PORTS,
                {
                    "kind": "cell",
                    "measure": "seats_sold",
                    "at": [{"column": "Port.name", "member": {"kind": "value", "value": "Teal Quay"}}],
                },
            ),
            model,
        )
        self.b.reads("7,393", "[data-testid=trace-value]")
        self.b.keys("3")
        self.b.reads("The star of Booking")
        self.b.press(lambda: self.b.one('.star-link[data-link="route"]'))
        self.b.click("inactive", ".lens .segment button")
        self.b.reads("no longer reached", ".sheet")
        self.b.click("Change the link")
        self.b.named("↶ undo: switch route off")
        self.b.keys("5")
        self.b.reads("not reached by Port", ".grid thead")
        self.choose("Teal Quay", 0)
        self.b.reads("The filter on Port does not reach Booking")
        self.b.until(lambda: self.b.one("[data-testid=trace-value]").text == "49,783")
        self.b.click("↶ undo: switch route off")
        self.b.until(lambda: self.b.one("[data-testid=trace-value]").text == "2,395")
        self.sees(lambda: "does not reach" not in self.b.text(".lens"))
        self.b.click("redo: switch route off")
        self.b.until(lambda: self.b.one("[data-testid=trace-value]").text == "49,783")
        self.b.command("z")
        self.b.until(lambda: self.b.one("[data-testid=trace-value]").text == "2,395")

    def test_9_links_are_made_removed_and_tables_moved_by_dragging(self):
        model = site().model()
        self.open("link", model=model)
        self.b.click("Columns of Customer, to drag a link from")
        self.b.click("Columns of Calendar, to drag a link from")
        source = self.b.one('[data-key="Customer.since"]')
        self.b.run(
            "for (const k of ['Customer.since', 'Calendar.date']) document.querySelector(`[data-key=\"${k}\"]`).scrollIntoView({block: 'nearest'})"
        )
        self.b.drag(source, self.b.one('[data-key="Calendar.date"]'))
        self.b.reads("Customer.since = Calendar.date", ".sheet")
        self.b.reads("Offered inactive: active, it would double a path")
        self.b.until(lambda: self.b.named("Make the link").is_enabled())
        self.b.click("Make the link")
        self.b.named("↶ undo: link Customer.since = Calendar.date")
        self.sees(lambda: len(self.b.all(".star-link")), 24)
        self.b.click("active", ".lens .segment button")
        self.b.reads("A filter on Calendar would reach Booking over two paths", ".sheet")
        self.sees(lambda: self.b.named("Change the link").is_enabled(), False)
        self.b.keys(Keys.ESCAPE)
        self.b.until(lambda: not self.b.all(".mantine-Modal-overlay"))
        self.b.click("Columns of Customer, to drag a link from")
        self.b.click("Columns of Calendar, to drag a link from")
        self.b.drag(self.b.one('.star-link[data-link="agent"] .solid'), self.b.one("[data-shelf]"))
        self.b.until(lambda: self.b.named("Remove the link").is_enabled())
        self.b.click("Remove the link")
        self.b.named("↶ undo: remove agent")
        self.b.until(lambda: not self.b.all(".mantine-Modal-overlay"))
        self.b.reads("Agent", "[data-shelf]")
        before = self.b.one('.star-card[data-table="Island"]').rect
        self.b.drag_by(self.b.one('.star-card[data-table="Island"] small'), -60, 40)
        self.b.named("↶ undo: move Island")
        # The star stands anew when its layout has come.
        self.b.until(lambda: abs(self.b.one('.star-card[data-table="Island"]').rect["x"] - before["x"] + 60) <= 4)

    def test_a_two_windows_on_one_model(self):
        model = site().model()
        self.open("link", asked(selection={"kind": "link", "name": "customer"}), model)
        self.b.reads("A filter on Customer runs to Booking")
        other = f"{model.replace('/m/', '/api/models/')}/edits"

        def theirs(edit, base):
            body = json.dumps({"edit": edit, "base": base}).encode()
            headers = {"Content-Type": "application/json", "X-Nexorem-Author": "Ula"}
            return urllib.request.urlopen(urllib.request.Request(other, body, headers)).status

        self.assertEqual(theirs({"kind": "change_link", "name": "customer", "set": {"active": False}}, 0), 200)
        self.b.until(lambda: "It carries nothing" in self.b.text(".lens"))
        self.b.named("↶ undo: switch customer off")
        # An edit made on an outdated state is refused with a choice: a window that does not hear of others makes one.
        deaf = self.b.driver.execute_cdp_cmd(
            "Page.addScriptToEvaluateOnNewDocument", {"source": "window.EventSource = class { addEventListener() {} close() {} }"}
        )
        self.addCleanup(self.b.driver.execute_cdp_cmd, "Page.removeScriptToEvaluateOnNewDocument", deaf)
        self.open("link", asked(selection={"kind": "link", "name": "customer"}), model)
        self.b.reads("It carries nothing", ".lens")
        theirs({"kind": "change_link", "name": "customer", "set": {"flow": "two-way"}}, 1)
        self.b.click("active", ".lens .segment button")
        self.b.until(lambda: self.b.named("Change the link").is_enabled())
        self.b.click("Change the link")
        self.b.reads("Meanwhile Ula changed the same thing: make customer two-way", ".said")
        self.b.click("Make mine on top")
        self.b.named("↶ undo: switch customer on")
        self.b.reads("too.", ".lens")

    def test_b_a_package_is_opened_and_a_bad_one_is_refused(self):
        with tempfile.TemporaryDirectory() as folder:
            bad, good = Path(folder) / "bad.zip", Path(folder) / "good.zip"
            bad.write_bytes(b"no package")
            good.write_bytes(urllib.request.urlopen(f"{self.model.replace('/m/', '/api/models/')}/package").read())
            self.open("gather")
            self.b.reads("18 tables, 82,129 rows")
            self.b.click("Other models, copies, packages as models of their own", "a")
            own = 'input[aria-label="Choose a package"]'
            self.b.type(own, str(bad))
            self.b.reads("bad.zip was not opened; nothing has changed", ".said")
            self.b.reads("This is not a .zip of a data package", ".said")
            self.b.type(own, str(good))
            self.b.until(lambda: "/m/" in self.b.driver.current_url)
            self.assertNotEqual(self.b.driver.current_url.split("/m/")[1].split("/")[0], self.model.rsplit("/", 1)[1])
            self.b.reads("The star of Booking")

    def test_c_rows_profiles_and_findings(self):
        self.open("shape", asked(t="Booking"))
        self.b.reads("57,900 empty", ".rows-head")
        self.b.run("document.querySelector('.rows-scroll').scrollTop = 1e9")
        self.b.reads("264211", ".rows-line")
        self.b.click("seats", ".rows-head button b")
        self.b.reads("22,126", ".lens")
        self.open("prove")
        self.b.click("Findings", ".prove-switch button b")
        self.b.click("23 rows of Booking name a key that Route does not have: R99.")
        self.b.reads("name a key that is not there", ".lens")
        # A finding of a probe opens the probe.
        self.open("prove")
        self.b.click("Findings", ".prove-switch button b")
        self.b.click("Outer seats sets Island.group, which is on the axes: it is the same along them.")
        self.b.until(lambda: "/probe" in self.b.driver.current_url)
        self.b.one(".sentence .chip")

    def test_d_find_and_keys(self):
        self.open("link")
        self.b.reads("The star of Booking")
        self.b.command("k")
        self.b.type('input[aria-label="Find"]', "measure late share", Keys.ENTER)
        self.b.reads("late share", ".bench h2")
        self.sees(lambda: "/measure" in self.b.driver.current_url)
        for key, stage in zip("123456", STAGES, strict=True):
            self.b.run("document.activeElement.blur()")
            self.b.keys(key)
            self.b.until(lambda s=stage: f"/{s}" in self.b.driver.current_url)
        self.b.keys("?")
        self.b.reads("Edits of this window are by")
        self.b.keys(Keys.ESCAPE)

    def test_e_every_stage_is_accessible_in_both_themes(self):
        for dark in (False, True):
            self.b.scheme(dark)
            for stage in STAGES:
                self.open(stage, asked(PORTS, {"kind": "cell", "measure": "share_of_ports", "at": []}) if stage == "probe" else "")
                self.b.reads(
                    {
                        "link": "The star of",
                        "probe": "Arithmetic",
                        "measure": "136,115",
                        "shape": "distinct",
                        "gather": "82,129",
                        "prove": "Findings",
                    }[stage]
                )
                self.assertEqual(self.b.violations(), [], f"{stage} {'dark' if dark else 'light'}")
                self.sees(lambda: len(self.b.all("h1")), 1)
        self.b.scheme(False)

    def test_f_the_first_load_is_small(self):
        import gzip

        dist = Path(__file__).parents[2] / "web" / "dist"
        page = (dist / "index.html").read_text()
        first = re.findall(r'(?:src|href)="/(assets/[^"]+\.(?:js|css))"', page)
        size = sum(len(gzip.compress((dist / name).read_bytes())) for name in first)
        self.assertTrue(first)
        self.assertLess(size, 200_000)


if __name__ == "__main__":
    unittest.main()
