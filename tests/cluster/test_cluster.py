"""A standalone cluster on loopback, a master and two workers, asked over Spark Connect: grids of the demo and of the small star come to what they
are here. Run by `./run-tests --cluster`, for it needs Java and a download of its own."""

import unittest
from pathlib import Path

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.limits import Budget
from nexorem.package.read import open_package
from nexorem.sql.asked import asked
from nexorem.sql.proof import Answer, compared, values_by_place
from nexorem.store.elsewhere import elsewhere
from nexorem.store.proving import axes_of
from nexorem.store.spark_cluster import WORKERS
from tests.sql import test_local_session

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"
SECONDS = 120


class Cluster(test_local_session.Asked):
    workers = WORKERS

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


if __name__ == "__main__":
    unittest.main()
