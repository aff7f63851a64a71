"""Compiles the loops of scans before they are needed: `python -m nexorem.core.engine.warm`.

They are kept on disk beside the code. What is compiled is what a star of usual widths asks for; anything rarer is
compiled when it is met, in about a second.
"""

from __future__ import annotations

import numpy as np

from nexorem.core.engine import fast, scan
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.model import Column, Measure, Model, Table, link_from_json
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import Array, Vector

FORMULAS = (
    "rows(F)",
    "sum(F.a)",
    "sum(F.b)",
    "sum(F.c)",
    "sum(F.x)",
    "sum(F.e)",
    "avg(F.a * F.x)",
    "sum(F.y)",
    "sum(F.x * (1 - F.y))",
    "sum(F.a * F.b)",
    "min(F.a)",
    "max(F.x)",
    "max(F.d)",
    "count(F.e)",
    "count(distinct F.small)",
    "count(distinct F.wide)",
    "count(distinct F.e)",
)
PAGES: tuple[list[dict[str, str]], ...] = (
    [],
    [{"where": "D.one = 1"}],
    [{"where": "D.many = 3"}],
    [{"where": "F.small IN (1, 3, 5, 7, 9, 11)"}],
    [{"where": "F.wide < 9"}],
    [{"where": "F.wide % 7 = 1"}, {"where": "D.one IN (0, 2)"}],
)


def star() -> Star:
    """A star with columns of every width: codes of one, two and four bytes, values of one to eight."""
    size = 120_000
    at = np.arange(size)

    def whole(values: Array, empty: bool = False) -> Vector:
        return Vector("integer", values.astype(np.int64), at[: len(values)] % 7 > 0 if empty else np.ones(len(values), bool))

    dimension = 70_000
    fact = {
        "key": whole(at % dimension),
        "small": whole(at % 20),
        "wide": whole(at % 1000),
        "a": whole(at * 40 % 30_011 * 400_000),
        "b": whole(at * 7 % 90_000_001),
        "c": whole(at * 3_000_017),
        "x": Vector("number", at * 0.5, np.ones(size, bool)),
        "y": Vector("number", at % 11 / 100, np.ones(size, bool)),
        "e": whole(at % 50, True),
        "d": Vector("date", at % 3000 + 10_000, np.ones(size, bool)),
    }
    other = {"key": whole(np.arange(dimension)), "one": whole(np.arange(dimension) % 5), "many": whole(np.arange(dimension) % 700)}
    tables = {"F": fact, "D": other}
    model = Model("warm", tuple(Table(n, tuple(Column(c, v.dtype) for c, v in x.items())) for n, x in tables.items()))
    links = (link_from_json(model, {"from": "F.key", "to": "D.key"}),)
    measures = tuple(Measure(f"m{i}", formula) for i, formula in enumerate(FORMULAS))
    rows = {n: table_rows(len(next(iter(x.values()))), x) for n, x in tables.items()}
    return Star(Model("warm", model.tables, links, measures), rows)


def main() -> None:
    """Asks for all of it twice, for indexes are made when they are asked for again."""
    assert fast.FEWEST_ROWS <= 120_000 and scan.BLOCK
    star_of = star()
    for _ in range(2):
        for page in PAGES:
            for axes in ([], ["D.one"], ["D.many"], ["F.small", "D.one"]):
                probe = {"measures": [f"m{i}" for i in range(len(FORMULAS))], "rows": axes, "columns": [], "picks": page}
                answer(star_of, probe_of(star_of, probe), Budget())


if __name__ == "__main__":
    main()
