"""The commands, as a person at a terminal meets them."""

import contextlib
import csv
import io
import json
import os
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock
from xml.etree import ElementTree

import psycopg

from nexorem.cli import common
from nexorem.core.model.edits import apply
from nexorem.core.model.model import Measure
from nexorem.export.ddl import ddl
from nexorem.package.write import write_package
from nexorem.store import cluster
from tests.cli.forked import run
from tests.core.small import STAR, keeping
from tests.store.cluster import fresh_url

ROOT = Path(__file__).parents[2]
ENVIRONMENT = {**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}", "PYTHONUNBUFFERED": "1"}
COMMAND = [sys.executable, "-m", "nexorem.cli.main"]


DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"


class Commands(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)
        cls.package = Path(cls.folder.name) / "small.zip"
        write_package(STAR, cls.package)

    def lines(self, *arguments):
        status, out, err = run("query", self.package, *arguments)
        self.assertEqual((status, [x for x in err.splitlines() if not x.startswith("nexorem: ")]), (0, []))  # notes alone
        return [json.loads(line) for line in out.splitlines()]

    def test_query(self):
        self.assertEqual(self.lines("--measures", "seats"), [{"seats": 63}])
        cells = self.lines(
            "--rows", "Port.region", "--measures", "seats,x", "--define", "x = seats given (clear Port)", "--totals", "grand"
        )
        self.assertEqual(cells[0], {"Port.region": "North", "seats": 5, "x": 63})
        self.assertEqual(cells[-1], {"seats": 63, "x": 63})
        self.assertEqual([c["Port.region"] for c in cells[:-1]], ["North", "South", None, "(unmatched)"])
        self.assertEqual(self.lines("--measures", "seats", "--pick", "Port.region=(empty)|(unmatched)"), [{"seats": 56}])
        self.assertEqual(self.lines("--measures", "seats", "--where", "Cal.day = DATE '2031-01-02'"), [{"seats": 18}])

    def test_sql(self):
        asked = ("sql", self.package, "--rows", "Port.region", "--measures", "seats,x", "--define", "x = seats given (clear Port)")
        status, out, err = run(*asked)
        self.assertEqual((status, err), (0, ""))
        self.assertIn('FROM "Booking" AS booking', out)
        self.assertIn("FROM `Booking` AS booking", run(*asked, "--dialect", "spark")[1])
        self.assertIn('FROM lines."Booking"', run(*asked, "--schema", "lines")[1])
        self.assertIn("port_lines AS (", run("explain", self.package, "--measure", "seats", "--rows", "Port.region")[1])
        views = run("export", self.package, "--as", "views", "--by", "Port.region", "--measures", "seats")[1]
        self.assertIn('CREATE VIEW "seats" AS', views)
        for wrong in (("--prove", "--dialect", "spark"), ("--run", "postgresql://127.0.0.1:1/x"), ("--run", "x", "--dialect", "spark")):
            status, out, err = run(*asked, *wrong)
            self.assertEqual((status, out, len(err.splitlines())), (2, "", 1), err)
        self.assertEqual(run("export", self.package, "--as", "ddl", "--by", "Port.region")[0], 2)

    def test_as_somebody_sees_it(self):
        rules = {"name": "own", "rules": ["Port.region = person('name')"]}
        package = Path(self.folder.name) / "ruled.zip"
        write_package(keeping(STAR, clearances=[rules]), package)
        by = ("--rows", "Port.region", "--measures", "seats,x", "--define", "x = seats given (clear all)")
        as_north = ("--clearance", "own", "--person", "name=North")
        self.assertEqual(json.loads(run("query", package, *by, *as_north)[1]), {"Port.region": "North", "seats": 5, "x": 5})
        self.assertIn("region = 'North'", run("sql", package, *by, *as_north)[1])
        views = ("export", package, "--as", "views", "--by", "Port.region")
        self.assertIn("region = 'North'", run(*views, *as_north)[1])
        self.assertNotIn("region = 'North'", run(*views)[1])
        self.assertIn("= 5", run("trace", package, "--measure", "seats", *as_north)[1].splitlines()[0])
        for wrong, code in (
            (("--clearance", "owm"), "no_clearance"),
            (("--clearance", "own"), "no_person"),
            (("--person", "name=North"), "bad_option"),
            ((*as_north, "--person", "age=7"), "bad_option"),
        ):
            status, out, err = run("query", package, "--measures", "seats", *wrong, "--json")
            self.assertEqual((status, out, json.loads(err)["errors"][0]["code"]), (2, "", code))

    def test_sql_answered_and_proven_elsewhere(self):
        url = fresh_url()
        with psycopg.connect(url.replace("+psycopg", ""), autocommit=True) as connection:
            connection.execute(ddl(STAR))
            connection.execute("INSERT INTO \"Booking\" (no, port, seats) VALUES (1, 'a', 7), (2, 'zz', 8)")
            connection.execute("INSERT INTO \"Port\" (code, name, region) VALUES ('a', 'Alder', 'North')")
        status, out, err = run("sql", self.package, "--rows", "Port.region", "--measures", "seats", "--run", url.replace("+psycopg", ""))
        self.assertEqual((status, err), (0, ""))
        self.assertEqual(
            [json.loads(x) for x in out.splitlines()], [{"Port.region": "North", "seats": 7}, {"Port.region": "(unmatched)", "seats": 8}]
        )

    def test_proofs(self):
        with tempfile.TemporaryDirectory() as folder:
            Path(folder).chmod(0o755)
            store = cluster.start(Path(folder) / "store", fast_and_unsafe=True)
            try:
                self.prove_in(folder, store.url().replace("+psycopg", ""))
            finally:
                cluster.stop(store)

    def prove_in(self, folder, url):
        asked = ("sql", self.package, "--prove", "--store", folder, "--rows", "Port.region", "--measures", "seats")
        status, out, err = run(*asked)
        self.assertEqual((status, err), (0, ""))
        self.assertIn("PostgreSQL has the same in all 4 cells.", out)
        self.assertEqual([p["state"] for p in json.loads(run(*asked, "--json")[1])["proofs"]], ["proven"])
        with psycopg.connect(url, autocommit=True) as connection:
            for (name,) in connection.execute("SELECT name FROM nexorem_proof.held").fetchall():
                connection.execute(f"TRUNCATE nexorem_proof.{name}")
        status, out, err = run(*asked)
        self.assertEqual(status, 1)
        self.assertIn("✗ the probe: ", out)

    def test_marks_and_picks_of_no_member_are_told(self):
        asked = (
            "query",
            self.package,
            "--measures",
            "x",
            "--define",
            "x = seats given (clear Port)",
            "--rows",
            "Port.region",
            "--pick",
            "Port.name=Alder|Oslo",
        )
        status, out, errors = run(*asked)
        self.assertEqual((status, len(out.splitlines())), (0, 1))
        self.assertIn("nexorem: Port.name has no member Oslo, which is picked.", errors)
        self.assertIn("does away with the cell's own coordinate on Port.region", errors)
        status, out, errors = run(*asked, "--marks")
        kinds = [json.loads(line).get("mark") for line in out.splitlines()]
        self.assertEqual((kinds[0], kinds[1]), (None, "overridden"))
        self.assertNotIn("does away", errors)

    def test_formats_and_a_probe_file(self):
        file = Path(self.folder.name) / "probe.json"
        file.write_text(json.dumps({"rows": ["Port.region"], "measures": ["seats"], "totals": "grand"}))
        status, out, _ = run("query", self.package, "--probe", file, "--format", "csv", "--sort", "seats:desc")
        self.assertEqual(status, 0)
        self.assertEqual(
            list(csv.reader(io.StringIO(out)))[1:],
            [["(empty)", "32"], ["(unmatched)", "24"], ["North", "5"], ["South", "2"], ["(total)", "63"]],
        )
        _, out, _ = run("query", self.package, "--probe", file, "--format", "json")
        self.assertEqual(json.loads(out)[-1], {"seats": 63})

    def test_trace(self):
        status, out, _ = run("trace", self.package, "--measure", "share", "--at", "Port.region=North", "--pick", "Cal.week=1", "--json")
        told = json.loads(out)
        self.assertEqual((status, told["coordinates"], told["picks"]), (0, {"Port.region": "North"}, [{"column": "Cal.week", "in": [1]}]))
        self.assertAlmostEqual(told["value"], 1 / 27)
        _, out, _ = run("trace", self.package, "--measure", "seats", "--at", "Cal.year=2031")
        self.assertIn("over day, Cal to Booking: 7 › 6 rows", out)
        for formula, at, sentence in (
            ("avg(Booking.fare)", "Port.region=North", "rows of Booking, of which"),
            ("seats given (keep Port.region = 'North')", "Cal.year=2031", "it leaves 1 of 4 rows of Port"),
            (
                "the(Port.region)",
                "Booking.no=1",
                "different values are visible: there is no single one. The filter on Booking does not run up",
            ),
        ):
            _, out, _ = run("trace", self.package, "--measure", "x", "--define", f"x = {formula}", "--at", at)
            self.assertIn(sentence, out)

    def test_explain_and_export(self):
        _, out, _ = run("explain", self.package, "--define", "x = sum(Booking.seats * Port.depth)")
        self.assertIn("sum over Booking, looking up Port by port : integer", out)
        self.assertIn("v0 = scan Booking in c0", out)
        target = Path(self.folder.name) / "again.zip"
        self.assertEqual(run("export", self.package, "--out", target)[0], 0)
        self.assertEqual(target.read_bytes(), self.package.read_bytes())
        self.assertEqual(run("export", self.package, "--out", target)[0], 2)

    def test_suggest_and_documents(self):
        self.assertIn("suggest no link", run("suggest", self.package)[1])
        bare = Path(self.folder.name) / "bare.zip"
        write_package(STAR.with_model(replace(STAR.model, links=())), bare)
        _, out, _ = run("suggest", bare, "--json")
        found = {s["text"]: s["evidence"]["matched"] for s in json.loads(out)["suggestions"]}
        self.assertEqual(found["Booking.port = Port.code"], 5)
        self.assertIn("Booking.port = Port.code (many-to-one): 5 of 7 rows match", run("suggest", bare)[1])
        for kind, more, words in (
            ("ddl", (), "FOREIGN KEY"),
            ("dictionary", (), "### seats"),
            ("matrix-svg", (), "Who filters whom"),
            ("star-svg", ("--fact", "Crew", "--beside", "Booking"), "The star of Crew beside Booking"),
        ):
            target = Path(self.folder.name) / kind
            self.assertIn(f"Wrote the {kind}", run("export", self.package, "--as", kind, *more, "--out", target)[1])
            self.assertIn(words, target.read_text())
        self.assertEqual(run("export", self.package, "--as", "ddl")[1], (Path(self.folder.name) / "ddl").read_text())
        self.assertEqual(run("export", self.package, "--as", "ddl", "--out", Path(self.folder.name) / "ddl")[0], 2)
        for arguments, words in (
            (("--as", "star-svg", "--fact", "Bookin"), "Did you mean Booking?"),
            (("--as", "ddl", "--fact", "Booking"), "bad_option"),
            ((), "no_target"),
        ):
            status, _, errors = run("export", self.package, *arguments)
            self.assertEqual((status, words in errors), (2, True), errors)

    def test_gather(self):
        folder = Path(self.folder.name)
        raw = sorted((DEMO / "raw").iterdir())
        status, out, _ = run("gather", *raw, "--steps", DEMO / "steps.json", "--out", folder / "isles", "--json")
        self.assertEqual(status, 0)
        for path in (p for p in DEMO.rglob("*") if p.is_file() and "raw" not in p.parts and p.name != "steps.json"):
            self.assertEqual((folder / "isles" / path.relative_to(DEMO)).read_bytes(), path.read_bytes(), path)
        told = {t["name"]: t for t in json.loads(out)["tables"]}
        self.assertEqual((told["Fare"]["rows_read"], told["Fare"]["rows"], told["Fare"]["steps"]), (152, 228, 4))
        self.assertEqual([c["type"] for c in told["Booking"]["columns"]][:4], ["integer", "date", "date", "date"])
        (folder / "x.csv").write_text("a;b\n1,5;x\n2;y\n")
        (folder / "bad.csv").write_text("a,b\n1,2\n1,2,3\n")
        (folder / "steps.json").write_text(
            '{"tables": [{"name": "X", "source": {"kind": "csv", "file": "x.csv"}, "steps": [{"kind": "trim", "columns": ["zz"]}]}]}'
        )
        self.assertIn("X: 2 rows, 2 columns", run("gather", folder / "x.csv", "--out", folder / "p1")[1])
        (folder / "na.csv").write_text("a,b\n1,NA\nNA,2031-1-5\n")
        self.assertIn("2 columns are numbers or dates but for NA (2 values)", run("gather", folder / "na.csv", "--out", folder / "p3")[1])
        told = json.loads(run("gather", folder / "na.csv", "--missing", "NA", "--out", folder / "p4", "--json")[1])["tables"][0]
        self.assertEqual(([c["type"] for c in told["columns"]], told["notes"]), (["integer", "date"], []))
        recipe = {
            "tables": [
                {"name": "X", "source": {"kind": "csv", "file": "x.csv"}, "key": ["b"], "steps": [{"kind": "fill_down", "columns": ["b"]}]}
            ],
            "measures": [{"name": "m", "formula": "sum(X.nope)"}],
        }
        (folder / "broken.json").write_text(json.dumps(recipe))
        (folder / "x.csv").write_text("a;b\n1,5;x\n2;\n")
        status, _, errors = run("gather", folder / "x.csv", "--steps", folder / "broken.json", "--out", folder / "p5")
        self.assertEqual(status, 0)
        self.assertIn("m cannot be computed: X has no column nope.", errors)
        self.assertIn("X.b is declared to be the key of X: 2 rows share it with another.", errors)
        (folder / "early.json").write_text(
            json.dumps(
                {
                    "tables": [
                        {
                            "name": "X",
                            "source": {"kind": "csv", "file": "gone.csv"},
                            "steps": [{"kind": "trim", "columns": []}, {"kind": "append", "tables": ["Y"]}],
                        }
                    ]
                }
            )
        )
        errors = run("gather", folder / "x.csv", "--steps", folder / "early.json", "--out", folder / "p6")[2]
        self.assertIn("columns is empty: name at least one", errors)
        self.assertIn("The table Y does not exist.", errors)
        self.assertNotIn("gone.csv", errors)  # what the file itself says is looked at before others are
        for arguments, words in (
            ((folder / "x.csv", "--out", folder / "p1"), "p1 already exists"),
            ((folder / "bad.csv", "--out", folder / "p2"), "row 3 has 3 fields, not 2"),
            ((folder / "gone.csv", "--out", folder / "p2"), "is neither a file"),
            ((folder / "x.csv", "--steps", folder / "steps.json", "--out", folder / "p2"), "The column zz does not exist here"),
            ((folder / "x.csv", "--steps", folder / "x.csv", "--out", folder / "p2"), "is not JSON"),
            ((folder / "steps.json", "--out", folder / "p2"), "no kind that can be read"),
        ):
            status, _, errors = run("gather", *arguments)
            self.assertEqual((status, (folder / "p2").exists()), (2, False))
            self.assertIn(words, errors)
            self.assertNotIn("Traceback", errors)

    def test_explain_as_json(self):
        formula = "seats / seats given (clear Port)"
        _, out, _ = run("explain", self.package, "--define", f"x = {formula}", "--rows", "Port.name", "--pick", "Cal.week=1", "--json")
        told = json.loads(out)
        self.assertEqual((told["diagnostics"], told["grain"]), ([], ["Booking"]))
        self.assertIn("with the filters on Port cleared", told["reading"])
        self.assertEqual({x["column"]: x["kind"] for x in told["ledger"]}, {"Cal.week": "kept", "Port.name": "cleared"})
        self.assertTrue(any("scan Booking" in s["step"] and s["rows"] == 7 for s in told["plan"]))
        status, out, err = run("explain", self.package, "--define", "x = sum(Booking.seat)", "--json")
        self.assertEqual((status, json.loads(out)["diagnostics"]), (2, json.loads(err)["errors"]))

    def test_reach_and_lint(self):
        _, out, _ = run("reach", self.package, "--given", "flow Booking.port = Port.code off", "--json")
        found = {(p["from"], p["to"]): p for p in json.loads(out)["pairs"]}
        self.assertEqual(found["Port", "Booking"]["stops"], [{"link": "port", "to": "Booking", "reason": "off"}])
        self.assertEqual(found["Cal", "Booking"]["path"], ["day"])
        self.assertIn("Port filters Booking over port", run("reach", self.package)[1])
        self.assertEqual(run("reach", self.package, "--given", "flow Booking.prt = Port.code off")[0], 2)
        status, out, _ = run("lint", self.package, "--json")
        self.assertEqual(status, 1)
        self.assertLessEqual({"orphans", "empty_table"}, {f["code"] for f in json.loads(out)["findings"]})
        self.assertIn("orphans (warning)", run("lint", self.package)[1])

    def test_coverage_reports_and_comparisons(self):
        probe = {"name": "By region", "rows": ["Port.region"], "measures": ["seats", "trips"]}
        first, second = Path(self.folder.name) / "first", Path(self.folder.name) / "second.zip"
        listed = {"columns": ["Port.region", "seats"], "rows": [["North", 5]]}
        check = {"name": "North <b>", "description": "d", "probe": "By region", "must": {"table": listed}}
        write_package(keeping(STAR, checks=[check], probes=[probe]), first)
        status, out, _ = run("check", first, "--coverage", "--json")
        told = json.loads(out)
        states = {(c["about"], c["how"]): c["verdict"]["state"] for c in told["changes"] if c["how"]}
        self.assertEqual((status, states["link port", "off"], states["link day", "off"]), (1, "noticed", "equivalent"))
        self.assertEqual(told["noticed"], sum(c["verdict"]["state"] == "noticed" for c in told["changes"]))
        self.assertIn("not noticed: link port, loosened", run("check", first, "--coverage")[1])
        self.assertEqual(run("check", first, "--coverage", "--only", "North <b>")[0], 2)
        report = run("export", first, "--as", "report")[1]
        self.assertTrue(report.startswith("<!doctype html>"))
        for words in ("North &lt;b&gt;", "1 of 1 check hold", "sum(Booking.seats)", "<svg"):
            self.assertIn(words, report)
        self.assertNotIn("<script", report)
        self.assertEqual(run("compare", first, first)[:2], (0, "They are the same, and so are their numbers.\n"))
        model = apply(keeping(STAR, checks=[check], probes=[probe]).model, {"kind": "remove_link", "name": "port"})[0]
        write_package(STAR.with_model(model), second)
        status, out, _ = run("compare", first, second)
        for words in ("The link port is gone.", "Port no longer filters Booking", "check North <b>: ", "North: seats is 63; in "):
            self.assertIn(words, out)
        told = json.loads(run("compare", first, second, "--json")[1])
        self.assertEqual((status, {m["about"] for m in told["looked"]}), (1, {"probe By region"}))
        self.assertEqual(run("compare", first, "nowhere")[0], 2)

    def test_check(self):
        probe = {"rows": ["Port.region"], "measures": ["seats", "trips"]}
        checks = [
            {"name": "Seats", "folder": "Daily", "probe": probe, "must": {"hold": "seats >= trips"}},
            {"name": "More seats", "probe": probe, "must": {"hold": "seats > trips"}},
            {"name": "As counted", "probe": probe, "must": {"file": "checks/seats.csv"}},
            {"name": "Gone", "probe": probe, "must": {"file": "checks/gone.csv"}},
            {"name": "Outside", "probe": probe, "must": {"file": "../seats.csv"}},
            {"name": "Served", "probe": probe, "must": {"as_in": "latest"}},
            {"name": "Known", "probe": probe, "must": {"hold": "seats < 0"}, "silenced": {"until": "9999-12-31", "reason": "known"}},
        ]
        folder = Path(self.folder.name) / "checked"
        write_package(keeping(STAR, checks=checks), folder)
        (folder / "checks").mkdir()
        (folder / "checks" / "seats.csv").write_text("Port.region,seats\nNorth,5\nSouth,2\n")
        report = Path(self.folder.name) / "checks.xml"
        status, out, errors = run("check", folder, "--json", "--junit", report)
        self.assertEqual((status, errors), (1, ""))
        told = {c["name"]: c for c in json.loads(out)["checks"]}
        states = {name: c["state"] for name, c in told.items()}
        wanted = {"Seats": "holds", "More seats": "fails", "As counted": "holds", "Gone": "cannot", "Outside": "cannot"}
        self.assertEqual(states, wanted | {"Served": "cannot", "Known": "fails"})
        self.assertEqual(told["More seats"]["failures"][0]["at"], {"Port.region": "South"})
        self.assertEqual([told[n]["problems"][0]["code"] for n in ("Gone", "Outside")], ["missing_file", "path_outside"])
        suite = ElementTree.parse(report).getroot()
        self.assertEqual([suite.get(x) for x in ("tests", "failures", "errors", "skipped")], ["7", "1", "2", "2"])
        self.assertIn("South: seats > trips is not true.", suite.find("testcase[@name='More seats']/failure").text)
        status, out, _ = run("check", folder, "--only", "daily", "--only", "as counted")
        self.assertEqual((status, out.splitlines()[-1]), (0, "2 of 2 checks hold."))
        status, out, _ = run("check", folder, "--only", "Known", "--only", "Served")
        self.assertEqual((status, "(silenced until 9999-12-31: known)" in out, "(it is run by a server alone)" in out), (0, True, True))
        self.assertIn("More seats: It fails in 1 of 4 cells. South: seats > trips is not true.", run("check", folder)[1])
        self.assertEqual(run("check", self.package)[:2], (0, "The model has no checks.\n"))
        status, _, errors = run("check", folder, "--only", "Seat")
        self.assertEqual((status, "Did you mean Seats?" in errors), (2, True), errors)

    def test_trace_goes_into_a_row(self):
        arguments = ("trace", self.package, "--measure", "x", "--define", "x = max(seats for each Port.region)")
        told = json.loads(run(*arguments, "--json")[1])
        node = told["tree"]["children"][0]
        self.assertEqual(
            [(r["cells"], r["value"]) for r in node["iteration"]["rows"]],
            [(["North"], 5), (["South"], 2), ([None], 32), (["(unmatched)"], 24)],
        )
        told = json.loads(run(*arguments, "--into", f"{node['path']}:2", "--json")[1])
        self.assertEqual((told["within"][0]["row"]["value"], told["tree"]["children"][0]["value"]), (32, 32))
        self.assertEqual(run(*arguments, "--into", "0.0:99")[0], 2)

    def test_limits_and_formats(self):
        for option, number, code in (
            ("--max-nodes", 1, "limit_formula_nodes"),
            ("--max-characters", 3, "limit_formula_characters"),
            ("--max-levels", 1, "limit_formula_levels"),
            ("--max-seconds", 1e-9, "limit_seconds"),
        ):
            status, _, err = run("query", self.package, "--measures", "x", "--define", "x = ((seats + 1)) * 2", option, number)
            self.assertEqual(status, 2, option)
            self.assertIn(code, err)
        package = Path(self.folder.name) / "formatted.zip"
        measures = (*STAR.model.measures, Measure("money", "sum(Booking.fare)", format="#,##0.00;(#,##0.00)"))
        write_package(STAR.with_model(replace(STAR.model, measures=measures)), package)
        out = run("query", package, "--measures", "money,less", "--define", "less = 0 - money * 100", "--formatted")[1]
        self.assertEqual(json.loads(out), {"money": "44.50", "less": "-4,450.00"})
        bad = Path(self.folder.name) / "bad.zip"
        write_package(STAR.with_model(replace(STAR.model, measures=(Measure("m", "1", format="abc"),))), bad)
        self.assertIn("bad_format", run("query", bad, "--measures", "m")[2])

    def test_errors(self):
        for arguments, words in (
            (("query", "nowhere", "--measures", "x"), "missing_package"),
            (("query", self.package), "no_measure"),
            (("query", self.package, "--measures", "nope"), "unknown_measure"),
            (("query", self.package, "--measures", "x", "--define", "x = sum(Booking.seat)"), "Did you mean seats?"),
            (("query", self.package, "--measures", "seats", "--pick", "q"), "bad_pick"),
            (("trace", self.package, "--measure", "seats", "--at", "Cal.day=soon"), "bad_value"),
            (("query", self.package, "--measures", "seats", "--rows", "Booking.no,Cal.day", "--limit", "3"), "limit_probe_cells"),
        ):
            status, out, err = run(*arguments)
            self.assertEqual((status, out), (2, ""), arguments)
            self.assertIn(words, err)
            self.assertNotIn("Traceback", err)
            self.assertEqual(len(err.splitlines()), 1, err)
        status, _, err = run("query", self.package, "--measures", "x", "--define", "x = sum(Booking.seat)", "--json")
        error = json.loads(err)["errors"][0]
        self.assertEqual((status, error["in"], error["start"], error["end"], error["text"]), (2, "x", 4, 16, "Booking.seat"))
        self.assertEqual(run("query", self.package, "--measures", "x", "--define", "x = 9223372036854775807 * trips")[0], 1)
        for name in ("query", "trace", "explain", "export", "import", "reach", "lint", "suggest", "bench", "serve", "demo"):
            self.assertEqual(run(name, "--help")[0], 0)

    def test_a_fault_of_its_own_is_told_without_a_traceback(self):
        def broken(**_):
            raise IndexError("index 1 is out of bounds")

        err = io.StringIO()
        with mock.patch.dict(os.environ, {"NEXOREM_DEBUG": ""}), contextlib.redirect_stderr(err), self.assertRaises(SystemExit) as caught:
            common.reporting(broken)()
        self.assertEqual(caught.exception.code, 70)
        self.assertRegex(err.getvalue(), r"^nexorem: .*Nexorem itself failed: IndexError in test_cli.py, line \d+\.")
        self.assertEqual(len(err.getvalue().splitlines()), 1)

    def test_neither_server_nor_database_is_imported(self):
        code = "import sys, nexorem.cli.query; print([m for m in sys.modules if m.split('.')[0] in ('flask', 'sqlalchemy', 'psycopg')])"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, env=ENVIRONMENT, check=True)
        self.assertEqual(done.stdout.strip(), "[]")


if __name__ == "__main__":
    unittest.main()
