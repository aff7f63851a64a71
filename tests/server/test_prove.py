"""Prove over HTTP: checks run in the background after every edit, what broke them is found, and what nobody would notice."""

import random
import unittest
import unittest.mock

from nexorem.core.checks.run import run_check
from nexorem.core.limits import Budget
from nexorem.core.values import vector
from nexorem.gather.frame import Frame
from nexorem.package.write import package_files
from nexorem.server.app import create_app, in_background
from nexorem.store import rows
from nexorem.work import loading
from nexorem.work.actor import COMMAND_LINE
from nexorem.work.blaming import StoredPast
from nexorem.work.checking import Checker, check_of
from nexorem.work.connecting import put_connection
from tests.checks.test_checks import SEATS, Beside, table
from tests.core.small import STAR, keeping
from tests.server.test_server import zipped
from tests.store.cluster import fresh_url
from tests.waiting import until

OFF = {"kind": "change_link", "name": "port", "set": {"active": False}}
NORTH = {"name": "North", "folder": "Ports", "guards": ["loads"], "probe": SEATS, "must": table(("North", 5))}
FETCHED = (
    "/probes/By region.csv",
    "/probes/By region.xlsx",
    "/probes/By region.parquet",
    "/package",
    "/report",
    "/document?kind=ddl",
    "/model",
)
CHECKS = [
    NORTH,
    {"name": "trips", "probe": SEATS, "must": {"hold": "trips >= 1"}},
    {"name": "wrong", "probe": SEATS, "must": table(("North", 6))},
    {"name": "broken", "probe": SEATS, "must": {"hold": "nope > 1"}},
    {"name": "gone file", "probe": SEATS, "must": {"file": "gone.csv"}},
    {"name": "outside", "probe": SEATS, "must": {"file": "../key"}},
    {"name": "gone database", "probe": SEATS, "must": {"query": {"connection": "x", "sql": "SELECT 1"}}},
    {"name": "no release", "probe": SEATS, "must": {"as_in": "1"}},
    {"name": "fresh", "table": "Booking", "must": {"fresh": {"days": 1, "rows_within": 0.5}}},
]


def nodes(node):
    """A trace's node and all below it."""
    return [node, *(n for child in node["children"] for n in nodes(child))]


class Proving(unittest.TestCase):
    def setUp(self):
        self.app = create_app(fresh_url())
        self.workspace = self.app.extensions["nexorem"]
        self.client = self.app.test_client()
        self.addCleanup(self.workspace.engine.dispose)
        background = in_background(self.app)
        self.addCleanup(background.stop)
        star = keeping(STAR, checks=CHECKS, probes=[SEATS | {"name": "By region"}])
        self.model = self.client.post("/api/models", data=zipped(package_files(star))).json["id"]

    def ask(self, rest, status=200, **body):
        path = f"/api/models/{self.model}{rest}"
        answer = self.client.post(path, json=body) if body or status is None else self.client.get(path)
        self.assertEqual(answer.status_code, status or 200, answer.get_data(as_text=True)[:500])
        return answer.json

    def edit(self, *edits):
        for change in edits:
            self.ask("/edits", edit=change, base=self.ask("")["version"])

    def settled(self):
        """How the checks stand, once those of the present version are known."""

        def known():
            answer = self.ask("/checks")
            return (
                not answer["running"]
                and answer["version"] == self.ask("")["version"]
                and not any(c["old"] for c in answer["checks"])
                and answer
            )

        return {c["name"]: c for c in until(known)["checks"]}

    def states(self):
        return {name: c["state"] for name, c in self.settled().items()}

    def test_checks_run_after_every_edit_and_the_history_tells_what_moved(self):
        first = self.settled()
        cannot = {"broken", "gone file", "outside", "gone database", "no release"}
        self.assertEqual({n for n, c in first.items() if c["state"] == "cannot"}, cannot)
        self.assertEqual((first["wrong"]["state"], first["North"]["state"], first["fresh"]["state"]), ("fails", "holds", "holds"))
        self.assertIn("port", first["North"]["links"])
        self.assertEqual(first["wrong"]["at"], {"measure": "seats", "at": {"Port.region": "North"}})
        self.edit(OFF)
        then = self.settled()
        self.assertEqual((then["North"]["state"], then["trips"]["state"]), ("fails", "holds"))
        (newest,) = self.ask("/history")["edits"]
        self.assertEqual(newest["moved"], [{"name": "North", "before": "holds", "after": "fails"}])
        told = self.ask("/history/1", probe=None)["checks"]
        self.assertEqual([(m["name"], m["before"], m["after"], m["guards"]) for m in told], [("North", "holds", "fails", ["loads"])])
        self.assertEqual(
            self.ask("/trial", edits=[{**OFF, "set": {"active": True}}], probe=None)["comparison"]["checks"][0]["after"], "holds"
        )
        self.ask("/undo", expected=1)
        self.assertEqual(self.settled()["North"]["state"], "holds")

    def test_what_was_computed_is_not_computed_again(self):
        self.settled()
        kept = [c for c in CHECKS if c["name"] in ("North", "trips", "wrong")]
        ran = []
        checker = Checker(self.workspace, self.model, self.workspace.star(self.model)[1].model)
        of = Budget.__init__
        try:
            Budget.__init__ = lambda self, *a, **k: (ran.append(1), of(self, *a, **k))[1]
            for check in kept:
                self.assertTrue(checker.of(self.workspace.star(self.model)[1], check_of(checker.outside.model, check["name"])).digest)
        finally:
            Budget.__init__ = of
        self.assertEqual(ran, [])

    def test_what_broke_a_check_is_found_and_taken_back_alone(self):
        more = {"kind": "add_measure", "measure": {"name": "more", "formula": "seats + 1"}}
        self.edit(
            more, OFF, {"kind": "put_probe", "probe": SEATS | {"name": "later"}}, {**more, "measure": {"name": "most", "formula": "2"}}
        )
        self.assertEqual(self.settled()["North"]["state"], "fails")
        blamed = self.ask("/checks/blame", name="North")
        self.assertEqual((blamed["edit"]["number"], blamed["held_at"], blamed["undo"]["kind"]), (2, 1, "together"))
        cell = {"probe": SEATS, "measure": "seats", "at": [{"column": "Port.region", "member": {"kind": "value", "value": "North"}}]}
        moved = self.ask("/cell/blame", **cell)
        self.assertEqual([(m["edit"]["number"], m["before"], m["after"]) for m in moved["moves"]], [(2, 5, 63)])
        then = self.ask("/cell/then", **cell, number=1)
        self.assertEqual((then["then"], then["now"]), (5, 63))
        self.assertTrue(any("port" in s["what"] for s in then["steps"]), then["steps"])
        self.ask("/undo_alone", number=2, base=self.ask("")["version"])
        self.assertEqual((self.settled()["North"]["state"], len(self.ask("")["measures"])), ("holds", len(STAR.model.measures) + 2))
        self.ask("/undo_alone", status=422, number=2, base=self.ask("")["version"])  # the edit that took it back touches the same
        self.ask("/checks/blame", status=422, name="North")
        self.assertEqual(self.ask("/checks/blame", name="wrong")["edit"], None)

    def test_coverage_goes_on_where_it_was_stopped(self):
        self.settled()
        self.ask("/coverage/run", status=None)
        done = until(lambda: (c := self.ask("/coverage")) and not c["running"] and c["changes"] and c)
        self.assertEqual((len(done["changes"]), done["old"]), (done["total"], False))
        off = next(c for c in done["changes"] if (c["about"], c["how"]) == ("link port", "off"))
        self.assertEqual((off["verdict"]["state"], off["verdict"]["by"]), ("noticed", "North"))
        self.edit({"kind": "remove_check", "name": "North"})
        self.assertTrue(self.ask("/coverage")["old"])
        self.ask("/coverage/run", status=None)
        bare = until(lambda: (c := self.ask("/coverage")) and not c["running"] and not c["old"] and c)
        off = next(c for c in bare["changes"] if (c["about"], c["how"]) == ("link port", "off"))
        self.assertEqual(off["verdict"]["state"], "unnoticed")
        self.edit({"kind": "put_check", "check": off["verdict"]["closes"]["check"]})
        self.assertEqual(self.settled()[off["verdict"]["closes"]["check"]["name"]]["state"], "holds")

    def test_a_release_gives_the_same_bytes_for_ever(self):
        self.settled()
        preview = self.ask("/releases/preview")
        self.assertEqual((preview["number"], preview["stops"], preview["changes"]), (1, [], []))
        self.ask("/releases", name="First", notes="As it was.\nTwice.", base=self.ask("")["version"])
        fetched = {rest: self.fetch(f"/releases/1{rest}") for rest in FETCHED}
        self.assertEqual(
            fetched["/probes/By region.csv"], b"Port.region,seats,trips\nNorth,5,2\nSouth,2,2\n(empty),32,1\n(unmatched),24,2\n"
        )
        self.assertEqual(self.fetch("/releases/latest/probes/By region.csv"), fetched["/probes/By region.csv"])
        self.assertIn(b"as it was.", fetched["/report"].lower())
        self.edit(
            OFF,
            {"kind": "change_measure", "name": "trips", "set": {"formula": "rows(Booking) * 10"}},
            {"kind": "remove_check", "name": "wrong"},
        )
        self.ask("/undo", expected=3)
        self.edit({"kind": "put_probe", "probe": {**SEATS, "name": "By region", "measures": ["trips"]}})
        self.reload()
        again = create_app(self.workspace.engine.url.render_as_string(False), data=self.workspace.data)
        self.addCleanup(again.extensions["nexorem"].engine.dispose)
        for client in (self.client, again.test_client()):
            self.assertEqual({rest: self.fetch(f"/releases/1{rest}", client) for rest in FETCHED}, fetched)
        seen = self.ask("/grid", probe=SEATS, release=1)["values"]
        self.assertEqual((seen[0], self.ask("/grid", probe=SEATS)["values"][0]), ([[5], [2], [32], [24]], [[63]] * 4))
        self.assertEqual(self.ask("/releases/1/beside", probe=SEATS)["grid"]["differs"] > 0, True)

    def test_a_release_is_seen_under_the_names_of_now(self):
        self.settled()
        self.ask("/releases", name="First", notes="", base=self.ask("")["version"])
        at = [{"column": "Port.region", "member": {"kind": "value", "value": "North"}}]
        before = [self.ask("/trace", probe=SEATS, measure="seats", at=at)["value"], self.ask("/grid", probe=SEATS)["values"]]
        self.edit(
            {"kind": "rename_measure", "name": "seats", "to": "places"},
            {"kind": "rename", "what": "column", "name": "Port.region", "to": "part"},
            {"kind": "rename", "what": "table", "name": "Port", "to": "Harbour"},
        )
        probe = {"rows": ["Harbour.part"], "measures": ["places", "trips"]}
        now = {"probe": probe, "measure": "places", "at": [{**at[0], "column": "Harbour.part"}]}
        self.assertEqual(self.ask("/grid", probe=probe, release=1)["values"], before[1])
        traced = self.ask("/trace", **now, release=1)
        self.assertEqual(traced["value"], before[0])
        self.assertEqual(self.ask("/trace", probe=probe, measure="seats", at=at, release=1)["value"], before[0])  # as that grid names them
        path = next(n["path"] for n in nodes(traced["tree"]) if n["kind"] == "aggregate")
        self.assertEqual(self.ask("/trace/rows", **now, release=1, path=path)["total"], 2)
        for then in ({"release": 1}, {"number": 0}):
            beside = self.ask("/cell/then", **now, **then)
            self.assertEqual((beside["then"], beside["now"]), (before[0], before[0]))
        self.assertEqual(self.ask("/cell/blame", **now)["moves"], [])

    def reload(self):
        """Other rows in the place of those that the release stands on, which are let go of where nothing needs them."""
        model = self.workspace.star(self.model)[1].model
        frame = self.workspace.base(model.table("Booking"))
        with self.workspace.engine.begin() as connection:
            load = rows.save_load(connection, self.model, "Booking", Frame(frame.size, frame.columns))
        change = {"kind": "change_table", "name": "Booking", "set": {"load": load}}
        self.workspace.edit(COMMAND_LINE, self.model, change, self.ask("")["version"])
        with self.workspace.engine.begin() as connection:
            rows.forget_old(connection, self.model, ["Booking"], 0)
            kept = {x["id"] for x in rows.loads_of(connection, self.model, ["Booking"])}
        self.assertEqual(kept, {load, model.table("Booking").load})

    def fetch(self, rest, client=None):
        answer = (client or self.client).get(f"/api/models/{self.model}{rest}")
        self.assertEqual(answer.status_code, 200, answer.get_data()[:300])
        return answer.get_data()

    def test_a_release_is_stopped_by_what_guards_it_and_tells_what_changed(self):
        self.edit({"kind": "put_check", "check": {**NORTH, "guards": ["releases"]}})
        base = self.ask("")["version"]
        self.ask("/releases", name="One", base=base)
        self.ask("/releases", status=409, name="Late", base=base - 1)
        formula = "rows(Booking) + 1"
        self.edit(OFF, {"kind": "change_measure", "name": "trips", "set": {"formula": formula}})
        preview = self.ask("/releases/preview")
        self.assertEqual(preview["stops"], ["North"])
        words = {c["name"]: c for c in preview["changes"]}
        self.assertEqual(words["trips"]["after"], formula)
        self.assertIn("active no, before yes", words["port"]["words"])
        moved = {m["about"]: m for m in preview["moved"]}
        self.assertEqual(moved["check North"]["widest"][0]["expected"], 2)  # South had 2 and has 63: the widest move
        refused = self.ask("/releases", status=422, base=self.ask("")["version"])
        self.assertIn("guards releases", refused["errors"][0]["message"])
        self.ask("/releases", base=self.ask("")["version"], reason="The port is asked.")
        listed = self.ask("/releases")["releases"]
        self.assertEqual([(r["number"], r["name"], r["reason"]) for r in listed], [(2, "Release 2", "The port is asked."), (1, "One", "")])
        compared = self.ask("/releases/1/compare/2")
        self.assertEqual({c["name"] for c in compared["changes"]}, {"port", "trips"})
        self.assertEqual([p["from"] for p in compared["reach"]["no_longer"]][:1], ["Port"])
        self.assertTrue({m["about"] for m in compared["looked"]} >= {"probe By region"})
        self.ask("/releases/One/bring_back", base=self.ask("")["version"])
        self.assertEqual(self.settled()["North"]["state"], "holds")
        self.assertEqual((self.ask("/releases/1/compare/draft")["changes"], len(self.ask("/releases")["releases"])), ([], 2))
        self.ask("/releases/1/bring_back", status=422, base=self.ask("")["version"])
        self.ask("/undo", expected=self.ask("")["edits"])
        self.assertEqual(self.settled()["North"]["state"], "fails")
        self.edit({"kind": "put_check", "check": {"name": "as in", "probe": SEATS, "must": {"as_in": "latest"}}})
        self.assertEqual(self.settled()["as in"]["state"], "holds")
        self.edit({"kind": "put_check", "check": {"name": "as in", "probe": SEATS, "must": {"as_in": "One"}}})
        self.assertEqual(self.settled()["as in"]["state"], "fails")

    def test_sql_of_an_author_reads_and_nothing_else(self):
        url = self.workspace.engine.url
        access = {"host": url.host, "port": url.port, "database": url.database, "user": url.username, "password": url.password}
        put_connection(self.workspace, COMMAND_LINE, self.model, "here", access, True)
        told = {}
        for name, sql in (
            ("holds", "SELECT 'North' AS \"Port.region\", 5 AS seats"),
            ("differs", "SELECT 'North' AS \"Port.region\", 6.5::numeric AS seats"),
            ("writes", "DELETE FROM task RETURNING 'North', 5"),
            ("two", "SELECT 1; SELECT 2"),
            ("fails", "SELECT nope"),
            ("never ends", "SELECT pg_sleep(60)"),
        ):
            must = {"query": {"connection": "here", "sql": sql}}
            with unittest.mock.patch("nexorem.work.outside.QUERY_SECONDS", 0.3):
                told[name] = self.ask("/checks/try", check={"name": name, "probe": SEATS, "must": must})["outcome"]
        states = {name: o["state"] for name, o in told.items()}
        wanted = {"holds": "holds", "differs": "fails", "writes": "cannot", "two": "cannot", "fails": "cannot", "never ends": "cannot"}
        self.assertEqual(states, wanted, told)
        self.assertIn("statement timeout", told["never ends"]["sentence"])

    def test_a_load_is_held_by_what_guards_it(self):
        self.settled()
        frame = self.workspace.base(self.workspace.star(self.model)[1].model.table("Booking"))
        fewer = frame.with_columns({"seats": vector("integer", [1] * frame.size)})
        told = loading.compared(self.workspace, self.model, {"Booking": fewer}, {"Booking": {}}, [])
        self.assertEqual({m.name: m.after for m in told["checks"]}["North"], "fails")
        self.assertEqual([(b["code"], b["in"]) for b in told["breaks"]], [("check_fails", "check North")])
        self.edit({"kind": "put_check", "check": {**NORTH, "silenced": {"until": "9999-12-31", "reason": "known"}}})
        self.assertEqual(loading.compared(self.workspace, self.model, {"Booking": fewer}, {"Booking": {}}, [])["breaks"], [])

    def test_what_a_removal_would_end_is_said_before(self):
        self.settled()
        told = self.ask("/consequences", edit={"kind": "remove_measure", "name": "trips"})["checks"]
        self.assertEqual({(c["name"], c["after"]) for c in told}, {(n, "cannot") for n in ("North", "trips", "wrong")})

    def test_blame_is_what_trying_every_edit_finds(self):
        for seed in range(6):
            r = random.Random(seed)
            self.edit(*(self.some(r) for _ in range(12)))
            _, star = self.workspace.star(self.model)
            past = StoredPast(self.workspace, self.model)
            for name in ("North", "trips"):
                tried = [
                    run_check(past.star(n), check_of(star.model, name), Budget(), Beside()).state == "holds" for n in range(past.newest + 1)
                ]
                if not tried[-1]:
                    found = self.ask("/checks/blame", name=name)
                    since = next((n for n in range(past.newest, 0, -1) if tried[n - 1]), None)
                    self.assertEqual(found["edit"] and found["edit"]["number"], since, (seed, name, tried))

    def some(self, r):
        """An edit that may break or mend a check, or touch nothing."""
        return r.choice(
            [
                {"kind": "change_link", "name": "port", "set": {"active": r.random() < 0.5}},
                {"kind": "change_measure", "name": "seats", "set": {"formula": r.choice(["sum(Booking.seats)", "max(Booking.seats)"])}},
                {"kind": "change_measure", "name": "trips", "set": {"formula": r.choice(["rows(Booking)", "0"])}},
                {"kind": "change_measure", "name": "share", "set": {"description": str(r.random())}},
                {"kind": "put_probe", "probe": SEATS | {"name": f"p{r.random()}"}},
            ]
        )
