"""A standalone cluster on loopback, a master and two workers, asked over Spark Connect: grids of the demo and of the small star come to what they
are here. Run by `./run-tests --cluster`, for it needs Java and a download of its own."""

import tempfile
import unittest
from pathlib import Path

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.package.read import open_package
from nexorem.sql.asked import asked
from nexorem.sql.proof import Answer, compared, tidy_lines, values_by_place
from nexorem.store.cluster import free_port
from nexorem.store.elsewhere import elsewhere
from nexorem.store.proving import axes_of
from nexorem.store.spark import spark
from nexorem.store.spark_cluster import cluster, put_tables, write_tables
from tests.core.small import STAR
from tests.core.test_language_page import examples, told

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"
SECONDS = 120


class Cluster(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = cls.enterClassContext(tempfile.TemporaryDirectory())
        cls.folder = Path(folder)
        cls.address = cls.enterClassContext(cluster(cls.folder, free_port()))

    def put(self, star, name):
        put_tables(self.address, write_tables(star, self.folder / name), SECONDS)

    def test_grids_of_the_demo(self):
        star = open_package(DEMO)
        self.put(star, "demo")
        proven = 0
        with elsewhere(self.address, star.model, None, SECONDS) as there:
            self.assertEqual((there.proven.firm, there.proven.unmatched), (star.firm, star.unmatched))
            for one in [x for x in asked(star) if x.about.startswith("probe ")]:
                with self.subTest(one.about):
                    try:
                        lines = there.answer(one.probe)
                    except Refused as refused:
                        self.assertIn(refused.diagnostics[0].code, ("no_sql", "no_row_key"))
                        continue
                    grid = answer(star, one.probe, Budget())
                    proof = compared(grid, Answer(values_by_place(axes_of(one.probe), one.probe.measures, lines), {}, 0.0), "The cluster")
                    self.assertEqual(proof.state, "proven", proof.sentence)
                    proven += 1
        self.assertGreater(proven, 12)

    def test_the_page_of_the_language(self):
        self.put(STAR, "small")
        with elsewhere(self.address, STAR.model, None, SECONDS) as there:
            met = 0
            for formula, given in examples():
                with self.subTest(formula):
                    probe = probe_of(there.proven, {"measures": ["x"], "define": {"x": formula}})
                    try:
                        (cell,) = tidy_lines((), ("x",), there.answer(probe))
                    except Refused as refused:  # rows of Booking and Crew have no key there
                        self.assertEqual(refused.diagnostics[0].code, "no_row_key")
                        continue
                    met += 1
                    self.assertEqual(told(cell["x"]), given)
            self.assertGreater(met, 50)

    def test_what_it_says_and_when_it_ends(self):
        with spark(self.address, 1.0) as asking:
            for text, code in (
                ("SELECT * FROM nothing_there", "no_table"),
                ("SELECT CAST(9223372036854775807 AS BIGINT) + 1", "overflow"),
                ("SELECT FROM WHERE", "cluster"),
                ("SELECT SUM(a.id * b.id % 7) FROM range(3000000) a CROSS JOIN range(3000000) b", "limit_seconds"),
            ):
                with self.subTest(text), self.assertRaises(Refused) as caught:
                    asking.rows(text)
                self.assertEqual(caught.exception.diagnostics[0].code, code)
            self.assertEqual(asking.rows("SELECT :a + 1", {"a": 6}), [(7,)])


if __name__ == "__main__":
    unittest.main()
