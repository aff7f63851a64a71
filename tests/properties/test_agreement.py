"""Engine and oracle on 2,000 random models, formulas, probes and contexts; `SEEDS` in the environment makes it longer.

Half of the seeds run with the plain ways of an aggregate, half with the compiled scans, in blocks of a few rows, and with
the lines of axes over several tables taken from the facts.
"""

import os
import unittest
from unittest import mock

from nexorem.core.engine import fast, grid, lines, scan
from tests.oracle.agreement import check_seed

SEEDS = int(os.environ.get("SEEDS", "2000"))
FIRST = int(os.environ.get("FIRST_SEED", "0"))


class Agreement(unittest.TestCase):
    def agree(self, seed, count):
        agreed, first = 0, seed
        while agreed < count:
            agreed += check_seed(seed) is True
            seed += 1
            self.assertLess(seed - first, count * 1.3, "too many formulas are refused to prove anything")

    def test_engine_and_oracle_agree(self):
        self.agree(FIRST, SEEDS // 2)

    def test_compiled_scans_agree_too(self):
        few = (
            mock.patch.object(fast, "FEWEST_ROWS", 0),
            mock.patch.object(lines, "CROSSED", 0),
            mock.patch.multiple(grid, FEW_ROWS=range(99), FEW_USED=0),
        )
        with mock.patch.multiple(scan, BLOCK=3, SHARE=2), few[0], few[1], few[2]:
            self.agree(FIRST + 100_000, SEEDS - SEEDS // 2)
            # A filter that runs from the rows to what they look up closes its (unmatched) line.
            self.assertTrue(check_seed(1_000_565))


if __name__ == "__main__":
    unittest.main()
