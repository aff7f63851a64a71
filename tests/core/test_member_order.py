"""Members stand in the order of the column they are ordered by, else naturally: on axes, under sorts, in out-files."""

import functools
import random
import re
import unittest
from dataclasses import replace

from nexorem.core.engine.grid import answer
from nexorem.core.engine.member_order import member_ranks
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.check import check_shape
from tests.core.small import make_star

BANDS = [
    ("fine", "Week 10", 30),
    ("fine", "Week 9", 9),
    ("rough", "Week 1", 5),
    ("rough", None, None),
    ("fine", "week 2", 2),
    (None, "9b", 1),
    ("x", "09a", 1),
    ("x", "9a", 1),
    ("x", "a" + "9" * 5000, 1),
]


def ordered(**by):
    star = make_star({"B": ("size:text label:text low:integer", BANDS)}, [], {})
    table = star.model.tables[0]
    columns = tuple(replace(c, order_by=by.get(c.name, "")) for c in table.columns)
    return star.with_model(replace(star.model, tables=(replace(table, columns=columns),)))


def labels(star, *rows, **probe):
    found = answer(star, probe_of(star, {"rows": list(rows), "measures": ["x"], "define": {"x": "rows(B)"}, **probe}), Budget())
    return [[c.get(r) for r in rows] for c in found.tidy()]


class MemberOrder(unittest.TestCase):
    def test_numbers_inside_texts_count_as_numbers(self):
        shown = [x for (x,) in labels(ordered(), "B.label")]
        self.assertEqual(shown[:3], ["09a", "9a", "9b"])
        self.assertEqual(shown[3:], ["Week 1", "Week 9", "Week 10", "a" + "9" * 5000, "week 2", None])

    def test_by_another_column(self):
        star = ordered(label="low", size="label")
        self.assertEqual(
            [x for (x,) in labels(star, "B.label", sort=[{"by": "B.label", "desc": True}])][:4], ["Week 10", "Week 9", "Week 1", "week 2"]
        )
        self.assertEqual([x for (x,) in labels(star, "B.size")], ["x", "fine", "rough", None])  # by their first labels: 09a, week 2 ...
        nested = labels(star, "B.size", "B.label", totals="all")
        self.assertEqual([b for a, b in nested if a == "fine"], ["week 2", "Week 9", "Week 10", None])
        self.assertEqual(nested[-1], [None, None])

    def test_ranks_are_a_permutation_and_agree_with_comparing(self):
        for seed in range(60):
            r = random.Random(seed)
            words = [
                r.choice(["a", "b", "", "Q", "é"]) + r.choice(["", "1", "01", "2", "10", "100"]) + r.choice(["", "x", " 3"])
                for _ in range(r.randint(1, 40))
            ]
            lines = [(w if r.random() < 0.9 else None, r.choice([1, 2, 3, None])) for w in words]
            star = make_star({"T": ("w:text n:integer", lines)}, [], {})
            ranks, domain = member_ranks(star, "T", "w"), star.domain("T", ("w",))
            self.assertEqual(sorted(ranks.tolist()), list(range(domain.size)))
            members = star.column("T", "w").take(domain.firsts[:-1]).tolist()
            shown = [m for _, m in sorted(zip(ranks.tolist(), members, strict=False))]
            known = [m for m in shown if m is not None]
            self.assertEqual(known, sorted(known, key=functools.cmp_to_key(compare)), seed)
            self.assertTrue(None not in shown or shown[-1] is None)

    def test_what_cannot_be(self):
        for by, code in (
            ({"label": "nope"}, "unknown_column"),
            ({"label": "label"}, "ordered_in_a_ring"),
            ({"label": "low", "low": "label"}, "ordered_in_a_ring"),
        ):
            self.assertEqual({d.code for d in check_shape(ordered(**by).model)}, {code}, by)
        self.assertEqual(check_shape(ordered(label="low").model), [])


def compare(one, other):
    """Piece by piece: numbers by their value, before letters; letters by code point; what is alike then by its text."""
    a, b = (re.findall(r"[0-9]+|[^0-9]+", x) for x in (one, other))
    for x, y in zip(a, b, strict=False):
        if x.isdigit() and y.isdigit() and x.isascii() and y.isascii():
            if int(x) != int(y):
                return -1 if int(x) < int(y) else 1
        elif x != y:
            return -1 if x[0] in "0123456789" else 1 if y[0] in "0123456789" else -1 if x < y else 1
    return len(a) - len(b) or (-1 if one < other else 1 if one > other else 0)


if __name__ == "__main__":
    unittest.main()
