"""Rules of rows on random models: what a star comes to that was cleared of rows is what the oracle finds in a model from which these rows were
deleted, whatever the formula; and the rows are those that the oracle sees under the rules as filters."""

import os
import unittest
from collections import Counter
from contextlib import suppress

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.cleared import cleared
from nexorem.core.limits import Budget
from nexorem.core.model.specs import Clearance
from tests.oracle.agreement import Page, check_seed
from tests.oracle.random_models import random_rules

SEEDS = int(os.environ.get("CLEARED_SEEDS", "500"))
PERSON = {"email": "a", "name": "b"}
FIRST = int(os.environ.get("FIRST_SEED", "0"))


class Cleared(unittest.TestCase):
    def clear(self, maker, met):
        """Clears a maker's star by the engine, and its rows by the oracle."""
        rules = random_rules(maker)
        star = cleared(maker.star, Clearance("some", rules), PERSON, Budget())
        told = [x.replace("person('name')", "'b'").replace("person('email')", "'a'") for x in rules]
        context = Page(maker, {"picks": [{"where": x} for x in told]}).context
        oracle = maker.oracle()
        left = {name: [rows[i] for i in oracle.visible_rows(context, name)] for name, rows in maker.tables.items()}
        for name, rows in left.items():
            self.assertEqual(star.column(name, "id").rows().tolist(), [row["id"] for row in rows], (name, rules))
            met["some" if rows and len(rows) < len(maker.tables[name]) else "all" if rows else "none"] += 1
        maker.tables, maker.star = left, star

    def test_as_if_the_rows_were_not_there(self):
        met, agreed = Counter(), 0
        for seed in range(FIRST, FIRST + SEEDS):
            with suppress(Refused):  # of a page, or a rule whose condition fails on some row
                agreed += check_seed(seed, prepared=lambda maker: self.clear(maker, met)) is not None
        self.assertGreater(agreed, SEEDS * 0.8)
        self.assertGreater(met["some"], SEEDS * 0.3, met)


if __name__ == "__main__":
    unittest.main()
