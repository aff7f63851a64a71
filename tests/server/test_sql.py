"""SQL over HTTP: statements, one cell, a grid proven now and all of them in the background; a release keeps what was proven."""

import unittest

from nexorem.package.write import package_files
from nexorem.server.app import create_app, in_background
from nexorem.store.proving import SCHEMA
from tests.checks.test_checks import SEATS, table
from tests.core.small import STAR, keeping
from tests.server.test_server import zipped
from tests.store.cluster import fresh_url
from tests.waiting import until

CHECKS = [
    {"name": "North", "probe": SEATS, "must": table(("North", 5))},
    {"name": "broken", "probe": SEATS, "must": {"hold": "nope > 1"}},
    {"name": "few", "rows": "Port", "must": {"count": {"at_most": 9}}},
]
NORTH = [{"column": "Port.region", "member": {"kind": "value", "value": "North"}}]


class Sql(unittest.TestCase):
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

    def settled(self):
        return until(lambda: not (told := self.ask("/proofs"))["running"] and all(p["proof"] for p in told["proofs"]) and told)["proofs"]

    def test_statements(self):
        answer = self.ask("/sql", probe=SEATS)
        self.assertIn("port_lines AS (", answer["text"])
        self.assertEqual([d["name"] for d in answer["dialects"]], ["postgresql", "spark"])
        self.assertIn("`Port`", self.ask("/sql", probe=SEATS, dialect="spark")["text"])
        self.assertIn("region = 'North'", self.ask("/sql", probe=SEATS, at=NORTH)["text"])
        self.assertEqual(self.ask("/sql", 422, probe=SEATS, dialect="other")["errors"][0]["code"], "bad_dialect")
        wrong = self.ask("/sql", 422, probe={"measures": ["x"], "define": {"x": "sum(seats for each Crew)"}})["errors"][0]
        self.assertEqual(wrong["code"], "no_row_key")

    def test_a_grid_and_a_cell_proven_now(self):
        answer = self.ask("/sql/prove", probe=SEATS)
        self.assertEqual((answer["proof"]["state"], answer["proof"]["different"]), ("proven", 0))
        north = next(x for x in answer["lines"] if x["at"] == {"Port.region": "North"})
        self.assertEqual(north["values"][0], {"measure": "seats", "ours": 5, "theirs": 5, "same": True})
        (cell,) = self.ask("/sql/prove", probe=SEATS, at=NORTH)["lines"]
        self.assertEqual(cell, north)
        crew = {"measures": ["x"], "define": {"x": "sum(seats for each Crew)"}}
        self.assertEqual(self.ask("/sql/prove", probe=crew)["proof"]["state"], "proven", "there rows are numbered")

    def test_all_grids_in_the_background(self):
        self.assertEqual({p["about"] for p in self.ask("/proofs")["proofs"] if p["proof"] is None}, {"probe By region", "check North"})
        self.ask("/proofs/run", None)
        told = {p["about"]: p for p in self.settled()}
        self.assertEqual(
            {a: p["proof"]["state"] for a, p in told.items()},
            {"probe By region": "proven", "check North": "proven", "check broken": "cannot"},
        )
        self.assertIn("nope", told["check broken"]["proof"]["sentence"])
        self.assertEqual(told["probe By region"]["words"], "seats and trips by Port.region")
        self.assertIn("PostgreSQL", told["probe By region"]["proof"]["by"])
        # A proof is of what a grid was computed from: an edit takes it away, and its undo brings it back.
        self.ask("/edits", edit={"kind": "change_link", "name": "port", "set": {"active": False}}, base=self.ask("")["version"])
        self.assertEqual([p["proof"] for p in self.ask("/proofs")["proofs"]][:2], [None, None])
        self.ask("/undo", expected=1)
        self.assertEqual(self.ask("/proofs")["proofs"][0]["made_at"], told["probe By region"]["made_at"])
        # A release keeps it.
        number = self.ask("/releases", name="One", base=self.ask("")["version"])["number"]
        kept = next(r for r in self.ask("/releases")["releases"] if r["number"] == number)["evidence"]["proofs"]
        self.assertEqual(
            [(p["about"], p["state"], p["cells"]) for p in kept], [("probe By region", "proven", 8), ("check North", "proven", 8)]
        )
        self.assertIn(
            "2 of 2 grids are the same in SQL, 16 cells.", self.client.get(f"/api/models/{self.model}/releases/{number}/report").text
        )

    def test_one_that_differs(self):
        self.ask("/sql/prove", probe=SEATS)
        with self.workspace.engine.begin() as connection:
            for (name,) in connection.exec_driver_sql(f"SELECT name FROM {SCHEMA}.held").fetchall():
                connection.exec_driver_sql(f"TRUNCATE {SCHEMA}.{name}")
        answer = self.ask("/sql/prove", probe=SEATS)
        self.assertEqual(answer["proof"]["state"], "differs")
        self.assertEqual({v["same"] for x in answer["lines"] for v in x["values"]}, {False})
        self.assertEqual(self.ask("/proofs")["proofs"][0]["proof"]["state"], "differs")


if __name__ == "__main__":
    unittest.main()
