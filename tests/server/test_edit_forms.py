"""No edit may break a model: mutated edits of every kind are refused with their place, or the model opens, goes out, comes back and undoes."""

import copy
import json
import os
import random
import tempfile
import unittest
from pathlib import Path

from sqlalchemy import update

from nexorem.core.model.edits import KINDS
from nexorem.core.model.model import model_json
from nexorem.package.edit_forms import REQUESTED
from nexorem.package.read import open_package
from nexorem.server.app import create_app
from nexorem.store import models, tables
from tests.core.small import STAR
from tests.server.test_server import package_files, zipped
from tests.store.cluster import fresh_url

PROBE = {
    "name": "by region",
    "description": "d",
    "rows": ["Port.region"],
    "columns": ["Cal.year"],
    "measures": ["seats", "own"],
    "define": {"own": "seats * 2"},
    "picks": [{"column": "Port.name", "in": ["Alder", None, {"unmatched": True}]}, {"where": "Cal.year = 2031"}],
    "totals": "all",
    "empty_lines": False,
    "sort": [{"by": "seats", "desc": True, "at": {"Cal.year": 2031}}],
    "top": {"count": 3, "by": "seats", "asc": False},
    "limit": 1000,
    "look": {"picture": "bars", "shade": ["seats"], "formats": {"seats": "0"}, "folded": [], "pinned": []},
}
FOLIO = {
    "name": "board",
    "description": "",
    "picks": [{"column": "Port.region", "in": ["North"]}],
    "tiles": [
        {"kind": "number", "title": "t", "probe": {"measures": ["seats"]}, "against": "trips", "width": 1, "height": 2},
        {"kind": "probe", "probe": "by region", "without": ["Port.region"]},
        {"kind": "text", "text": "words"},
    ],
}
LINK = {
    "name": "tagged",
    "from": "Tag.port",
    "to": "Port.code",
    "cardinality": "many-to-many",
    "flow": "one-way",
    "active": False,
    "firm": False,
    "description": "d",
}
MEASURE = {
    "name": "more",
    "formula": "seats + 1",
    "home": "Booking",
    "format": "#,##0",
    "description": "d",
    "folder": "f",
    "trial": True,
    "variant_of": "seats",
}
STEPS = [{"kind": "trim", "columns": ["name"]}, {"kind": "keep_rows", "condition": "depth > 1", "off": True}]
BEFORE = [
    {"kind": "put_probe", "probe": PROBE},
    {"kind": "put_folio", "folio": FOLIO},
    {"kind": "put_hierarchy", "hierarchy": {"name": "where", "levels": ["Port.region", "Port.name"]}},
    {"kind": "make_table", "table": {"name": "Busy", "formula": "Port where Port.depth > 4"}},
    {"kind": "put_column", "name": "Port", "column": {"name": "twice", "formula": "depth * 2"}},
    {
        "kind": "make_table",
        "table": {
            "name": "Days",
            "origin": {"kind": "calendar", "dates": ["Booking.day"], "start": "2031-01-01", "columns": ["date", "year"]},
        },
    },
    {"kind": "add_measure", "measure": {"name": "trial1", "formula": "sum(Booking.seats) * 3", "trial": True, "variant_of": "seats"}},
    {"kind": "accept_finding", "code": "orphans", "about": "link port", "reason": "old ones"},
    {
        "kind": "put_check",
        "check": {
            "name": "North",
            "probe": {"rows": ["Port.region"], "measures": ["seats"], "picks": [{"column": "Port.region", "in": ["North", None]}]},
            "must": {"table": {"columns": ["Port.region", "seats"], "rows": [["North", 5]]}, "tolerance": {"absolute": 0.5}},
        },
    },
    {"kind": "put_check", "check": {"name": "Ports", "rows": "every Port", "must": {"count": {"at_least": 1}}, "folder": "Keys"}},
    {"kind": "put_clearance", "clearance": {"name": "far", "rules": ["Port.region = 'North'"]}},
]
VALID = [
    *BEFORE[:3],
    *BEFORE[-2:],
    {"kind": "add_link", "link": LINK, "at": 1},
    {"kind": "remove_link", "name": "tag"},
    {"kind": "change_link", "name": "port", "set": {"flow": "two-way", "description": "d", "firm": True}},
    {"kind": "change_link", "name": "port", "set": {"from": ["Booking.port"], "to": "Port.code", "name": "harbour", "active": False}},
    {"kind": "add_measure", "measure": MEASURE, "at": 0},
    {"kind": "remove_measure", "name": "share"},
    {
        "kind": "change_measure",
        "name": "seats",
        "set": {"formula": "sum(Booking.seats) + 1", "format": "0", "description": "d", "folder": "f", "home": "Port", "trial": True},
    },
    {"kind": "rename", "what": "column", "name": "Port.name", "to": "called"},
    {"kind": "rename", "what": "table", "name": "Port", "to": "Harbour"},
    {"kind": "rename_measure", "name": "seats", "to": "places", "set": {"description": "what is sold"}},
    {"kind": "promote_measure", "name": "trial1"},
    {"kind": "put_measures", "text": "-- folder: F\nfresh = seats * 2;", "names": ["fresh"]},
    {"kind": "remove_probe", "name": "by region"},
    {"kind": "remove_folio", "name": "board"},
    {"kind": "remove_hierarchy", "name": "where"},
    {"kind": "remove_check", "name": "Ports"},
    {"kind": "put_clearance", "clearance": {"name": "near", "rules": ["Port.region = 'South'"]}},
    {"kind": "remove_clearance", "name": "far"},
    {"kind": "place_tables", "places": {"Booking/Port": {"x": 1.5, "y": -2.0}, "Booking/Cal": None}},
    {
        "kind": "change_links",
        "edits": [{"kind": "add_link", "link": LINK}, {"kind": "change_link", "name": "port", "set": {"active": False}}],
        "title": "two",
    },
    {"kind": "shape_table", "name": "Port", "steps": STEPS, "title": "trim"},
    BEFORE[3] | {"table": {"name": "B2", "formula": "every Port.region"}},
    {
        "kind": "make_table",
        "table": {"name": "Sizes", "origin": {"kind": "bands", "sizes": [{"name": "s", "edges": [1, 2, 3], "labels": ["a", "b"]}]}},
        "at": 0,
    },
    {
        "kind": "remake_table",
        "name": "Days",
        "origin": {"kind": "calendar", "start": "2031-01-01", "end": "2031-02-01", "language": "en", "year_starts_in": 4},
    },
    {"kind": "make_role", "name": "Port", "as": "Home port", "columns": ["Booking.port"]},
    {"kind": "remake_table", "name": "Busy", "formula": "every Port"},
    {"kind": "drop_table", "name": "Busy"},
    {"kind": "put_column", "name": "Port", "column": {"name": "half", "formula": "depth / 2", "hidden": True, "description": "d"}},
    {
        "kind": "put_columns",
        "name": "Port",
        "columns": [{"name": "depth", "hidden": True}, {"name": "name", "order_by": "depth", "description": "d"}],
    },
    {"kind": "drop_column", "name": "Port", "column": "twice"},
    {
        "kind": "describe_table",
        "name": "Nobody",
        "description": "d",
        "key": ["x"],
        "calendar": None,
        "role": "fact",
        "grain": "one",
        "grain_columns": ["x"],
        "hidden": True,
        "subject": "s",
    },
    {"kind": "describe_table", "name": "Cal", "calendar": {"date": "day", "year_starts_in": 7}},
    {"kind": "take_keys", "tables": [{"name": "Port", "key": ["code"]}, {"name": "Booking", "key": ["no"]}]},
    {"kind": "accept_finding", "code": "orphans", "about": "link port", "key": "", "reason": "known"},
    {"kind": "reopen_finding", "code": "orphans", "about": "link port"},
]
JUNK = [
    None,
    True,
    False,
    0,
    -1,
    5,
    2**40,
    2**70,
    1.5,
    1e308,
    float("nan"),
    float("inf"),
    "",
    " ",
    "a\0b",
    "\ud800",
    "x" * 2000,
    "\n",
    "a/b",
    "Port",
    "port",
    "Port.code",
    "seats",
    "#,##0",
    "Booking.nope",
    "=1+1",
    "🛥",
    [],
    ["a"],
    [["a"]],
    [None],
    [5],
    {},
    {"a": 1},
    {"name": 5},
    {"kind": "nonsense"},
    json.loads("[" * 80 + "]" * 80),
]


def ways(item, way=()):
    """Every place of some JSON."""
    yield way
    for key, value in item.items() if isinstance(item, dict) else enumerate(item) if isinstance(item, list) else ():
        yield from ways(value, (*way, key))


def mutated(r, edit):
    """An edit with one to three places changed, left out or put in."""
    edit = copy.deepcopy(edit)
    for _ in range(r.choice([1, 1, 1, 2, 3])):
        if not edit:
            break
        way = r.choice([w for w in ways(edit) if w])
        at = edit
        for key in way[:-1]:
            at = at[key]
        act = r.random()
        if act < 0.12:
            del at[way[-1]]
        elif act < 0.24 and isinstance(at[way[-1]], dict):
            at[way[-1]][r.choice(["description", "extra", "name", "title"])] = copy.deepcopy(r.choice(JUNK))
        else:
            at[way[-1]] = copy.deepcopy(r.choice(JUNK))
    return edit


MUTATIONS = int(os.environ.get("EDIT_MUTATIONS", "800"))


class EditForms(unittest.TestCase):
    def setUp(self):
        app = create_app(fresh_url())
        self.workspace, self.client = app.extensions["nexorem"], app.test_client()
        self.addCleanup(self.workspace.engine.dispose)
        self.id = self.client.post("/api/models", data=zipped(package_files(STAR))).json["id"]
        for change in BEFORE:
            self.assertEqual(self.edit(change).status_code, 200, change)

    def edit(self, change):
        return self.client.post(f"/api/models/{self.id}/edits", json={"edit": change, "base": 10**6})

    def document(self):
        answer = self.client.get(f"/api/models/{self.id}")
        self.assertEqual(answer.status_code, 200, answer.data[:2000])
        told = self.client.get(f"/api/models/{self.id}/analysis")
        self.assertEqual(told.status_code, 200, told.data[:2000])
        return answer.json | told.json

    def stored(self):
        return model_json(models.load(self.workspace.engine, self.id).model)

    def read_back(self):
        """The model as a package brings it back, and as it is."""
        data = self.client.get(f"/api/models/{self.id}/package")
        self.assertEqual(data.status_code, 200, data.data[:500])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.zip"
            path.write_bytes(data.data)
            again = model_json(open_package(path).model)
        return [
            {k: x[k] for k in ("links", "measures", "probes", "folios", "hierarchies", "places", "accepted", "clearances") if k in x}
            for x in (again, self.stored())
        ]

    def test_every_kind_is_sent_as_it_should_be(self):
        for change in VALID:
            with self.subTest(change):
                answer = self.edit(change)
                self.assertEqual(answer.status_code, 200, answer.data[:600])
                self.assertEqual(*self.read_back())
                self.client.post(f"/api/models/{self.id}/undo", json={"expected": answer.json["undo"]["number"]})
        kinds = {v["kind"] for v in VALID} | {
            "add_table",
            "change_table",
            "remove_table",
            "together",
            "load_tables",
            "put_renamed",
        }  # not from outside
        self.assertEqual(kinds, {*KINDS, *REQUESTED})

    def test_mutated_edits(self):
        r, refused, made, version = random.Random(20310430), 0, 0, len(BEFORE)
        before, stored = self.document(), self.stored()
        for number in range(MUTATIONS):
            change = mutated(r, VALID[number % len(VALID)])
            answer = self.edit(change)
            self.assertIn(answer.status_code, (200, 413, 422), (change, answer.data[:1500]))
            if answer.status_code != 200:
                refused += 1
                for error in answer.json["errors"]:
                    self.assertTrue(
                        error["message"] and "validation" not in error["message"] and "Input" not in error["message"], (change, error)
                    )
                self.assertTrue(answer.json["errors"], change)
                self.assertEqual(models.version_of(self.workspace.engine, self.id), version, change)
                continue
            made += 1
            with self.subTest(change):
                self.document()
                self.assertEqual(*self.read_back())
                version += 2
                undone = self.client.post(f"/api/models/{self.id}/undo", json={"expected": answer.json["undo"]["number"]})
                self.assertEqual(undone.status_code, 200, undone.data[:500])
                self.assertEqual(self.stored(), stored)
                told = ("tables", "links", "measures", "probes", "folios", "hierarchies", "places", "findings", "matrix")
                now = self.document()
                self.assertEqual([now[x] for x in told], [before[x] for x in told])
        self.assertGreater(min(refused, made), MUTATIONS // 30)

    def test_what_an_older_version_let_through_opens_and_is_told(self):
        document = self.stored()
        document["measures"][0] |= {"description": 5, "folder": ["a"], "trial": "maybe"}
        document["probes"][0]["limit"] = "many"
        document["hierarchies"].append({"levels": 3})
        document["places"]["x"] = {"x": "left"}
        bad = [
            {"kind": "change_measure", "name": "seats", "set": {"description": 5, "folder": ["a"], "trial": "maybe"}},
            {"kind": "change_measure", "name": "seats", "set": {"description": 7}},
        ]
        with self.workspace.engine.begin() as connection:
            connection.execute(update(tables.model).values(document=document, version=tables.model.c.version + 1))
            last = tables.edit.c.number == len(BEFORE)
            connection.execute(update(tables.edit).where(last).values(change=bad[0], inverse=bad[1]))
        told = self.document()
        self.assertEqual(
            (told["measures"][0]["description"], told["measures"][0]["folder"], told["measures"][0]["trial"]), ("5", "", False)
        )
        damage = {f["about"]: f["sentence"] for f in told["findings"] if f["code"] == "damaged"}
        self.assertEqual(set(damage), {"measure seats", "probe by region", "hierarchy 1", "places x"}, damage)
        self.assertEqual(*self.read_back())
        for number in range(told["undo"]["number"], 0, -1):
            answer = self.client.post(f"/api/models/{self.id}/undo", json={"expected": number})
            self.assertEqual(answer.status_code, 200, answer.data[:500])
        self.assertEqual(self.client.post(f"/api/models/{self.id}/go_to", json={"number": len(BEFORE), "expected": 0}).status_code, 200)
        self.document()


if __name__ == "__main__":
    unittest.main()
