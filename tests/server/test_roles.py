"""A table used again in another role: what filters through it, that it follows the first, and that it is one edit."""

import unittest

from nexorem.server.app import create_app
from tests.core.small import STAR
from tests.server.test_server import package_files, zipped
from tests.store.cluster import fresh_url


class Roles(unittest.TestCase):
    def setUp(self):
        app = create_app(fresh_url())
        self.workspace, self.client = app.extensions["nexorem"], app.test_client()
        self.addCleanup(self.workspace.engine.dispose)
        self.id = self.client.post("/api/models", data=zipped(package_files(STAR))).json["id"]

    def edit(self, status=200, **change):
        answer = self.client.post(f"/api/models/{self.id}/edits", json={"edit": change, "base": 10**6})
        self.assertEqual(answer.status_code, status, answer.data)
        return answer.json

    def grid(self, column, formula):
        probe = {"rows": [column], "measures": ["x"], "define": {"x": formula}}
        answer = self.client.post(f"/api/models/{self.id}/grid", json={"probe": probe})
        self.assertEqual(answer.status_code, 200, answer.data)
        return answer.json["rows"]["lines"], answer.json["values"]

    def test_a_role_filters_as_the_link_does_that_it_takes_over(self):
        via = self.grid("Cal.day", "seats given (via Booking.refunded = Cal.day)")
        self.edit(kind="put_column", name="Cal", column={"name": "shown", "formula": "CAST(Cal.day AS text) || '!'"})
        model = self.edit(kind="make_role", name="Cal", **{"as": "Refund day"}, columns=["Booking.refunded"])
        role = next(t for t in model["tables"] if t["name"] == "Refund day")
        self.assertEqual((role["calendar"], role["origin"]), ("day", {"kind": "role", "table": "Cal"}))
        self.assertEqual([c["name"] for c in role["columns"] if c["hidden"]], ["day"])
        self.assertEqual(next(c["formula"] for c in role["columns"] if c["name"] == "shown"), "CAST(\"Refund day\".day AS text) || '!'")
        links = {k["text"]: k["active"] for k in model["links"]}
        self.assertTrue(
            links[
                "Booking.refunded = Refund day.day"
                if "Booking.refunded = Refund day.day" in links
                else 'Booking.refunded = "Refund day".day'
            ]
        )
        self.assertFalse(any(t.startswith("Booking.refunded = Cal") for t in links))
        self.assertEqual(self.grid('"Refund day".day', "seats"), via)
        self.assertEqual(model["undo"]["title"], "use Cal again as Refund day")
        back = self.client.post(f"/api/models/{self.id}/undo", json={"expected": model["undo"]["number"]}).json
        self.assertNotIn("Refund day", [t["name"] for t in back["tables"]])
        self.assertTrue(any(k["text"] == "Booking.refunded = Cal.day" for k in back["links"]))

    def test_it_follows_the_steps_and_the_name_of_the_first(self):
        self.edit(kind="make_role", name="Port", **{"as": "Home port"})
        self.edit(kind="make_role", name="Home port", **{"as": "Home of home"})  # a role of a role
        self.edit(kind="shape_table", name="Port", steps=[{"kind": "keep_rows", "condition": "depth > 3"}])
        model = self.edit(kind="rename", what="table", name="Port", to="Harbour")
        sizes = {t["name"]: t["rows"] for t in model["tables"]}
        self.assertEqual((sizes["Harbour"], sizes["Home port"], sizes["Home of home"]), (2, 2, 2))
        self.assertEqual(next(t["origin"] for t in model["tables"] if t["name"] == "Home port"), {"kind": "role", "table": "Harbour"})

    def test_what_is_no_role_is_refused(self):
        self.edit(kind="make_table", table={"name": "Busy", "formula": "every Port where seats > 1"})
        for change, words in (
            ({"name": "Nope", "as": "X"}, "table Nope does not exist"),
            ({"name": "Busy", "as": "X"}, "no rows to share"),
            ({"name": "Port", "as": "Cal"}, "already a table Cal"),
            ({"name": "Port", "as": "X", "columns": ["Booking.port", "Tag.port"]}, "of one table"),
            ({"name": "Port", "as": "X", "columns": ["Port.code"]}, "of one table"),
            ({"name": "Port", "as": "X", "columns": ["Booking.port", "Booking.day"]}, "does not lead to"),
            ({"name": "Port", "as": "X", "columns": ["Booking.nope"]}, "no column nope"),
            ({"name": "Port", "as": " "}, "as is empty"),
            ({"name": "Port"}, "as is missing"),
        ):
            with self.subTest(change):
                told = self.edit(422, kind="make_role", **change)
                self.assertIn(words, told["errors"][0]["message"])
        remade = self.edit(422, kind="remake_table", name="Port", origin={"kind": "role", "table": "Port"})
        self.assertIn("itself", remade["errors"][0]["message"])


if __name__ == "__main__":
    unittest.main()
