"""Engine and oracle on 2,000 random models, formulas, probes and contexts; `SEEDS` in the environment makes it longer."""

import os
import unittest

from tests.oracle.agreement import check_seed

SEEDS = int(os.environ.get("SEEDS", "2000"))
FIRST = int(os.environ.get("FIRST_SEED", "0"))


class Agreement(unittest.TestCase):
    def test_engine_and_oracle_agree(self):
        agreed = 0
        seed = FIRST
        while agreed < SEEDS:
            agreed += check_seed(seed) is True
            seed += 1
            self.assertLess(seed - FIRST, SEEDS * 1.3, "too many formulas are refused to prove anything")


if __name__ == "__main__":
    unittest.main()
