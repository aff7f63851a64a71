"""A table made by a formula is a table like any other: linked, suggested, profiled, renamed, looked at before it is kept."""

import unittest

from nexorem.server.app import create_app
from tests.core.small import STAR
from tests.server.test_server import package_files, zipped
from tests.store.cluster import fresh_url


class FormulaTables(unittest.TestCase):
    def setUp(self):
        app = create_app(fresh_url())
        self.workspace, self.client = app.extensions["nexorem"], app.test_client()
        self.addCleanup(self.workspace.engine.dispose)
        self.id = self.client.post("/api/models", data=zipped(package_files(STAR))).json["id"]

    def edit(self, change):
        return self.client.post(f"/api/models/{self.id}/edits", json={"edit": change, "base": 10**6})

    def test_it_is_linked_undone_and_done_again(self):
        made = self.edit({"kind": "make_table", "table": {"name": "Busy", "formula": "every Port where seats > 1"}})
        self.assertEqual(made.status_code, 200, made.data)
        preview = self.client.post(
            f"/api/models/{self.id}/link", json={"link": {"from": "Tag.port", "to": "Busy.code"}, "name": None, "edits": []}
        )
        self.assertEqual(preview.status_code, 200, preview.data)
        link = {"kind": "add_link", "link": {"from": "Tag.port", "to": "Busy.code", "name": "busy", "cardinality": "many-to-one"}}
        trial = self.client.post(f"/api/models/{self.id}/trial", json={"edits": [link], "probe": None})
        self.assertEqual((trial.status_code, trial.json["errors"]), (200, []), trial.data)
        self.assertEqual(self.edit({"kind": "change_links", "edits": [link], "title": "link it"}).status_code, 200)
        self.assertEqual(self.edit({"kind": "rename", "what": "table", "name": "Busy", "to": "Much used"}).status_code, 200)
        for number in (3, 2, 1):
            self.assertEqual(self.client.post(f"/api/models/{self.id}/undo", json={"expected": number}).status_code, 200)
        for number in (1, 2, 3):
            answer = self.client.post(f"/api/models/{self.id}/redo", json={"expected": number})
            self.assertEqual(answer.status_code, 200, answer.data)
        self.assertIn("Much used", [k["to_table"] for k in answer.json["links"]])
        self.assertEqual(len(self.client.get(f"/api/models/{self.id}/tables/Much used/profiles").json["profiles"]), 4)

    def test_it_is_looked_at_before_it_is_kept(self):
        def tried(**body):
            return self.client.post(f"/api/models/{self.id}/computed", json=body)

        told = tried(formula="every Port.region").json
        self.assertEqual(
            (told["size"], [c["name"] for c in told["columns"]], told["rows"]), (3, ["region"], [["North"], ["South"], [None]])
        )
        told = tried(formula="depth * 2", table="Port", column="twice").json
        self.assertEqual((told["columns"][-1], [r[-1] for r in told["rows"]]), ({"name": "twice", "dtype": "integer"}, [10, 6, 18, None]))
        self.assertEqual(told["rows"][0][0], "a")
        for body in (
            {"formula": "every Nope"},
            {"formula": "every"},
            {"formula": "nope + 1", "table": "Port"},
            {"formula": "1", "table": "Nope"},
        ):
            answer = tried(**body)
            self.assertEqual(answer.status_code, 422, body)
            self.assertTrue(answer.json["errors"][0]["message"])
        self.assertEqual(self.client.get(f"/api/models/{self.id}").json["version"], 0)

    def test_several_columns_at_once_are_one_edit(self):
        done = self.edit(
            {
                "kind": "put_columns",
                "name": "Port",
                "columns": [{"name": "depth", "hidden": True}, {"name": "NAME", "hidden": True, "order_by": "depth"}],
            }
        )
        columns = {c["name"]: (c["hidden"], c["order_by"]) for t in done.json["tables"] if t["name"] == "Port" for c in t["columns"]}
        self.assertEqual(columns, {"code": (False, ""), "name": (True, "depth"), "region": (False, ""), "depth": (True, "")})
        self.assertEqual((done.json["version"], done.json["undo"]["title"]), (1, "change 2 columns of Port"))
        self.assertEqual(self.edit({"kind": "put_columns", "name": "Port", "columns": [{"name": "nope", "hidden": True}]}).status_code, 422)
        self.assertEqual(
            self.edit({"kind": "put_column", "name": "Port", "column": {"name": "name", "order_by": "nope"}}).json["errors"][0]["code"],
            "unknown_column",
        )


if __name__ == "__main__":
    unittest.main()
