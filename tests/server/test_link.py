"""Designing links over HTTP: what is told before an edit is what the edit then does."""

import itertools
import unittest
import xml.etree.ElementTree as ET

from nexorem.package.write import package_files
from nexorem.server.app import create_app
from tests.core.small import STAR
from tests.server.test_server import zipped
from tests.store.cluster import fresh_url

PROBE = {"rows": ["Port.region", "Port.name"], "columns": ["Cal.year"], "measures": ["seats", "share"], "totals": "all"}
OFF = {"kind": "change_link", "name": "day", "set": {"active": False}}
ON = {"kind": "change_link", "name": "refund", "set": {"active": True}}
# Edits of links that hold together, each tried, made, and told again by the history.
GOOD = [
    [OFF],
    [OFF, ON],
    [{"kind": "remove_link", "name": "port"}],
    [{"kind": "change_link", "name": "crew", "set": {"flow": "one-way"}}],
    [{"kind": "change_link", "name": "port", "set": {"firm": False}}],
    [{"kind": "change_link", "name": "tag", "set": {"active": True, "name": "tags"}}],
    [{"kind": "add_link", "link": {"name": "n", "from": "Nobody.y", "to": "Port.code"}}],
    [{"kind": "remove_link", "name": "refund"}, {"kind": "remove_link", "name": "crew"}],
]


class Link(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = create_app(fresh_url())

    def setUp(self):
        self.client = self.app.test_client()
        self.model = self.client.post("/api/models", data=zipped(package_files(STAR))).json["id"]

    def url(self, rest=""):
        return f"/api/models/{self.model}{rest}"

    def post(self, rest, **body):
        return self.client.post(self.url(rest), json=body)

    def edit(self, change, base):
        return self.client.post(self.url("/edits"), json={"edit": change, "base": base}, headers={"X-Nexorem-Author": "ann"})

    def cells(self):
        """The probe's answer now: its cells by their lines."""
        answer = self.post("/grid", probe=PROBE).json
        return by_line(answer["rows"]["lines"], answer["columns"]["lines"], answer["values"])

    def whole(self):
        """The model with what is found in it."""
        told, found = self.client.get(self.url()).json, self.client.get(self.url("/analysis")).json
        keys = found.pop("candidate_keys")
        return told | found | {"tables": [{**table, "candidate_keys": keys[table["name"]]} for table in told["tables"]]}

    def reach(self):
        return {(p["from"], p["to"]) for p in self.post("/reach", given="").json["pairs"] if "path" in p}

    def test_what_a_trial_tells_is_what_the_edit_does_and_what_the_history_tells(self):
        for number, edits in enumerate(GOOD):
            with self.subTest(edits=edits):
                self.setUp()
                told = self.post("/trial", edits=edits, probe=PROBE).json["comparison"]
                shown = self.post("/variant", edits=edits).json
                before, reached, known = self.cells(), self.reach(), self.whole()
                self.assertEqual(self.edit({"kind": "change_links", "edits": edits, "title": f"change {number}"}, 0).status_code, 200)
                after, document = self.cells(), self.whole()
                grid = told["grid"]
                self.assertEqual(filled(by_line(grid["rows"]["lines"], grid["columns"]["lines"], grid["now"])), filled(before))
                self.assertEqual(filled(by_line(grid["rows"]["lines"], grid["columns"]["lines"], grid["then"])), filled(after))
                keys = set(before) | set(after)
                self.assertEqual(grid["differs"], sum(before.get(k) != after.get(k) for k in keys))
                self.assertEqual({(p["from"], p["to"]) for p in told["newly"]}, self.reach() - reached)
                self.assertEqual({(p["from"], p["to"]) for p in told["no_longer"]}, reached - self.reach())
                sentences = [{(f["about"], f["sentence"]) for f in d["findings"]} for d in (known, document)]
                self.assertEqual({(f["about"], f["sentence"]) for f in told["appear"]}, sentences[1] - sentences[0])
                self.assertEqual({(f["about"], f["sentence"]) for f in told["go"]}, sentences[0] - sentences[1])
                for part in ("tables", "links", "matrix", "currents", "findings"):
                    self.assertEqual(shown[part], document[part], part)
                self.assertEqual(document["undo"]["title"], f"change {number}")
                self.assertEqual(self.post("/history/1", probe=PROBE).json, told)

    def test_what_forbids_an_edit_is_told_with_both_paths(self):
        told = self.post("/trial", edits=[ON], probe=PROBE).json
        self.assertIsNone(told["comparison"])
        self.assertEqual(
            [(d["source"], d["target"], d["first"], d["second"]) for d in told["doubles"]], [("Cal", "Booking", ["day"], ["refund"])]
        )
        self.assertEqual((told["yields"], told["errors"][0]["code"]), (["day"], "double_path"))
        renamed = self.post("/trial", edits=[{**ON, "set": {"active": True, "name": "refunds"}}], probe=None).json
        self.assertEqual(renamed["yields"], ["day"])
        self.assertEqual(self.edit({"kind": "change_links", "edits": [ON]}, 0).status_code, 422)
        for edits, code in (
            ([{"kind": "remove_link", "name": "nope"}], "unknown_link"),
            ([{"kind": "add_link", "link": {"from": "Booking.no", "to": "Port.code"}}], "bad_link"),
            ([{"kind": "change_link", "name": "tag", "set": {"cardinality": "many-to-one", "active": True}}], ""),
            ([{"kind": "add_link", "link": {"from": "Port.code", "to": "Tag.port", "name": "t"}}], "repeated_key"),
        ):
            found = self.post("/trial", edits=edits, probe=None).json
            self.assertEqual([e["code"] for e in found["errors"]][:1], [code] if code else [])
        broken = self.post(
            "/trial",
            edits=[{"kind": "remove_link", "name": "port"}],
            probe={**PROBE, "define": {"deep": "sum(Booking.seats * Port.depth)"}, "measures": ["deep"]},
        ).json
        self.assertIn("Afterwards the probe could not be answered", broken["comparison"]["grid_error"])

    def test_only_links_are_changed_together(self):
        for edits in (
            [],
            "x",
            [{"kind": "add_measure", "measure": {"name": "n", "formula": "1"}}],
            [{"kind": "together", "edits": []}],
            [3],
        ):
            self.assertEqual(self.edit({"kind": "change_links", "edits": edits}, 0).status_code, 422, edits)
        self.assertEqual(self.post("/trial", edits=[{"kind": "remove_table", "name": "Nobody"}]).json["errors"][0]["code"], "bad_edit")
        self.assertEqual(self.client.get(self.url()).json["version"], 0)

    def test_a_link_before_it_is_made(self):
        link = self.post("/link", link={"from": "Port.code", "to": "Tag.port"}).json
        self.assertEqual(
            (link["proven"], link["text"], link["link"]["active"], link["firm"]), ("many-to-one", "Tag.port = Port.code", True, True)
        )
        self.assertEqual(
            (link["matched"], link["orphans"], link["empty"], link["rows"], link["allowed"]), (3, 1, 1, 5, ["many-to-one", "many-to-many"])
        )
        for cardinality in ("many-to-one", "many-to-many"):
            chosen = self.post("/link", link={"from": "Port.code", "to": "Tag.port", "cardinality": cardinality}).json
            self.assertEqual(
                (chosen["text"], chosen["link"]["cardinality"], chosen["proven"]), ("Tag.port = Port.code", cardinality, "many-to-one")
            )
        second = self.post("/link", link={"from": "Booking.refunded", "to": "Cal.day"}).json
        self.assertEqual((second["link"]["active"], second["yields"], len(second["doubles"])), (False, ["day"], 1))
        after = self.post("/link", link={"from": "Booking.refunded", "to": "Cal.day"}, edits=[OFF]).json
        self.assertEqual((after["link"]["active"], after["doubles"]), (True, []))
        loose = self.post("/link", link={"from": "Booking.port", "to": "Port.code", "name": "port", "firm": False}, name="port").json
        self.assertEqual((loose["firm"], loose["why_loose"]), (False, "its author declared it so"))
        itself = self.post("/link", link={"from": "Port.name", "to": "Port.code"}).json
        self.assertFalse(itself["link"]["active"])
        self.assertEqual(self.post("/link", link={"from": "Booking.no", "to": "Port.code"}).status_code, 422)

    def test_back_and_forth_over_the_history(self):
        states = [self.client.get(self.url()).json]
        for base, edits in enumerate(([OFF], [ON], [{"kind": "remove_link", "name": "port"}])):
            states.append(self.edit({"kind": "change_links", "edits": edits}, base).json)
        for number in (1, 3, 0, 2, 2, 3):
            expected = self.client.get(self.url()).json["edits"]
            found = self.post("/go_to", number=number, expected=expected)
            self.assertEqual((found.status_code, found.json["edits"], found.json["links"]), (200, number, states[number]["links"]))
        self.assertEqual(self.post("/go_to", number=0, expected=1).status_code, 409)
        self.assertEqual(self.post("/go_to", number=9, expected=3).json["errors"][0]["code"], "unknown_edit")
        self.assertEqual(
            [(e["number"], e["undone"]) for e in self.client.get(self.url("/history")).json["edits"]], [(3, False), (2, False), (1, False)]
        )
        for number, status in ((0, 422), (9, 422), (2, 200)):
            self.assertEqual(self.post(f"/history/{number}", probe=None).status_code, status)

    def test_reach_openings_and_what_is_held(self):
        told = self.post("/reach_of", measure="share").json
        self.assertEqual(
            {(s["grain"], r["table"]) for s in told["scans"] for r in s["filtered_by"]},
            {("Booking", "Port"), ("Booking", "Cal"), ("Booking", "Crew")},
        )
        self.assertEqual(self.post("/reach_of", table="Port").json["filters"][0], {"table": "Booking", "path": ["port"]})
        opened = self.post("/opening", **{"from": "Tag", "to": "Booking"}).json
        self.assertEqual(opened["edits"], [{"kind": "change_link", "name": "tag", "set": {"active": True}}])
        self.assertEqual(opened["given"], "given (via Tag.port = Port.code)")
        held = self.post("/held", given="via Booking.refunded = Cal.day", fact="Booking").json
        self.assertEqual(held["scans"][0]["links"], [{"link": "day", "change": "inactive"}, {"link": "refund", "change": "on"}])
        for rest, body in (
            ("/reach_of", {"table": "Nope"}),
            ("/reach_of", {"measure": "nope"}),
            ("/opening", {"from": "Port", "to": "Port"}),
            ("/held", {"given": "clear", "fact": "Booking"}),
            ("/held", {"measure": "nope"}),
            ("/star", {"fact": "Nope"}),
        ):
            self.assertEqual(self.post(rest, **body).status_code, 422, (rest, body))

    def test_tables_are_described_and_tested(self):
        said = {"role": "dimension", "grain": "one booking", "grain_columns": ["no"], "hidden": True, "subject": "Sales"}
        found = self.edit({"kind": "describe_table", "name": "Booking", **said}, 0).json
        table = found["tables"][0]
        self.assertEqual({k: table[k] for k in said}, said)
        self.assertEqual((table["apparent_role"], self.whole()["matrix"]["facts"]), ("fact", ["Crew"]))
        self.edit({"kind": "put_hierarchy", "hierarchy": {"name": "Where", "levels": ["Port.region", "port.name"]}}, 1)
        shape = self.post("/tables/Port/shape", columns=["region"]).json
        self.assertEqual((shape["grain"]["repeated"], shape["grain"]["examples"]), (2, [{"key": ["South"], "rows": 2}]))
        self.assertEqual(shape["hierarchies"], [{"name": "Where", "levels": ["Port.region", "Port.name"], "faults": []}])
        self.assertEqual(self.post("/tables/Booking/shape", columns=[]).json["hierarchies"], [])
        for change in (
            {"kind": "put_hierarchy", "hierarchy": {"name": "x", "levels": ["Port.region"]}},
            {"kind": "put_hierarchy", "hierarchy": {"name": "x", "levels": ["Port.region", "Port.nope"]}},
            {"kind": "describe_table", "name": "Port", "role": "cube"},
            {"kind": "describe_table", "name": "Port", "hidden": "yes"},
            {"kind": "remove_hierarchy", "name": "nope"},
        ):
            self.assertEqual(self.edit(change, 2).status_code, 422, change)

    def test_suggestions_are_only_told(self):
        self.edit({"kind": "change_links", "edits": [{"kind": "remove_link", "name": "port"}, {"kind": "remove_link", "name": "crew"}]}, 0)
        found = self.client.get(self.url("/suggestions")).json["suggestions"]
        self.assertEqual({s["text"] for s in found}, {"Booking.port = Port.code", "Crew.port = Port.code"})
        for taken in itertools.chain.from_iterable(itertools.combinations(found, n) for n in (1, 2)):
            edits = [{"kind": "add_link", "link": s["link"]} for s in taken]
            self.assertEqual(self.post("/trial", edits=edits).json["errors"], [])
        self.assertEqual(len(self.client.get(self.url()).json["links"]), 3)

    def test_documents_and_places(self):
        for kind, words in (("ddl", 'CREATE TABLE "Booking"'), ("dictionary", "## Measures"), ("star-svg", "<svg"), ("matrix-svg", "<svg")):
            found = self.client.get(self.url(f"/document?kind={kind}"))
            self.assertEqual((found.status_code, words in found.text), (200, True))
            self.assertIn("small-", found.headers["Content-Disposition"])
            if kind.endswith("svg"):
                ET.fromstring(found.text)
        self.assertEqual(self.client.get(self.url("/document?kind=star-svg&fact=Nope")).status_code, 422)
        self.assertEqual(self.client.get(self.url("/document?kind=x")).status_code, 422)
        before = self.post("/star", fact="Booking").json
        places = {n: [b["x"] + 300, b["row"]] for n, b in before["boxes"].items() if n != "Booking"}
        again = self.post(
            "/star", fact="Booking", before=places, rooms=before["rooms"], shape=3, opened={"Port": "keys"}, folded=["x"]
        ).json
        self.assertEqual({n: [b["x"], b["row"]] for n, b in again["boxes"].items() if n != "Booking"}, places)
        self.assertEqual((again["boxes"]["Port"]["opened"], before["boxes"]["Port"]["opened"]), (["code"], []))
        self.assertEqual(self.client.get(self.url("/document?kind=star-svg&shape=0")).status_code, 422)

    def test_a_picture_is_the_star_that_is_on_screen(self):
        self.edit({"kind": "describe_table", "name": "Port", "subject": "Shore"}, 0)

        def words(**view):
            found = self.client.post(self.url("/star/picture"), json={"fact": "Booking", **view})
            self.assertEqual((found.status_code, found.mimetype), (200, "image/svg+xml"))
            return [x.text for x in ET.fromstring(found.text).iter("{http://www.w3.org/2000/svg}text")]

        for view, shown, not_shown in (
            ({}, {"Port", "The star of Booking"}, {"code", "Shore"}),
            ({"opened": {"Port": "keys"}}, {"Port", "code"}, {"Shore"}),
            ({"folded": ["Shore"]}, {"Shore", "1 table, folded"}, {"Port", "code"}),
            ({"beside": "Crew"}, {"The star of Booking beside Crew", "Crew"}, {"code"}),
        ):
            told = set(words(**view))
            self.assertEqual((shown - told, not_shown & told), (set(), set()), view)
        self.assertEqual(self.client.post(self.url("/star/picture"), json={"fact": "Nope"}).status_code, 422)


def by_line(rows, columns, values):
    """The cells of an answer by what their line and column say, a cell for each measure."""
    return {
        (str(rows[r]), str(columns[c]), m): values[m][r][c]
        for m in range(len(values))
        for r in range(len(rows))
        for c in range(len(columns))
    }


def filled(cells):
    """Lines that only the other state has are empty in this one."""
    return {k: v for k, v in cells.items() if v is not None}


if __name__ == "__main__":
    unittest.main()
