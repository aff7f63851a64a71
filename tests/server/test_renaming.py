"""A thing under another name: every formula, link, step, hierarchy, probe and folio says it, every number stays, one edit undoes it."""

import json
import random
import unittest
from pathlib import Path

from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.language.former import presented
from nexorem.core.limits import Budget
from nexorem.core.model.model import model_json
from nexorem.core.model.names import reference_text
from nexorem.core.model.specs import ProbeSpec, read_spec, spec_json
from nexorem.server.app import create_app
from nexorem.store import models
from tests.core.small import STAR
from tests.plain import findings
from tests.server.test_edit_forms import FOLIO, PROBE
from tests.server.test_server import package_files, zipped
from tests.store.cluster import fresh_url

ROOT = Path(__file__).parents[2]
NAMES = ["Buchung", "two words", "select", "a/b", 'a "quoted" one', "with.dot", "Ürün", "x1", "rows", "Per  cent %"]


class Renaming(unittest.TestCase):
    def setUp(self):
        app = create_app(fresh_url())
        self.workspace, self.client = app.extensions["nexorem"], app.test_client()
        self.addCleanup(self.workspace.engine.dispose)

    def open(self, files):
        self.id = self.client.post("/api/models", data=files).json["id"]

    def edit(self, change):
        return self.client.post(f"/api/models/{self.id}/edits", json={"edit": change, "base": 10**6})

    def rename(self, what, name, to):
        return self.edit({"kind": "rename", "what": what, "name": name, "to": to})

    def stored(self):
        return model_json(models.load(self.workspace.engine, self.id).model)

    def probes(self):
        """Every probe, and those written into folios."""
        _, star = self.workspace.star(self.id)
        return [*star.model.probes, *(p for f in star.model.folios for p in f.own_probes())]

    def numbers(self, asked=None):
        """Every number of these probes, or of all, in order; and findings of what cannot be answered."""
        _, star = self.workspace.star(self.id)
        told = []
        asked = self.probes() if asked is None else asked
        for probe in asked:
            grid = answer(star, read_probe(star, probe), Budget())
            told.append([[grid.value(m, i, 0) for i in range(len(grid.rows.lines))] for m in range(len(grid.values))])
        return json.dumps(told), [f["code"] for f in findings(star) if f["code"].startswith("broken")]

    def things(self, r, star):
        """Something to rename."""
        model = star.model
        kind = r.choice(["table", "column", "column", "link", "hierarchy", "probe", "folio", "measure"])
        if kind == "column":
            table = r.choice([t for t in model.tables if not t.formula])
            return kind, reference_text(table.name, r.choice(table.columns).name)
        listed = {
            "table": [t.name for t in model.tables],
            "link": [k.name for k in model.links],
            "measure": [m.name for m in model.measures],
            "hierarchy": [h.name for h in model.hierarchies],
            "probe": [p.name for p in model.probes],
            "folio": [f.name for f in model.folios],
        }[kind]
        return kind, r.choice(listed)

    def go_on(self, seed, rounds):
        """Renames one thing after the other; what is made can be undone to the very same model."""
        r, made = random.Random(seed), 0
        before = self.numbers()
        given = self.probes()
        states = [self.stored()]
        for _ in range(rounds):
            _, star = self.workspace.star(self.id)
            kind, name = self.things(r, star)
            to = r.choice(NAMES) + r.choice(["", "2", "3"])
            preview = (
                self.client.post(f"/api/models/{self.id}/rename", json={"what": kind, "name": name, "to": to})
                if kind != "measure"
                else None
            )
            done = self.rename(kind, name, to) if kind != "measure" else self.edit({"kind": "rename_measure", "name": name, "to": to})
            if preview is not None:
                self.assertEqual(preview.status_code, done.status_code, (kind, name, to, done.data[:300]))
            if done.status_code != 200:
                self.assertIn(
                    done.json["errors"][0]["code"],
                    ("repeated_name", "name_in_use", "bad_name", "appended_column", "same_name"),
                    (kind, name, to, done.json["errors"]),
                )
                continue
            made += 1
            self.assertEqual(self.numbers(), before, (kind, name, to))
            states.append(self.stored())
        self.assertEqual(
            self.numbers([read_spec(ProbeSpec, presented(self.workspace.star(self.id)[1].model, spec_json(p))) for p in given])[0],
            before[0],
        )
        for state in reversed(states[:-1]):
            number = models.load(self.workspace.engine, self.id).undo["number"]
            undone = self.client.post(f"/api/models/{self.id}/undo", json={"expected": number})
            self.assertEqual(undone.status_code, 200, undone.data)
            self.assertEqual(self.stored(), state)
        return made

    def test_the_demo_under_other_names(self):
        self.open(
            zipped(
                {
                    str(p.relative_to(ROOT / "demo" / "lantern_isles")): p.read_bytes()
                    for p in (ROOT / "demo" / "lantern_isles").rglob("*")
                    if p.is_file() and "raw" not in p.parts
                }
            )
        )
        self.assertGreater(self.go_on(20310501, 25), 15)

    def test_a_small_model_with_everything_under_other_names(self):
        self.open(zipped(package_files(STAR)))
        for change in (
            {"kind": "put_probe", "probe": PROBE | {"limit": 10_000}},
            {"kind": "put_folio", "folio": FOLIO | {"picks": [*FOLIO["picks"], {"where": "Cal.year = 2031"}]}},
            {"kind": "put_hierarchy", "hierarchy": {"name": "where", "levels": ["Port.region", "Port.name"]}},
            {"kind": "put_column", "name": "Port", "column": {"name": "twice", "formula": "depth * 2 /* depth */ + Port.depth"}},
            {"kind": "make_table", "table": {"name": "Busy", "formula": "Port where Port.depth > 4 and Port.twice > 0 and seats > 0"}},
            {
                "kind": "make_table",
                "table": {
                    "name": "Days",
                    "origin": {"kind": "calendar", "dates": ["Booking.day"], "start": "2031-01-01", "columns": ["date", "year"]},
                },
            },
            {
                "kind": "shape_table",
                "name": "Crew",
                "steps": [
                    {"kind": "look_up", "table": "Port", "on": [{"mine": "port", "theirs": "code"}], "columns": {"depth": "deep"}},
                    {"kind": "rename", "names": {"deep": "deeper"}},
                ],
            },
            {
                "kind": "add_measure",
                "measure": {
                    "name": "odd",
                    "home": "Port",
                    "formula": "-- Port and Booking.day\nrank(seats among page Port.name) + rows(Port where depth > 1 or Port.depth > 1) given (via Booking.refunded = Cal.day, clear Port, set (Port.name, Port.region) in every (Port.name, Port.region))".replace(
                        "depth > 1 or ", ""
                    ),
                },
            },
            {"kind": "add_measure", "measure": {"name": "named", "formula": 'seats given (via link "refund", flow link "crew" off)'}},
        ):
            self.assertEqual(self.edit(change).status_code, 200, change)
        made = sum(self.go_on(seed, 25) for seed in range(4))
        self.assertGreater(made, 60)

    def test_former_names_are_remembered_and_taken_names_refused(self):
        self.open(zipped(package_files(STAR)))
        self.edit({"kind": "put_probe", "probe": {"name": "p/q", "rows": ["Port.name"], "measures": ["seats"]}})
        self.assertEqual(self.client.get(f"/api/models/{self.id}/probes/p%2Fq.csv").status_code, 200)
        for what, name, to in (
            ("probe", "p/q", "new"),
            ("table", "Port", "Harbour/2"),
            ("column", "Harbour/2.name", "called"),
            ("link", "port", "harbour"),
        ):
            self.assertEqual(self.rename(what, name, to).status_code, 200)
        self.assertEqual(
            self.client.get(f"/api/models/{self.id}/probes/p%2Fq.csv").data, self.client.get(f"/api/models/{self.id}/probes/new.csv").data
        )
        self.assertEqual(self.client.get(f"/api/models/{self.id}/tables/Harbour%2F2/rows").json["columns"][1], "called")
        loads = self.client.get(f"/api/models/{self.id}/loads").json["loads"]
        self.assertIn("Harbour/2", [x["table"] for x in loads])
        told = self.client.post(f"/api/models/{self.id}/rename", json={"what": "column", "name": "Booking.seats", "to": "places"}).json
        self.assertIn(
            {"kind": "measure", "owner": "seats", "before": "sum(Booking.seats)", "after": "sum(Booking.places)"}, told["touched"]
        )
        for what, name, to, code in (
            ("table", "Booking", "harbour/2", "repeated_name"),
            ("column", "Booking.no", "SEATS", "repeated_name"),
            ("table", "Nope", "x", "unknown_table"),
            ("column", "Booking.nope", "x", "unknown_column"),
            ("link", "port", "x", "unknown_link"),
            ("table", "Booking", " ", "bad_edit"),
            ("probe", "none", "x", "unknown_probe"),
        ):
            with self.subTest(what, name=name):
                answer = self.rename(what, name, to)
                self.assertEqual((answer.status_code, answer.json["errors"][0]["code"]), (422, code))


if __name__ == "__main__":
    unittest.main()
