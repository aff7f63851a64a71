"""Tables left where they are, through the server: every probe of the demo is the same, and what goes wrong there is said."""

import contextlib
import threading
import unittest
from unittest import mock

import psycopg

from nexorem.core.diagnostics import OverLimit
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.server.app import create_app
from nexorem.work import counting, staying
from nexorem.work.actor import COMMAND_LINE
from nexorem.work.background import Run
from nexorem.work.scheduling import load_again
from tests.server.warehouse import DEMO, Warehouse
from tests.store.cluster import fresh_url
from tests.waiting import until

LEFT = ("Booking", "Sailing", "Port", "Ledger")
PROBE = {"rows": ["Port.name"], "columns": [], "measures": ["seats_sold", "bookings"], "picks": [], "totals": "all"}


class Staying(unittest.TestCase):
    maxDiff = 3000

    def setUp(self):
        self.app = create_app(fresh_url())
        self.workspace = self.app.extensions["nexorem"]
        self.id = self.workspace.open(COMMAND_LINE, DEMO)
        self.there = Warehouse(*LEFT)
        self.call("PUT", "connections", **self.there.access())

    def call(self, method, address="", wrong=False, **body):
        answer = self.app.test_client().open(f"/api/models/{self.id}/{address}".rstrip("/"), method=method, json=body or None)
        self.assertEqual(answer.status_code != 200, wrong, answer.text[:800])
        return answer.json

    def model(self):
        return self.call("GET")

    def leave(self, *names, wrong=False, **more):
        left = [{"schema": "line", "name": n.lower(), "table": n, **more} for n in names]
        return self.call("POST", "connections/leave", wrong, name="Warehouse", tables=left, base=self.model()["version"])

    def grid(self, probe=PROBE):
        return self.call("POST", "grid", probe={k: v for k, v in probe.items() if k != "look"})

    def said(self, answer):
        return answer["errors"][0]["message"]

    def test_every_probe_is_the_same_wherever_its_tables_are(self):
        probes = self.model()["probes"]
        before = [self.grid(p) for p in probes]
        for names in (("Booking",), LEFT):
            self.leave(*(n for n in names if not self.table(n)["stays"]))
            told = set()
            for probe, was in zip(probes, before, strict=True):
                now = self.grid(probe)
                with self.subTest(probe["name"], stay=names):
                    for part in ("rows", "columns", "left_out", "conditions", "unmatched"):
                        self.assertEqual(now[part], was[part])
                    for mine, theirs in zip(now["values"], was["values"], strict=True):
                        for a, b in zip(mine, theirs, strict=True):
                            for x, y in zip(a, b, strict=True):
                                self.assertEqual(x, y) if not isinstance(x, float) else self.assertAlmostEqual(x, y, places=6)
                told |= set(now["said"])
            self.assertIn("stay" if len(names) > 1 else "stays in Warehouse: asked there", " ".join(told))

    def table(self, name):
        return next(t for t in self.model()["tables"] if t["name"] == name)

    def test_a_cell_is_explained_and_proven_there(self):
        at = [{"column": "Port.name", "member": {"kind": "value", "value": "Brannock"}}]
        asked = {"probe": PROBE, "measure": "seats_sold", "at": at}
        before = self.call("POST", "trace", **asked)
        self.leave(*LEFT)
        now = self.call("POST", "trace", **asked)
        self.assertEqual(now["value"], before["value"])
        (mine,), (theirs,) = ([n for n in walk(x["tree"]) if n["kind"] == "aggregate"] for x in (now, before))
        for part in ("filters", "flows", "tables", "blocked", "unreached"):
            self.assertEqual(mine[part], theirs[part])
        page = {"start": 2, "count": 3, "by": "Booking.seats", "descending": True}
        mine, theirs = mine["arithmetic"], theirs["arithmetic"]
        self.assertEqual(*({k: v for k, v in x.items() if k not in ("rows", "values")} for x in (mine, theirs)))
        rows = self.call("POST", "trace/rows", **asked, path=before["tree"]["children"][0]["path"], **page)
        self.assertEqual((len(rows["rows"]), rows["total"], rows["grain"]), (3, mine["rows_used"], "Booking"))
        # As SQL, asked there; how it goes about it; and the same as with its rows taken in.
        sql = self.call("POST", "sql", probe=PROBE)
        self.assertEqual((sql["place"], sql["dialect"]), ("Warehouse", "postgresql"))
        self.assertIn("line.booking", sql["text"])
        self.assertIn("rows that are sent along", sql["text"])
        self.assertIn("Scan on booking", self.call("POST", "sql/plan", probe=PROBE)["text"])
        proof = self.call("POST", "sql/prove", probe=PROBE)["proof"]
        self.assertEqual((proof["state"], proof["different"], proof["by"]), ("proven", 0, "Warehouse"))

    @contextlib.contextmanager
    def held_up(self, doing):
        """Does something in a thread while the database holds up whoever reads bookings; entered when it is asked."""
        failed = []

        def run():
            try:
                doing()
            except OverLimit as over:
                failed.append(over.diagnostics[0].code)

        with psycopg.connect(self.there.url) as connection:
            connection.execute("LOCK TABLE line.booking IN ACCESS EXCLUSIVE MODE")
            thread = threading.Thread(target=run)
            thread.start()
            active = "SELECT 1 FROM pg_locks l JOIN pg_class c ON c.oid = l.relation WHERE c.relname = 'booking' AND NOT l.granted"
            with psycopg.connect(self.there.url, autocommit=True) as looking:
                until(lambda: looking.execute(active).fetchone())
                yield failed
                until(lambda: not looking.execute(active).fetchone())
            thread.join(120)
            self.assertFalse(thread.is_alive())

    def test_columns_of_a_very_large_table_are_counted_in_the_background(self):
        self.leave("Booking")
        facts = ("distinct", "empty", "smallest", "largest", "unique", "rough")

        def profiled():
            told = self.call("GET", "tables/Booking/profiles")
            return [{f: p[f] for f in facts} for p in told["profiles"]], told["counting"]

        exact, _ = profiled()
        self.call("POST", "tables/look", tables=["Booking"], base=self.model()["version"])
        with mock.patch.object(staying, "MOST_PROFILED", 1_000):
            rough, how_far = profiled()
            self.assertEqual(({p["rough"] for p in rough}, how_far["running"]), ({True}, False))
            self.assertTrue(self.call("POST", "tables/Booking/count")["running"])
            with self.held_up(lambda: counting.run(self.workspace, self.id, ["Booking"])):
                (asked,) = self.call("GET", "connections/asked")["statements"]
                self.assertEqual((asked["connection"], asked["total"]), ("Warehouse", 0))
                self.call("POST", "tasks/stop", kind="counts")
            self.assertEqual((profiled()[0], profiled()[1]["words"]), (rough, "stopped"))
            counting.run(self.workspace, self.id, ["Booking"])
            counted, how_far = profiled()
            self.assertEqual((counted, how_far["done"]), (exact, len(exact)))
            counting.run(self.workspace, self.id, ["Booking"])
            self.assertEqual(profiled()[1]["total"], 0)
        self.assertIn("are here", self.said(self.call("POST", "tables/Port/count", True)))

    def test_nobody_is_asked_on_for_a_caller_that_has_gone(self):
        self.leave("Booking")
        _, star = self.workspace.star(self.id)
        budget = self.workspace.budget()
        with self.held_up(lambda: answer(star, probe_of(star, PROBE), budget)) as failed:
            budget.cancel()
        self.assertEqual(failed, ["limit_cancelled"])

    def test_checks_lists_and_profiles_of_tables_that_stay(self):
        Run(self.workspace, self.id, False, lambda: None, self.workspace.budget).all()
        before = {c["name"]: (c["state"], c["sentence"]) for c in self.call("GET", "checks")["checks"]}
        profile = {p["column"]: p for p in self.call("GET", "tables/Booking/profiles")["profiles"]}
        members = self.call("POST", "members", column="Booking.fare_class", picks=[])["members"]
        self.leave("Booking", "Port")
        Run(self.workspace, self.id, False, lambda: None, self.workspace.budget).all()
        after = {c["name"]: (c["state"], c["sentence"]) for c in self.call("GET", "checks")["checks"]}
        self.assertEqual({n: x[0] for n, x in after.items()}, {n: x[0] for n, x in before.items()})
        self.assertGreater(sum(state == "holds" for state, _ in after.values()), 20)
        for p in self.call("GET", "tables/Booking/profiles")["profiles"]:
            was = profile[p["column"]]
            exact = ("rows", "distinct", "empty", "smallest", "largest", "unique")
            self.assertEqual({k: p[k] for k in exact}, {k: was[k] for k in exact})
            self.assertGreater(p["sample"], 10_000)
        self.assertEqual(self.call("POST", "members", column="Booking.fare_class", picks=[])["members"], members)
        rows = self.call("GET", "tables/Booking/rows?start=5&count=4")
        self.assertEqual((rows["size"], len(rows["rows"]), rows["columns"][0]), (60_212, 4, "number"))
        self.assertGreater(len(self.call("GET", "suggestions")["suggestions"]), 0)

    def test_there_and_back(self):
        before = self.grid()["values"]
        self.leave("Booking")
        # Another name for a column is another name there, too.
        rename = {"kind": "rename", "what": "column", "name": "Booking.seats", "to": "places"}
        self.call("POST", "edits", edit=rename, base=self.model()["version"])
        self.assertEqual(self.grid()["values"], before)
        self.call("POST", "tables/take_in", table="Booking", base=self.model()["version"])
        self.assertFalse(self.table("Booking")["stays"])
        self.assertEqual(self.grid()["values"], before)
        for expected in (3, 2, 1):
            self.call("POST", "undo", expected=expected)
        self.assertEqual((self.table("Booking")["stays"], self.grid()["values"]), (False, before))

    def test_what_changes_there_is_noticed(self):
        self.leave("Booking")
        before = self.grid()
        self.assertIn("nothing has changed", load_again(self.workspace, self.id, "Booking"))
        self.there.run("INSERT INTO line.booking SELECT * FROM line.booking WHERE number = (SELECT min(number) FROM line.booking)")
        self.there.run("UPDATE line.booking SET route_code = 'nowhere' WHERE number < 204100")
        self.there.run("SELECT pg_sleep(1.1)")  # as long as a database may keep its counts to itself
        now = self.grid()
        self.assertNotEqual(now["values"], before["values"])
        self.assertIn("changed there since", " ".join(now["said"]))
        self.assertEqual(load_again(self.workspace, self.id, "Booking"), "looked again at 1 table")
        self.assertNotIn("changed there since", " ".join(self.grid()["said"]))
        self.assertEqual(self.table("Booking")["rows"], 60_213)

    def test_what_goes_wrong_there_is_said_and_other_tables_go_on(self):
        ledger = {"rows": ["Account.class"], "columns": [], "measures": ["result"], "picks": [], "totals": "all"}
        self.leave("Booking")
        for harm, words, mend in (
            ("ALTER TABLE line.booking RENAME COLUMN seats TO places", "seats", "ALTER TABLE line.booking RENAME COLUMN places TO seats"),
            ("ALTER TABLE line.booking RENAME TO gone", "booking", "ALTER TABLE line.gone RENAME TO booking"),
            ("ALTER TABLE line.booking ALTER seats TYPE text", "", "ALTER TABLE line.booking ALTER seats TYPE bigint USING seats::bigint"),
        ):
            self.there.run(harm)
            self.workspace.ways(self.id).forget()
            with self.subTest(harm):
                said = self.call("POST", "grid", True, probe=PROBE)
                self.assertIn("Warehouse", self.said(said))
                self.assertIn(words, self.said(said))
                self.grid(ledger)
            self.there.run(mend)
        self.assertGreater(len(self.grid()["rows"]["lines"]), 3)
        # A database that lets nobody in: the model opens all the same, also anew.
        self.there.open(False)
        self.workspace.memory.forget(self.id)
        self.workspace._ways.clear()
        self.assertIn("Warehouse", self.said(self.call("POST", "grid", True, probe=PROBE)))
        self.assertTrue(self.table("Booking")["stays"])
        self.grid(ledger)
        self.there.open(True)
        self.grid()
        # A connection that is forgotten, and one that keeps no password.
        self.assertEqual(self.leave("Sailing", name="nothing", wrong=True)["errors"][0]["code"], "no_table")
        self.call("PUT", "connections", **{**self.there.access("Desk"), "keep_password": False})
        left = [{"schema": "line", "name": "port"}]
        refused = self.call("POST", "connections/leave", True, name="Desk", tables=left, base=self.model()["version"])
        self.assertEqual(refused["errors"][0]["code"], "no_password")
        # What needs the rows here says so.
        steps = [{"kind": "trim", "columns": ["route_code"]}]
        edit = {"kind": "shape_table", "name": "Booking", "steps": steps}
        self.assertIn("stay", self.said(self.call("POST", "edits", True, edit=edit, base=self.model()["version"])))

    def test_keys_that_repeat_and_orphans_are_proven_there(self):
        self.there.run("INSERT INTO line.port SELECT * FROM line.port WHERE code = (SELECT min(code) FROM line.port)")
        self.leave("Booking", "Port")
        findings = self.call("GET", "analysis")["findings"]
        about = {f["about"]: f["sentence"] for f in findings if f["code"] in ("repeated_key", "orphans")}
        self.assertTrue(any("is not unique" in x for x in about.values()), about)
        self.assertTrue(any("Booking" in x and "does not have" in x for x in about.values()), about)


def walk(node):
    yield node
    for child in node["children"]:
        yield from walk(child)


if __name__ == "__main__":
    unittest.main()
