"""Random models, formulas and probes answered by SQL, cell by cell and line by line as the engine answers them: 2,000 on the embedded
columnar database, a few hundred on PostgreSQL; `SQL_SEEDS` and `POSTGRESQL_SEEDS` in the environment make it longer."""

import os
import re
import unittest

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.cleared import cleared
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.specs import Clearance
from tests.core.small import STAR
from tests.core.test_language_page import examples, told
from tests.core.test_meaning import CASES
from tests.oracle.agreement import FEW, describe, same
from tests.oracle.random_models import Maker, random_rules
from tests.sql.voices import Server, columnar

SEEDS = int(os.environ.get("SQL_SEEDS", "2000"))
POSTGRESQL_SEEDS = int(os.environ.get("POSTGRESQL_SEEDS", "300"))
FIRST = int(os.environ.get("FIRST_SEED", "0"))


def random_probe(seed, under_rules=False):
    """A star, a probe of it whose formulas are accepted, and the engine's cells; None where all are refused, or the rules."""
    maker = Maker(seed)
    if under_rules:
        try:
            maker.star = cleared(maker.star, Clearance("some", random_rules(maker)), {"email": "a", "name": "b"}, Budget())
        except Refused:  # a rule that looks at other tables, or fails on some row
            return None
    maker.with_measures(maker.r.randint(1, 3))
    names = [m.name for m in maker.model.measures]
    probe = maker.probe(names)
    probe["measures"] = []
    for name in names:
        try:
            answer(maker.star, probe_of(maker.star, {**probe, **FEW, "measures": [name]}), Budget())
            probe["measures"].append(name)
        except Refused:
            continue
    if not probe["measures"]:
        return None
    maker.cutting(probe)
    return maker, probe, list(answer(maker.star, probe_of(maker.star, probe), Budget()).tidy())


# A percentile's last digit under %; a `match` that looks at an axis it is not in force with; one that leads to no row of the table.
ONCE_APART = (1_004_433, 1_008_860, 30_012_065)

# The text of a number whose last digit is a matter of the order of addition may be longer there.
DIGITS = re.compile(r"CAST\(.*(stddev|avg|median|percentile|/|%).* AS text")


class Agreement(unittest.TestCase):
    def agree(self, seed, voice, under_rules=False):
        """Whether there was something to agree on."""
        made = random_probe(seed, under_rules)
        if made is None:
            return False
        maker, probe, wanted = made
        if any(DIGITS.search(m.formula) for m in maker.model.measures):
            return False
        with voice(maker.star.unruled or maker.star) as database:
            found = database.cells(probe, maker.star if under_rules else None)
        measures = probe["measures"]
        places = [[{k: v for k, v in cell.items() if k not in measures} for cell in cells] for cells in (found, wanted)]
        self.assertEqual(*places, f"seed {seed}: {describe(maker, probe)}")
        for mine, theirs in zip(found, wanted, strict=True):
            for name in measures:
                self.assertTrue(same(mine[name], theirs[name]), f"seed {seed}: {name} at {mine}, not {theirs}: {describe(maker, probe)}")
        return True

    def test_the_columnar_database_agrees(self):
        agreed = sum(self.agree(seed, columnar) for seed in (*ONCE_APART, *range(FIRST, FIRST + SEEDS)))
        self.assertGreater(agreed, SEEDS * 0.8)

    def test_the_columnar_database_agrees_under_rules_of_rows(self):
        agreed = 0
        for seed in range(FIRST, FIRST + SEEDS // 4):
            agreed += self.agree(seed, columnar, under_rules=True)
        self.assertGreater(agreed, SEEDS // 4 * 0.7)

    def test_postgresql_agrees(self):
        server = Server()
        agreed = sum(self.agree(seed, server) for seed in range(FIRST, FIRST + POSTGRESQL_SEEDS))
        self.assertGreater(agreed, POSTGRESQL_SEEDS * 0.8)


class Meaning(unittest.TestCase):
    """What the language's page says, and what formulas mean by hand."""

    def on(self, voice):
        with voice(STAR) as database:
            for formula, given in examples():
                with self.subTest(formula):
                    (cell,) = database.cells({"measures": ["x"], "define": {"x": formula}})
                    self.assertEqual(told(cell["x"]), given)
            met = 0
            for text, formula, at, expected in CASES:
                names = {name.replace("__", "."): shown(v) for name, v in at.items()}
                probe = {"rows": list(names), "measures": ["x"], "define": {"x": formula}, "empty_lines": True}
                for cell in database.cells(probe):
                    if all(cell[n] == v for n, v in names.items()):
                        met += 1
                        with self.subTest(text):
                            self.assertTrue(same(cell["x"], expected), f"{cell['x']}, not {expected}")
            self.assertGreater(met, 40)

    def test_on_the_columnar_database(self):
        self.on(columnar)

    def test_on_postgresql(self):
        self.on(Server())


def shown(value):
    return value if isinstance(value, str | int | float) or value is None else "(unmatched)"


if __name__ == "__main__":
    unittest.main()
