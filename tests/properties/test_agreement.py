"""Engine and oracle on 2,000 random models, formulas, probes and contexts; `SEEDS` in the environment makes it longer.

Half of the seeds run with the plain ways of an aggregate, half with the compiled scans, in blocks of a few rows, and with
the lines of axes over several tables taken from the facts.
"""

import os
import unittest
from contextlib import suppress
from unittest import mock

from nexorem.core import columns
from nexorem.core.diagnostics import Refused
from nexorem.core.engine import aggregate, cubes, fast, folding, grid, lines, scan, visibility
from nexorem.core.engine.cubes import coarsened
from nexorem.core.engine.folding import folded
from tests.oracle.agreement import check_seed

SEEDS = int(os.environ.get("SEEDS", "2000"))
WIDE_SEEDS = int(os.environ.get("WIDE_SEEDS", "200"))
FIRST = int(os.environ.get("FIRST_SEED", "0"))


@mock.patch.object(columns, "MOST_NUMBERS", 3)  # some of their doubles are coded, and some are not
class Agreement(unittest.TestCase):
    def agree(self, seed, count):
        agreed, first = 0, seed
        while agreed < count:
            agreed += check_seed(seed) is not None
            seed += 1
            self.assertLess(seed - first, count * 1.3, "too many formulas are refused to prove anything")

    def test_engine_and_oracle_agree(self):
        self.agree(FIRST, SEEDS // 2)

    def test_compiled_scans_agree_too(self):
        few = (
            mock.patch.multiple(fast, FEWEST_ROWS=0, SAMPLE=3),
            mock.patch.object(lines, "CROSSED", 0),
            mock.patch.multiple(grid, FEW_ROWS=range(99), FEW_USED=0),
        )
        acted = []

        def coarser(star, selector):
            found = coarsened(star, selector)
            acted.append(found is not selector)
            return found

        folds = []

        def fewer(star, pattern, budget):
            found = folded(star, pattern, budget)
            folds.append(found is not pattern)
            return found

        short = (
            mock.patch.multiple(visibility, MANY=3, INDEXED=0.7, PAIRS_AT_ONCE=5),
            mock.patch.object(folding, "MANY_CLASSES", 2),
            mock.patch.object(aggregate, "folded", fewer),
        )
        finer = mock.patch.multiple(cubes, FINE=2, COARSER=1), mock.patch.object(fast, "coarsened", coarser)
        with (
            mock.patch.multiple(scan, BLOCK=3, SHARE=2, SAMPLE=2, FEW=0.6),
            few[0],
            few[1],
            few[2],
            finer[0],
            finer[1],
            short[0],
            short[1],
            short[2],
        ):
            self.agree(FIRST + 100_000, SEEDS - SEEDS // 2)
            self.assertGreater(sum(acted), len(acted) // 200, "dates are hardly ever taken for their months")
            self.assertGreater(sum(folds), len(folds) // 200, "filters of rows hardly ever take others in")
            # A filter that runs from the rows to what they look up closes its (unmatched) line.
            self.assertIsNotNone(check_seed(1_000_565))

    def test_numbers_beyond_64_bits_fail_their_own_cells(self):
        """On models with very large whole numbers: just those cells fail for which the oracle leaves 64 bits."""
        apart = 0
        for seed in range(WIDE_SEEDS):
            with suppress(Refused):  # a page condition that fails refuses the probe
                apart += check_seed(seed, wide=True) or 0
        self.assertGreater(apart, WIDE_SEEDS // 20)


if __name__ == "__main__":
    unittest.main()
