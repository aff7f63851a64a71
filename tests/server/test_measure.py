"""Measures and probes over HTTP: renamed, promoted, taken in from text; grids as files, rows behind a number, two cells beside."""

import csv
import io
import json
import tempfile
import unittest
from pathlib import Path
from urllib.parse import urlencode

import openpyxl
import pyarrow.parquet as pq

from nexorem.core.model.edits import apply
from nexorem.core.model.specs import FolioSpec, read_spec
from nexorem.package.write import write_package
from nexorem.server.app import create_app
from nexorem.work.actor import COMMAND_LINE
from tests.core.small import LINKS, make_star
from tests.store.cluster import fresh_url

MEASURES = {"seats": "sum(Booking.seats)", "trips": "rows(Booking)", "share": "seats / seats given (clear Port)", "mean": "seats / trips"}
PROBE = {"name": "by region", "rows": ["Port.region"], "columns": ["Cal.week"], "measures": ["seats", "share"], "totals": "all"}


class Measures(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = create_app(fresh_url())
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.package = Path(folder.name) / "small"
        star = make_star(links=LINKS, measures=MEASURES)
        write_package(star.with_model(apply(star.model, {"kind": "put_probe", "probe": PROBE})[0]), cls.package)

    def setUp(self):
        self.client = self.app.test_client()
        self.id = self.app.extensions["nexorem"].open(COMMAND_LINE, self.package)

    def url(self, rest=""):
        return f"/api/models/{self.id}{rest}"

    def get(self, rest, **query):
        return self.client.get(self.url(rest) + (f"?{urlencode(query)}" if query else ""))

    def post(self, rest, **body):
        return self.client.post(self.url(rest), json=body)

    def edit(self, **edit):
        return self.post("/edits", edit=edit, base=self.get("").json["version"])

    def formula(self, name):
        return next((m["formula"] for m in self.get("").json["measures"] if m["name"] == name), None)

    def test_renamed_everywhere_as_one_edit(self):
        found = self.edit(kind="rename_measure", name="seats", to="sold")
        self.assertEqual((found.status_code, found.json["undo"]["title"]), (200, "rename seats to sold"))
        self.assertEqual((self.formula("share"), self.formula("seats")), ("sold / sold given (clear Port)", None))
        self.assertEqual(found.json["probes"][0]["measures"], ["sold", "share"])
        self.post("/undo", expected=found.json["undo"]["number"])
        self.assertEqual(self.formula("share"), MEASURES["share"])
        for edit in (
            {"kind": "rename_measure", "name": "seats", "to": "trips"},
            {"kind": "rename_measure", "name": "seats"},
            {"kind": "change_measure", "name": "seats", "set": {"name": "x"}},
        ):
            self.assertEqual(self.edit(**edit).status_code, 422)

    def test_a_trial_takes_the_official_ones_place_only_when_asked(self):
        self.edit(
            kind="add_measure", measure={"name": "seats_trial", "formula": "sum(Booking.seats) * 2", "trial": True, "variant_of": "seats"}
        )
        self.edit(kind="add_measure", measure={"name": "double", "formula": "seats_trial + 1"})
        self.assertEqual(self.formula("seats"), MEASURES["seats"])
        told = self.get("/measures/seats_trial/promotion").json
        self.assertEqual([p["text"] for p in told["difference"] if p["kind"] == "new"], [" * 2"])
        self.assertEqual((told["official"], told["errors"]), ("seats", []))
        self.assertEqual(self.edit(kind="promote_measure", name="seats_trial").status_code, 200)
        self.assertEqual(
            (self.formula("seats"), self.formula("seats_trial"), self.formula("double")), ("sum(Booking.seats) * 2", None, "seats + 1")
        )
        self.edit(kind="add_measure", measure={"name": "seats_ring", "formula": "seats * 3", "trial": True, "variant_of": "seats"})
        self.assertEqual(self.get("/measures/seats_ring/promotion").json["errors"][0]["code"], "cycle")
        self.assertEqual(self.edit(kind="promote_measure", name="seats_ring").status_code, 422)
        self.assertEqual(self.edit(kind="promote_measure", name="seats").json["errors"][0]["code"], "not_trial")

    def test_many_measures_as_text(self):
        text = self.get("/measures/text").json["text"]
        self.assertEqual({i["state"] for i in self.post("/measures/text", text=text).json["items"]}, {"same"})
        changed = (
            text.replace("rows(Booking)", "rows(Port)")
            + "\n-- format: #,##0\nnew_one = seats + 1;\n-- standing: trial\nshare = 1;\nbad = nope;\n"
        )
        wrong = self.post("/measures/text", text=changed).json
        self.assertEqual(wrong["errors"][0]["code"], "repeated_name")
        changed = changed.replace(MEASURES["share"], "1").replace("share = 1;", "", 1)
        items = {i["name"]: i for i in self.post("/measures/text", text=changed).json["items"]}
        self.assertEqual(
            {n: i["state"] for n, i in items.items()},
            {"seats": "same", "trips": "changed", "mean": "same", "new_one": "new", "share": "clash", "bad": "new"},
        )
        self.assertEqual((items["share"]["errors"][0]["code"], items["bad"]["errors"][0]["code"]), ("trial_over_official", "unknown_name"))
        self.assertEqual(self.edit(kind="put_measures", text=changed).status_code, 422)
        self.assertEqual(self.formula("trips"), "rows(Booking)")
        self.assertEqual(self.edit(kind="put_measures", text=changed, names=["trips", "new_one"]).status_code, 200)
        self.assertEqual((self.formula("trips"), self.formula("new_one"), self.formula("bad")), ("rows(Port)", "seats + 1", None))

    def test_a_trial_that_a_text_calls_official_is_one(self):
        self.edit(kind="add_measure", measure={"name": "tried", "formula": "seats * 2", "trial": True, "variant_of": "seats"})
        silent = self.post("/measures/text", text="tried = seats * 2;").json["items"][0]
        self.assertEqual(silent["state"], "same")
        said = "-- standing: official\ntried = seats * 2;"
        parts = [c["part"] for c in self.post("/measures/text", text=said).json["items"][0]["changes"]]
        self.assertEqual(parts, ["trial", "variant_of"])
        done = self.edit(kind="put_measures", text=said).json
        kept = next(m for m in done["measures"] if m["name"] == "tried")
        self.assertEqual((kept["trial"], kept["variant_of"]), (False, ""))

    def test_where_a_name_is_used_and_defined(self):
        uses = self.get("/uses", kind="measure", name="seats").json["uses"]
        self.assertEqual([u["owner"] for u in uses], ["share", "share", "mean", "by region"])
        self.assertEqual(self.post("/definition", name="x", formula="seats + 1", at=2).json, {"kind": "measure", "name": "seats"})
        self.assertEqual(self.post("/definition", name="x", formula="1 + 1", at=2).json, {"kind": "", "name": ""})
        self.assertEqual(len(self.get("/patterns", measure="seats").json["patterns"]), 11)

    def test_the_ledger_of_a_cell(self):
        told = self.post(
            "/formula", name="share", formula=MEASURES["share"], arriving={"Port.region": "North", "Cal.week": "1"}, page={}
        ).json
        self.assertEqual({(x["column"], x["kind"]) for x in told["ledger"]}, {("Port.region", "cleared"), ("Cal.week", "kept")})

    def test_a_grid_as_files(self):
        cells = list(csv.DictReader(io.StringIO(self.get("/probes/by region.csv").get_data(as_text=True))))
        self.assertEqual([c["seats"] for c in cells if c["Port.region"] == "(total)" and c["Cal.week"] == "(total)"], ["63"])
        query = {"probe": json.dumps(PROBE)}
        table = pq.read_table(io.BytesIO(self.get("/grid.parquet", **query).data)).to_pylist()
        self.assertEqual([str(r["seats"]) if r["seats"] is not None else "" for r in table], [c["seats"] for c in cells])
        sheet = openpyxl.load_workbook(io.BytesIO(self.get("/grid.xlsx", **query).data)).active
        rows = [[c.value for c in row] for row in sheet.iter_rows()]
        self.assertEqual((rows[0][1], rows[1][:3], rows[-1][0], rows[-1][-2:]), (1, ["Port region", "seats", "share"], "All", [63, 1]))
        for rest, query in (
            ("/grid.csv", {"probe": "no"}),
            ("/grid.csv", {"probe": "[]"}),
            ("/grid.odd", {"probe": json.dumps(PROBE)}),
            ("/probes/nope.csv", {}),
        ):
            self.assertEqual(self.get(rest, **query).status_code, 422)

    def test_text_that_looks_like_a_formula_stays_text_in_a_sheet(self):
        probe = {"measures": ["x"], "define": {"x": "'=1+1'"}}
        cell = openpyxl.load_workbook(io.BytesIO(self.get("/grid.xlsx", probe=json.dumps(probe)).data)).active
        self.assertEqual([c.data_type for row in cell.iter_rows() for c in row if c.value == "=1+1"], ["s"])

    def test_rows_behind_a_number(self):
        asked = {"probe": {"measures": ["seats"]}, "measure": "seats", "at": [], "into": [], "path": "0.0"}
        told = self.post("/trace/rows", **asked, by="each", descending=True, count=3).json
        self.assertEqual((told["total"], told["values"]), (7, [32, 16, 8]))
        lines = self.get("/trace/rows.csv", rows=json.dumps(asked)).get_data(as_text=True).splitlines()
        self.assertEqual((len(lines), lines[0].split(",")[-1]), (8, "each"))
        self.assertEqual(self.get("/trace/rows.csv", rows="{}").status_code, 422)

    def test_two_cells_beside(self):
        week = [{"column": "Cal.week", "member": {"kind": "value", "value": 1}}]
        side = {"probe": {"measures": ["seats"]}, "measure": "seats", "at": []}
        told = self.post("/trace/beside", first=side, second=side | {"at": week}).json
        self.assertEqual((told["first"], told["second"]), (63, 27))
        self.assertEqual((told["steps"][0]["kind"], told["steps"][-1]["kind"]), ("coordinate", "value"))

    def test_members_are_counted_under_the_other_picks(self):
        def counts(**more):
            told = self.post("/members", column="Port.region", **more).json
            return told["counted"], {m["member"].get("value") or m["member"]["kind"]: m["rows"] for m in told["members"]}

        self.assertEqual(counts(), ("Port", {"North": 1, "South": 2, "empty": 1, "unmatched": 0}))
        self.assertEqual(counts(counted="Booking"), ("Booking", {"North": 2, "South": 2, "empty": 1, "unmatched": 2}))
        picks = [{"column": "Port.region", "in": ["North"]}, {"where": "Cal.week = 1"}]
        self.assertEqual(counts(counted="Booking", picks=picks), ("Booking", {"North": 1, "South": 1, "empty": 0, "unmatched": 2}))
        self.assertEqual(counts(counted="Nobody")[0], "Port")
        self.assertEqual(self.post("/members", column="Port.region", search="emp").json["members"][0]["member"], {"kind": "empty"})

    def test_marks_travel_with_the_grid(self):
        told = self.post("/grid", probe=PROBE).json
        kinds = [m["kind"] for m in told["measures"][1]["marks"]]
        self.assertIn("overridden", kinds)
        self.assertEqual((told["unmatched"][0]["kind"], told["left_out"]), ("unmatched", 0))
        self.assertEqual(
            self.post("/grid", probe={**PROBE, "top": {"count": 1, "by": "seats"}, "look": {"picture": "bars"}}).json["left_out"], 3
        )

    def test_ways_and_patterns_go_with_the_links(self):
        probe = {"rows": ["Cal.week"], "measures": ["ports"]}
        self.edit(kind="add_measure", measure={"name": "ports", "formula": "count(distinct Port.code)"})

        def mends():
            return [x["label"] for m in self.post("/grid", probe=probe).json["measures"][0]["marks"] for x in m["mends"]]

        def kinds():
            return {p["key"]: p["formula"] for p in self.get("/patterns", measure="seats").json["patterns"]}

        turned = "flow Booking.port = Port.code two-way)"
        self.assertEqual(mends(), [f"given ({turned}", f"given (via Booking.refunded = Cal.day, {turned}"])
        self.assertIn("two-way", kinds()["two_way"])
        self.edit(kind="change_link", name="port", set={"active": False})
        via = "via Booking.port = Port.code, "
        self.assertEqual(mends(), [f"given ({via}{turned}", f"given (via Booking.refunded = Cal.day, {via}{turned}"])
        self.assertEqual(kinds()["two_way"], "")

    def test_folios_are_kept_and_undone(self):
        folio = {
            "name": "first",
            "picks": [],
            "tiles": [
                {"kind": "probe", "probe": {"rows": [], "columns": [], "measures": ["seats"], "picks": []}},
                {"kind": "number", "against": "seats", "probe": {"measures": ["trips", "seats"], "picks": []}},
                {"kind": "number", "against": "seats", "probe": {"measures": ["trips", "seats"], "define": {"seats": "2"}, "picks": []}},
            ],
        }
        kept = self.edit(kind="put_folio", folio=folio).json["folios"]
        self.assertEqual([read_spec(FolioSpec, x) for x in kept], [read_spec(FolioSpec, folio)])
        renamed = self.edit(kind="rename_measure", name="seats", to="sold").json
        tiles = renamed["folios"][0]["tiles"]
        self.assertEqual([t["probe"]["measures"] for t in tiles], [["sold"], ["trips", "sold"], ["trips", "seats"]])
        self.assertEqual([t.get("against") for t in tiles], [None, "sold", "seats"])  # the last has a formula of its own by that name
        self.assertEqual(self.edit(kind="remove_folio", name="first").json["folios"], [])
