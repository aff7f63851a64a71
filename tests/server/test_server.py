"""The server's addresses, its errors, and whom it answers."""

import io
import json
import tempfile
import threading
import unittest
import urllib.request
import zipfile
from pathlib import Path

from nexorem.package.write import package_files
from nexorem.server.app import create_app
from nexorem.server.schemas import GridAnswer
from tests.core.small import STAR
from tests.server.served import served
from tests.store.cluster import fresh_url
from tests.waiting import until

ROOT = Path(__file__).parents[2]
PROBE = {"rows": ["Port.region", "Port.name"], "columns": ["Cal.year"], "measures": ["seats", "share"], "totals": "all"}


def zipped(files):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as package:
        for name, content in files.items():
            package.writestr(name, content)
    return out.getvalue()


class Server(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = create_app(fresh_url())
        cls.workspace = cls.app.extensions["nexorem"]

    def setUp(self):
        self.client = self.app.test_client()
        answer = self.client.post("/api/models", data=zipped(package_files(STAR)))
        self.assertEqual(answer.status_code, 200, answer.data)
        self.id = answer.json["id"]

    def test_what_a_page_asks_for_is_on_its_way_with_it(self):
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "index.html").write_text("<title>Nexorem</title>")
            (Path(folder) / "logo.svg").write_text("<svg/>")
            client = create_app(fresh_url(), Path(folder)).test_client()
            for path, model in (("/m/12/link", 12), ("/m/3/probe?at=x", 3), ("/models", None), ("/logo.svg", None), ("/m/x/link", None)):
                answer = client.get(path)
                self.assertEqual(answer.status_code, 200)
                asked = [x.split(">")[0].strip(" <") for x in answer.headers.get("Link", "").split(",") if x]
                wanted = ["/api/me", f"/api/models/{model}", f"/api/models/{model}/analysis?findings=true"] if model else []
                self.assertEqual(asked, wanted, path)
            for address in ("/api/me", f"/api/models/{self.id}", f"/api/models/{self.id}/analysis?findings=true"):
                self.assertEqual(self.client.get(address).status_code, 200)  # they are addresses of ours

    def url(self, rest=""):
        return f"/api/models/{self.id}{rest}"

    def post(self, rest, **body):
        return self.client.post(self.url(rest), json=body)

    def edit(self, change, base=0, author="ann"):
        return self.client.post(self.url("/edits"), json={"edit": change, "base": base}, headers={"X-Nexorem-Author": author})

    def test_the_whole_model(self):
        found = self.client.get(self.url()).json
        self.assertEqual([t["name"] for t in found["tables"]], ["Booking", "Port", "Cal", "Tag", "Crew", "Nobody"])
        self.assertEqual({m["name"]: m["builds_on"] for m in found["measures"]}["share"], ["seats"])
        self.assertEqual((found["version"], found["undo"], found["edits"]), (0, None, 0))

    def test_a_grid_and_its_trace(self):
        found = self.post("/grid", probe=PROBE).json
        self.assertEqual(found["rows"]["lines"][0], [{"kind": "value", "value": "North"}, {"kind": "value", "value": "Alder"}])
        self.assertIn([{"kind": "unmatched"}, {"kind": "total"}], found["rows"]["lines"])
        self.assertEqual(found["values"][0][-1][-1], 63)
        self.assertEqual([m["overrides"] for m in found["measures"]], [[], ["Port.name", "Port.region"]])
        at = [{"column": "Port.region", "member": {"kind": "empty"}}, {"column": "Cal.year", "member": {"kind": "total"}}]
        told = self.post("/trace", probe=PROBE, measure="seats", at=at).json
        self.assertEqual((told["value"], told["coordinates"]), (32, {"Port.region": None}))
        unreached = self.post(
            "/grid", probe={"measures": ["x"], "define": {"x": "sum(Port.depth)"}, "picks": [{"column": "Cal.year", "in": [2031]}]}
        ).json
        self.assertEqual(unreached["measures"][0]["unreached"], ["Cal"])

    def test_a_grid_fits_its_type_and_tells_its_failed_cells(self):
        """Answers of grids are not checked on their way out, so here."""
        probe = PROBE | {"measures": ["x", "seats"], "define": {"x": "seats * 288230376151711744"}, "totals": "all"}
        found = GridAnswer.model_validate(self.post("/grid", probe=probe).json)
        failed, fine = (m.failed for m in found.measures)
        self.assertEqual(({(f.error, found.values[0][f.row][f.column]) for f in failed}, fine), ({("overflow", None)}, []))
        seats, x = found.values[1], found.values[0]
        self.assertEqual(
            [[v for v in row if v and v >= 32] != [] for row in seats], [any(f.row == r for f in failed) for r in range(len(x))]
        )

    def test_formulas_links_tables_and_members(self):
        found = self.post("/formula", name="seats", formula="sum(Booking.seat) + nono").json
        self.assertEqual([e["code"] for e in found["errors"]], ["unknown_column", "unknown_name"])
        self.assertEqual(self.post("/formula", name="new", formula="seats * 2").json["value"], 126)
        self.assertEqual(
            self.client.get(self.url("/tables/Port/rows?start=1&count=2")).json["rows"],
            [["b", "Birch", "South", 3], ["c", "Cedar", None, 9]],
        )
        self.assertEqual(len(self.client.get(self.url("/tables/port/profiles")).json["profiles"]), 4)
        listed = self.post("/members", column="Port.region").json["members"]
        self.assertEqual([m["member"]["kind"] for m in listed], ["value", "value", "empty", "unmatched"])

    def test_edits_undo_redo_conflicts(self):
        first = self.edit({"kind": "change_link", "name": "port", "set": {"active": False}}).json
        self.assertEqual((first["version"], first["undo"]["title"], first["undo"]["author"]), (1, "switch port off", "ann"))
        self.assertEqual(
            self.post("/grid", probe={"measures": ["seats"], "picks": [{"column": "Port.region", "in": ["North"]}]}).json["values"],
            [[[63]]],
        )
        clash = self.edit({"kind": "remove_link", "name": "port"}, 0, "bea")
        self.assertEqual((clash.status_code, clash.json["changes"][0]["author"], clash.json["version"]), (409, "ann", 1))
        self.assertEqual(self.edit({"kind": "add_measure", "measure": {"name": "n", "formula": "1"}}, 0).status_code, 200)
        self.assertEqual(self.post("/undo", expected=1).status_code, 409)
        self.assertEqual(self.post("/undo", expected=2).json["redo"]["title"], "add measure n")
        self.assertEqual(self.post("/redo", expected=2).json["version"], 4)
        self.assertEqual([e["number"] for e in self.client.get(self.url("/history")).json["edits"]], [2, 1])

    def test_refused_edits_leave_the_model_as_it_was(self):
        before = self.client.get(self.url()).json
        for change, code in (
            ({"kind": "add_link", "link": {"from": "Booking.refunded", "to": "Cal.day", "name": "second"}}, "double_path"),
            ({"kind": "add_link", "link": {"from": "Booking.port", "to": "Crew.port", "name": "dup", "active": False}}, "repeated_key"),
            ({"kind": "add_measure", "measure": {"name": "bad", "formula": "sum(Nope.x)"}}, "unknown_table"),
            ({"kind": "change_measure", "name": "seats", "set": {"formula": "seats"}}, "cycle"),
            ({"kind": "add_measure", "measure": {"name": "bad", "formula": "(" * 10_000}}, "limit_formula_levels"),
            ({"kind": "nonsense"}, "unknown_edit"),
        ):
            with self.subTest(change):
                answer = self.edit(change)
                self.assertIn(answer.status_code, (413, 422))
                self.assertEqual(answer.json["errors"][0]["code"], code)
                self.assertEqual(answer.mimetype, "application/problem+json")
        self.assertEqual(self.client.get(self.url()).json, before)

    def test_problems(self):
        for answer, status, kind in (
            (self.client.get("/api/models/9999"), 404, "unknown_model"),
            (self.client.get("/api/nowhere"), 404, "http"),
            (self.client.put("/api/models"), 405, "http"),
            (self.client.post(self.url("/grid"), json={"prob": 1}), 422, "bad_request"),
            (self.client.post(self.url("/grid"), data=b"{", content_type="application/json"), 422, None),
            (self.post("/grid", probe={"measures": ["nope"]}), 422, "unknown_measure"),
            (self.client.post("/api/models", data=b"nonsense"), 422, "bad_zip"),
            (
                self.post("/grid", probe={"measures": ["seats"], "rows": ["Booking.no", "Cal.day", "Crew.name"], "limit": 5}),
                413,
                "limit_probe_cells",
            ),
            (self.client.get(self.url("/tables/Port/rows?count=0")), 422, "bad_request"),
            (self.post("/formula", name="", formula="1"), 422, "bad_request"),
        ):
            self.assertEqual(answer.status_code, status, answer.data)
            if kind:
                self.assertEqual(answer.json["type"], f"urn:nexorem:{kind}")
            self.assertNotIn(b"Traceback", answer.data)

    def test_only_loopback_is_answered(self):
        for headers in (
            {"Host": "evil.example"},
            {"Host": "10.0.0.7:8471"},
            {"Origin": "http://evil.example"},
            {"Origin": "null"},
            {"Host": "localhost.evil.example"},
        ):
            self.assertEqual(self.client.get("/api/models", headers=headers).status_code, 403, headers)
        self.assertEqual(
            self.client.post(self.url("/undo"), json={"expected": 1}, headers={"Sec-Fetch-Site": "cross-site"}).status_code, 403
        )
        for host in ("127.0.0.1:8471", "localhost", "[::1]:8471"):
            answer = self.client.get("/api/models", headers={"Host": host, "Origin": f"http://{host}"})
            self.assertEqual(answer.status_code, 200)
        self.assertIn("default-src 'self'", answer.headers["Content-Security-Policy"])
        self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")

    def test_files_outside_the_front_end_are_not_served(self):
        for path in ("/../pyproject.toml", "/%2e%2e/pyproject.toml", "/assets/../../package.json"):
            found = self.client.get(path).data
            self.assertTrue(b"[project]" not in found and b"devDependencies" not in found, path)

    def test_a_package_goes_out_and_in(self):
        data = self.client.get(self.url("/package?data=parquet")).data
        again = self.client.post("/api/models", data={"package": (io.BytesIO(data), "p.zip")}, content_type="multipart/form-data")
        self.assertEqual(again.status_code, 200)
        count = len(self.client.get("/api/models").json["models"])
        broken = self.client.post(
            "/api/models", data=zipped({"datapackage.json": json.dumps({"resources": [{"name": "x", "path": "x.csv"}]})})
        )
        self.assertEqual((broken.status_code, broken.json["errors"][0]["code"]), (422, "missing_file"))
        self.assertEqual(len(self.client.get("/api/models").json["models"]), count)

    def test_the_description_is_the_one_the_front_end_was_made_from(self):
        found = self.client.get("/api/openapi.json").json
        self.assertEqual(found["openapi"][:3], "3.1")
        committed = json.loads((ROOT / "web" / "types" / "openapi.json").read_text())
        self.assertEqual(
            json.dumps(found, sort_keys=True),
            json.dumps(committed, sort_keys=True),
            "run tools/openapi.py and npm run generate in web/types",
        )

    def test_others_hear_of_an_edit(self):
        heard = []

        def listen():
            with urllib.request.urlopen(served(self.app) + self.url("/events"), timeout=30) as stream:
                for line in stream:
                    if line.startswith(b"data:"):
                        heard.append(line)
                    if len(heard) == 2:
                        return

        thread = threading.Thread(target=listen, daemon=True)
        thread.start()
        until(lambda: heard)
        self.app.test_client().post(self.url("/edits"), json={"edit": {"kind": "remove_measure", "name": "share"}, "base": 0})
        thread.join(60)
        self.assertEqual(len(heard), 2)
        self.assertIn(b'"version": 1', heard[1])


if __name__ == "__main__":
    unittest.main()
