"""The 22 questions of the public decision-support benchmark: each probe equals its SQL in a columnar database, cell by cell."""

import datetime as dt
import math
import unittest
from dataclasses import replace
from decimal import Decimal

from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.check import check_model
from nexorem.core.model.model import Model
from tests.core.small import edited
from tests.plain import suggestions
from tests.tpch.model import LINKS, made
from tests.tpch.queries import QUERIES


def plain(value):
    """A value of either side, to be compared."""
    if isinstance(value, dt.date):
        return value.isoformat()
    return float(value) if isinstance(value, int | float | Decimal) and not isinstance(value, bool) else value


class Benchmark(unittest.TestCase):
    maxDiff = None

    def test_every_question_has_the_answer_of_sql(self):
        star, base, _ = made()
        for number, (sql, asked) in QUERIES.items():
            with self.subTest(f"question {number}"):
                probe = {k: v for k, v in asked.items() if k != "unshown"}
                keys, measures = len(asked.get("rows", ())), 0 if "unshown" in asked else len(asked["measures"])
                grid = answer(star, probe_of(star, probe), Budget())
                cells = [list(c.values()) for c in grid.tidy()]
                found = {tuple(map(plain, c[:keys])): list(map(plain, c[keys : keys + measures])) for c in cells}
                expected = {tuple(map(plain, r[:keys])): list(map(plain, r[keys:])) for r in base.execute(sql).fetchall()}
                self.assertTrue(expected, "a question without an answer proves nothing")
                self.assertEqual(set(found), set(expected))
                for key, values in expected.items():
                    for mine, theirs in zip(found[key], values, strict=True):
                        self.assertTrue(math.isclose(mine, theirs, rel_tol=1e-9, abs_tol=1e-9), (key, mine, theirs))

    def test_decimals_are_found_by_their_digits(self):
        star, base, _ = made()
        for value, count in base.execute(
            "SELECT ps_supplycost, count(*) FROM partsupp GROUP BY ALL ORDER BY 2 DESC, 1 LIMIT 60"
        ).fetchall():
            asked = {"measures": ["n"], "define": {"n": f"rows(Partsupp where Partsupp.ps_supplycost = {value})"}}
            self.assertEqual(next(answer(star, probe_of(star, asked), Budget()).tidy())["n"], count, value)

    def test_its_links_are_suggested_and_can_be_taken_together(self):
        star, _, _ = made()
        stored = [
            replace(t, columns=tuple(c for c in t.columns if not c.formula)) for t in star.model.tables if not t.name.startswith("Home")
        ]
        bare = star.with_model(Model("bare", tuple(stored)))
        found = suggestions(bare)
        ends = {s["text"].replace("(", "").replace(")", "") for s in found if s["link"]["active"]}
        known = {
            f"{a} = {b}".replace(", l_suppkey", ", Lineitem.l_suppkey").replace(", ps_suppkey", ", Partsupp.ps_suppkey")
            for _, a, b in LINKS
            if "Home" not in a + b
        }
        self.assertEqual(ends, known)
        self.assertEqual(check_model(edited(bare, [{"kind": "add_link", "link": s["link"]} for s in found])), [])


if __name__ == "__main__":
    unittest.main()
