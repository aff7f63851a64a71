"""The questions a modeler asks of a number, walked in Chromium: what is wrong is seen, explained, and put right."""

import csv
import io
import json
import unittest
import urllib.parse
import urllib.request

from tests.browser.driver import Keys
from tests.browser.site import site
from tests.browser.stage import OneBrowser

# A measure that fails where there are more than 300 seats.
TOO_LARGE = "9223372036854775507 + seats_sold - 9223372036854775507"


def value(v):
    return {"kind": "value", "value": v}


def probe(**parts):
    return {"rows": [], "columns": [], "measures": [], "picks": [], "totals": "all", **parts}


class Bench(OneBrowser):
    """A browser on a fresh model of the demo."""

    def setUp(self):
        self.address = site().model()

    def tearDown(self):
        self.assertEqual(self.b.complaints(), [])

    def open(self, stage, **named):
        query = urllib.parse.urlencode({"at": json.dumps(named)})
        self.b.open("about:blank")
        self.b.open(f"{self.address}/{stage}?{query}")

    def asked(self):
        """The open probe, as the address has it."""
        query = urllib.parse.urlparse(self.b.driver.current_url).query
        return json.loads(urllib.parse.parse_qs(query)["at"][0]).get("p")

    def until_asked(self, **parts):
        self.b.until(lambda: all(self.asked().get(k) == v for k, v in parts.items()), f"{parts} is not {self.asked()}")

    def measure(self, name):
        return next((m for m in self.api()["measures"] if m["name"] == name), None)

    def add(self, name, formula, **more):
        version = self.api()["version"]
        self.api("/edits", edit={"kind": "add_measure", "measure": {"name": name, "formula": formula, **more}}, base=version)

    def texts(self, css):
        return self.b.driver.execute_script("return [...document.querySelectorAll(arguments[0])].map((e) => e.innerText.trim())", css)

    def line(self, label):
        """The texts of a line's cells, marks left out."""
        return self.b.until(
            lambda: self.b.driver.execute_script(
                "const r = [...document.querySelectorAll('.grid tbody tr:not(.pinned)')].find((r) => r.querySelector('th')?.innerText.replace(/^[▾▸]/, '').trim().startsWith(arguments[0]));"
                "return r && [...r.querySelectorAll('td button')].map((b) => b.innerText.replace(/[↷]|empty/g, '').trim())",
                label,
            ),
            f"no line {label}",
        )

    def cell(self, label, place):
        return self.b.until(
            lambda: self.b.driver.execute_script(
                "const r = [...document.querySelectorAll('.grid tbody tr')].find((r) => r.querySelector('th')?.innerText.replace(/^[▾▸]/, '').trim().startsWith(arguments[0]));"
                "return r && [...r.querySelectorAll('td button')].at(arguments[1])",
                label,
                place,
            )
        )

    def write(self, formula):
        """A formula typed in place of the one in the editor. Brackets close themselves while one types."""
        self.b.press(lambda: self.b.one(".cm-content"))
        self.b.command("a")
        self.b.keys(Keys.DELETE)
        self.b.run("document.querySelector('.cm-content').focus()")
        self.b.driver.execute_cdp_cmd("Input.insertText", {"text": formula})

    def saved(self, words):
        def kept():
            # A first click may meet a button that waits for the formula's answer.
            if self.b.named("Save").is_enabled():
                self.b.click("Save")
            return any(t == f"↶ undo: {words}" for t in self.texts(".undo button"))

        self.b.until(kept, f"not saved as {words}")


class Walks(Bench):
    def test_a_share_that_is_100_everywhere_is_explained_and_mended(self):
        self.add("share_of_line", "seats_sold / seats_sold given (clear wide Booking)", format="0.0%")
        self.open("probe", p=probe(rows=["Community.name"], measures=["share_of_line"]))
        self.sees(lambda: self.line("Orrin Sands"), ["100.0%"])
        self.b.click("Share of line: 100 % everywhere", ".truth-mark")
        self.b.reads("it comes over a loose link, which clear wide does not follow", ".lens")
        self.b.click("Look at it in share of line")
        self.b.reads("clear into Booking", ".cm-content")
        self.b.reads("cells differ", ".live-grid")
        self.saved("change measure share_of_line")
        self.sees(lambda: self.measure("share_of_line")["formula"], "seats_sold / seats_sold given (clear into Booking)")
        self.b.run("document.activeElement.blur()")
        self.b.keys("5")
        self.b.until(lambda: self.line("Orrin Sands") != ["100.0%"])
        self.sees(lambda: bool(self.b.all(".truth-mark.whole")), False)
        self.b.reads("does away with the cell's own coordinate on Community.name", ".mark-notes")

    def test_a_sum_on_the_dimension_side_is_noticed_explained_and_rewritten(self):
        self.add("miles", "sum(Route.nautical_miles)")
        self.open("probe", p=probe(rows=["Calendar.year"], measures=["miles"], totals="grand"))
        self.sees(lambda: self.line("2031") == self.line("2032"))
        self.b.click("Miles: adds up rows of a dimension", ".truth-mark")
        self.b.reads("adds up rows of the dimension Route, each once", ".lens")
        self.b.click("Look at it in miles")
        self.b.reads("sum(Route.nautical_miles for each Booking)", ".cm-content")
        self.saved("change measure miles")
        self.b.run("document.activeElement.blur()")
        self.b.keys("5")
        self.b.until(lambda: self.line("2031") != self.line("2032"))
        want = self.api(
            "/grid",
            probe={
                "rows": ["Calendar.year"],
                "measures": ["x"],
                "define": {"x": "sum(Route.nautical_miles * Booking.seats / Booking.seats)"},
            },
        )
        self.sees(lambda: int(self.line("2031")[0].replace(",", "")), round(want["values"][0][0][0]))

    def test_last_year_and_to_date_over_an_incomplete_month(self):
        days = {"where": "Calendar.date BETWEEN DATE '2033-07-01' AND DATE '2033-07-20'"}
        self.open("probe", p=probe(measures=["seats_sold", "year_before", "year_to_date", "to_date_before"], picks=[days], totals="none"))
        self.b.until(lambda: len(self.b.all(".grid td button")) == 4)
        shown = [int(t.replace(",", "").replace("↷", "")) for t in self.texts(".grid td button")]

        def seats(a, b):
            where = [{"where": f"Calendar.date BETWEEN DATE '{a}' AND DATE '{b}'"}]
            return self.api("/grid", probe={"measures": ["seats_sold"], "picks": where})["values"][0][0][0]

        # Twenty days are held against the same twenty, not against the whole month.
        spans = [("2033-07-01", "2033-07-20"), ("2032-07-01", "2032-07-20"), ("2033-01-01", "2033-07-20"), ("2032-01-01", "2032-07-20")]
        self.assertEqual(shown, [seats(*s) for s in spans])
        self.b.press(lambda: self.b.all(".grid td button")[1])
        self.b.reads("shift Calendar by -1 year", ".lens")
        self.b.reads("Calendar date", ".lens .changes")

    def test_seats_by_refund_date_over_the_inactive_link(self):
        self.open("measure", m="", p=probe(rows=["Calendar.year"], measures=["seats_sold"]))
        self.b.type('[aria-label="Name of the new measure"]', "paid_back")
        self.write("seats_sold given (via Booking.refunded_on = Calendar.date)")
        self.b.reads("switched on", "[data-testid=reading]")
        self.saved("add measure paid_back")
        self.b.run("document.activeElement.blur()")
        self.b.keys("5")
        self.b.click("+ measure")
        self.b.type('input[aria-label="Add a measure"]', "paid back", Keys.ENTER)
        want = self.api("/grid", probe={"rows": ["Calendar.year"], "measures": ["refunded_seats"]})["values"][0]
        self.b.until(lambda: len(self.line("2032")) == 2)
        self.sees(lambda: [int(self.line(str(y))[1].replace(",", "")) for y in (2031, 2032, 2033)], [w[0] for w in want[:3]])
        self.b.press(lambda: self.cell("2032", 1))
        self.b.reads("The link refunded on is on here, sails on off", ".lens")

    def test_a_distinct_count_wrong_by_year_is_put_right_in_one_measure(self):
        self.add("vessels", "count(distinct Vessel.code)")
        self.open("probe", p=probe(rows=["Calendar.year"], measures=["vessels", "sailings"], totals="none"))
        self.sees(lambda: [self.line(str(y))[0] for y in (2031, 2032, 2033)], ["9"] * 3)
        self.b.click("not reached by Calendar", ".grid th .plain")
        way = "(count(distinct Vessel.code)) given (flow Sailing.vessel_code = Vessel.code two-way)"
        self.b.press(lambda: self.b.within(".lens section > div", way, ".//button[starts-with(text(), 'Look at it in')]"))
        self.saved("change measure vessels")
        self.b.run("document.activeElement.blur()")
        self.b.keys("5")
        self.b.until(lambda: not self.b.all(".grid td.hatched"))
        want = self.api("/grid", probe={"rows": ["Calendar.year"], "measures": ["vessels_used"]})["values"][0]
        self.sees(lambda: [self.line(str(y))[0] for y in (2031, 2032, 2033)], [str(w[0]) for w in want[:3]])
        self.assertFalse(any(k["flow"] == "two-way" and k["name"] == "vessel" for k in self.api()["links"]))

    def test_bands_at_three_sizes(self):
        saved = next(p for p in self.api()["probes"] if p["name"] == "Prices in three sizes of band")
        self.open("probe", p=saved)
        whole = self.line("All")
        sizes = [int(self.line(s)[0].replace(",", "")) for s in ("fine", "medium", "coarse")]
        self.assertTrue(max(sizes) <= int(whole[0].replace(",", "")) < sum(sizes))
        self.sees(lambda: bool(self.b.all(".parts")))
        self.b.reads("count on several of its lines", ".mark-notes")
        self.b.click("Fold fine", ".fold")
        self.b.until(lambda: "10 to 20" not in self.texts(".grid tbody th"))
        self.b.click("Unfold fine", ".fold")
        self.b.reads("10 to 20", ".grid tbody")

    def test_a_filter_carried_between_tables_without_a_link(self):
        self.open("measure", m="seats_sold", p=probe(rows=["Agent.district"], measures=["seats_sold"]))
        self.b.click("7 more")
        self.b.click("carry a filter over")
        self.b.reads("match Agent.district to Island.group", ".cm-content")
        self.saved("add measure seats_sold_carried")
        want = self.api("/grid", probe={"rows": ["Island.group"], "measures": ["seats_sold"]})
        by_group = {x[0].get("value"): v[0] for x, v in zip(want["rows"]["lines"], want["values"][0], strict=True)}
        self.b.run("document.activeElement.blur()")
        self.b.keys("5")
        self.b.click("+ measure")
        self.b.type('input[aria-label="Add a measure"]', "carried", Keys.ENTER)
        self.b.until(lambda: len(self.line("Near Isles")) == 2)
        for group in ("Near Isles", "Middle Holms"):
            self.sees(lambda g=group: int(self.line(g)[1].replace(",", "")), by_group[group])
        self.b.press(lambda: self.cell("Near Isles", 1))
        self.b.reads("Filters on Agent run to Island here, as over a loose link", ".lens")

    def test_a_chain_of_subtotals_against_a_pasted_table(self):
        saved = next(p for p in self.api()["probes"] if p["name"] == "Chain of subtotals")
        self.open("probe", p=saved)
        self.b.reads("2032", ".grid tbody")
        origin = self.address.split("/m/")[0]
        self.b.click("take out ▾")
        text = urllib.request.urlopen(self.b.named("CSV", "a").get_attribute("href")).read().decode()
        self.b.keys(Keys.ESCAPE)
        pasted = {(r["Calendar.year"], r["Calendar.quarter"]): r for r in csv.DictReader(io.StringIO(text))}
        # Added up by hand from the ledger's own rows.
        raw = self.api("/grid", probe={"rows": ["Calendar.quarter"], "columns": ["Account.line"], "measures": ["result"]})
        lines = [m[0]["value"] for m in raw["columns"]["lines"]]
        for place, member in enumerate(raw["rows"]["lines"]):
            quarter = member[0]["value"]
            amounts = dict(zip(lines, raw["values"][0][place], strict=True))
            row = next(r for (_, q), r in pasted.items() if q == quarter)
            self.assertAlmostEqual(float(row["income"]), amounts["income"], 2)
            self.assertAlmostEqual(float(row["margin"]), amounts["income"] + amounts["operating cost"], 2)
            self.assertAlmostEqual(float(row["result"]), sum(amounts.values()), 2)
        self.assertEqual(
            urllib.request.urlopen(f"{origin}/api/models/{self.address.split('/m/')[1]}/probes/Chain%20of%20subtotals.csv").read().decode(),
            text,
        )
        # The same table, as a spreadsheet has it, held against the grid; then with one wrong amount in it.
        names = ["income", "operating_cost", "margin", "margin_share", "margin_share_change", "result"]
        rows = [
            [y.replace("(total)", "All"), q.replace("(total)", "All"), *(f"{float(r[n]):.4f}" if r[n] else "" for n in names)]
            for (y, q), r in pasted.items()
        ]
        self.b.click("take out ▾")
        self.b.click("Hold a pasted table against it", "button")
        area = self.b.one('textarea[aria-label="Paste a table"]')
        self.b.press(lambda: area)
        self.b.driver.execute_cdp_cmd("Input.insertText", {"text": "\n".join("\t".join(r) for r in rows)})
        self.b.reads(f"all {len(rows) * 6} cells agree", "[data-testid=held]")
        wrong = next(r for r in rows if r[1] == "2032 Q2")
        wrong[4] = f"{float(wrong[4]) + 0.01:.4f}"
        self.b.command("a")
        self.b.driver.execute_cdp_cmd("Input.insertText", {"text": "\n".join("\t".join(r) for r in rows)})
        self.b.reads(f"1 of {len(rows) * 6} cells differ", "[data-testid=held]")
        self.b.run("document.querySelector('.pasted-told .plain').click()")
        self.b.reads("Margin, 2032, 2032 Q2", ".lens h2")
        self.b.click("Close", ".pasted button")
        self.b.press(lambda: self.cell("2032", 3))
        self.b.reads("Margin share", ".lens h2")
        for name in ("Margin is", "Income is", "Operating cost is"):
            self.b.reads(name, ".steps")


if __name__ == "__main__":
    unittest.main()
