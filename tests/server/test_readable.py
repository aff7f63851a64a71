"""What no type of ours can hold is refused in a sentence, wherever it stands in a request; nothing is answered with a defect."""

import json
import unittest

from nexorem.server.app import create_app
from nexorem.work.actor import COMMAND_LINE
from tests.server.warehouse import DEMO
from tests.store.cluster import fresh_url

HALF = "\\ud800"
BODIES = {  # as they are sent, and what is said
    "not JSON": ('{"probe": ', "not JSON"),
    "no number": ('{"probe": {"measures": [], "limit": NaN}}', "NaN is no number"),
    "infinite": ('{"probe": {"measures": [], "limit": -Infinity}}', "-Infinity is no number"),
    "too large a number": ('{"probe": {"measures": ["seats_sold"], "limit": 1e999}}', "too large"),
    "beyond 64 bits": ('{"probe": {"measures": ["seats_sold"]}, "release": 9223372036854775808}', "beyond 64 bits"),
    "half a character": (f'{{"probe": {{"measures": ["{HALF}"]}}}}', "half a character"),
    "half a name": (f'{{"{HALF}": 1}}', "half a character"),
    "very deep": ('{"probe": ' + "[" * 900 + "]" * 900 + "}", "100 levels"),
    "deeper": ('{"probe": ' + "[" * 100_000 + "]" * 100_000 + "}", "100 levels"),
    "no UTF-8": (b'{"probe": "\xff"}', "not JSON"),
}
ADDRESSES = {
    "tables/%00/rows": 422,
    "tables/a%ED%A0%80/rows": 422,
    "tables/Port/rows?start=99999999999999999999": 422,
    "tables/Port/rows?start=-1": 422,
    "files?name=" + "a" * 300 + ".csv": 422,
    "releases/99999999999999999999": 404,
    "loads/99999999999/comparison": 404,
    "history/-5": 404,
}


class Readable(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = create_app(fresh_url())
        cls.id = cls.app.extensions["nexorem"].open(COMMAND_LINE, DEMO)

    def answer(self, method, path, **more):
        answer = self.app.test_client().open(path, method=method, **more)
        self.assertLess(answer.status_code, 500, (path, answer.text[:500]))
        return answer

    def test_bodies(self):
        for name, (body, said) in BODIES.items():
            for path in ("grid", "edits", "checks/try"):
                with self.subTest(name, path=path):
                    told = self.answer("POST", f"/api/models/{self.id}/{path}", data=body, content_type="application/json")
                    self.assertEqual(told.status_code, 422, told.text[:300])
                    self.assertIn(said, told.json["errors"][0]["message"])

    def test_a_body_of_another_kind(self):
        for kind in ("multipart/form-data; boundary=x", "text/plain", "application/x-www-form-urlencoded"):
            told = self.answer("POST", f"/api/models/{self.id}/grid", data=b"--x", content_type=kind)
            self.assertEqual((told.status_code, told.json["errors"][0]["code"]), (422, "bad_request"), kind)

    def test_addresses(self):
        for path, status in ADDRESSES.items():
            with self.subTest(path):
                method = "PUT" if path.startswith("files") else "GET"
                told = self.answer(method, f"/api/models/{self.id}/{path}", data=b"a" if method == "PUT" else None)
                self.assertEqual(told.status_code, status, told.text[:300])
                self.assertEqual(told.mimetype, "application/problem+json")
        told = self.answer("PATCH", f"/api/models/{self.id}/grid")
        self.assertEqual((told.status_code, told.headers["Allow"]), (405, "POST"))
        for path in ("/api/models/99999999999999999999", "/api/models/2147483648/history", "/%00", "/" + "a" * 5_000, "/assets/%00.js"):
            with self.subTest(path):
                self.answer("GET", path)

    def test_states_that_there_never_were(self):
        cell = {"probe": {"rows": ["Port.name"], "measures": ["seats_sold"]}, "at": []}
        for path, body in (
            ("cell/then", {**cell, "measure": "seats_sold", "number": -5}),
            ("cell/then", {**cell, "measure": "seats_sold", "number": 10**15}),
            ("cell/blame", {**cell, "measure": "nope"}),
        ):
            told = self.app.test_client().post(f"/api/models/{self.id}/{path}", json=body)
            self.assertEqual(told.status_code, 422, told.text[:300])

    def test_names_that_nothing_can_have(self):
        """Texts with NUL and of any length in every place of an edit that takes one."""
        for odd in ("a\0b", "x" * 100_000, "\u202e", "  "):
            for change in (
                {"kind": "add_measure", "measure": {"name": odd, "formula": "1"}},
                {"kind": "add_measure", "measure": {"name": "m", "formula": odd}},
                {"kind": "add_measure", "measure": {"name": "m", "formula": "1", "description": odd}},
                {"kind": "add_probe", "probe": {"name": odd, "measures": ["seats_sold"]}},
            ):
                body = json.dumps({"edit": change, "base": 0})
                told = self.answer("POST", f"/api/models/{self.id}/edits", data=body, content_type="application/json")
                self.assertIn(told.status_code, (200, 409, 413, 422), told.text[:300])


if __name__ == "__main__":
    unittest.main()
