"""Holds an engine's grid against the oracle, cell by cell and line by line."""

from __future__ import annotations

import itertools
import math
from collections import Counter

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.values import iso
from tests.oracle.common import UNMATCHED, Filter, of_member
from tests.oracle.interpreter import Context, Env
from tests.oracle.random_models import Maker

FEW = {"rows": [], "columns": []}
OVERFLOW = {"error": "overflow"}


def same(a, b):
    """Equal, numbers to nine digits."""
    if isinstance(a, int | float) and isinstance(b, int | float) and not isinstance(a, bool):
        return math.isclose(a, b, rel_tol=1e-9, abs_tol=1e-9)
    if b == OVERFLOW and isinstance(a, float):
        return abs(a) > 2.0**62  # the oracle has no types: of 1 and 2.5 in two branches it goes on with the whole number
    return a == b


def shown(value):
    return "(unmatched)" if value == UNMATCHED else iso(value)


class Page:
    """The page and the lines as the oracle sees them."""

    def __init__(self, maker, probe):
        self.maker, self.probe = maker, probe
        self.oracle = maker.oracle()
        self.oracle.measures |= probe.get("define", {})
        active = [k.name for k in maker.model.links if k.active]
        self.context = Context([], active)
        for pick in probe["picks"]:
            if "column" in pick:
                table, column = pick["column"].split(".")
                allowed = [UNMATCHED if isinstance(v, dict) else (v,) for v in pick["in"]]
                self.context.filters.append(Filter(table, (column,), allowed))
        for pick in probe["picks"]:
            if "where" in pick:
                self.context = self.oracle.condition(self.oracle.tree(pick["where"]), True, Env(self.context))
        self.oracle.page = list(self.context.filters)

    def cell(self, measure, coordinates):
        """The oracle's value at coordinates of (table, column) to value."""
        context = self.context.adding(*(of_member(table, column, v) for (table, column), v in coordinates.items()))
        context.axes = frozenset(coordinates)
        return self.oracle.measure(measure, context)

    def cell_or_error(self, measure, coordinates):
        """The same, or what stands in the place of a number beyond 64 bits."""
        try:
            return self.cell(measure, coordinates)
        except OverflowError:
            return OVERFLOW

    def candidates(self, names):
        """The full lines of an axis: dicts of (table, column) to value."""
        columns = [tuple(n.split(".")) for n in names]
        parts = []
        for table in dict.fromkeys(t for t, _ in columns):
            own = [c for t, c in columns if t == table]
            rows = self.oracle.visible_rows(self.context, table)
            found = [tuple(self.oracle.value(table, r, c) for c in own) for r in rows]
            if self.oracle.has_unmatched(table) and self.oracle.visible(self.context, table, UNMATCHED):
                found.append((UNMATCHED,) * len(own))
            parts.append([dict(zip([(table, c) for c in own], f, strict=True)) for f in dict.fromkeys(found)])
        return [{k: v for part in combo for k, v in part.items()} for combo in itertools.product(*parts)], columns

    def lines(self, names):
        """Full lines and those totalled over, as the probe asks for them."""
        full, columns = self.candidates(names)
        totals = self.probe["totals"]
        levels = range(len(columns)) if totals == "all" else range(min(len(columns), 1)) if totals == "grand" else ()
        found = list(full)
        for level in levels:
            cut = [{k: line[k] for k in columns[:level]} for line in full] if level else [{}]
            found += [c for i, c in enumerate(cut) if c not in cut[:i]]
        return found


def cut(page, rows):
    """The row lines that conditions and the top leave, one after the other."""
    probe, names = page.probe, [tuple(n.split(".")) for n in page.probe["rows"]]
    if not names or not (probe.get("top") or probe.get("having")):
        return rows

    def begun(line, level):
        return {k: line[k] for k in names[: level + 1]}

    def level_of(item):
        return names.index(tuple(item["level"].split("."))) if item.get("level") else len(names) - 1

    lines = [r for r in rows if len(r) == len(names)]
    for item in probe.get("having", []):
        level = level_of(item)
        page.oracle.measures["the condition"] = item["where"]
        lines = [r for r in lines if page.cell("the condition", begun(r, level)) is True]
    top = probe.get("top")
    if top:
        level = level_of(top)
        found = [begun(r, level) for r in lines]
        starts = [s for i, s in enumerate(found) if s not in found[:i]]
        stays = []
        for start in starts:
            own = page.cell(top["by"], start)
            near = [page.cell(top["by"], s) for s in starts if all(s[k] == start[k] for k in names[:level])]
            better = [v for v in near if v is not None and own is not None and (v < own if top.get("asc") else v > own)]
            if own is not None and len(better) < top["count"]:
                stays.append(start)
        lines = [r for r in lines if begun(r, level) in stays]
    return [*lines, *(r for r in rows if len(r) < len(names) and (not r or any(r.items() <= line.items() for line in lines)))]


def expected(page, measures):
    """Every cell that the answer must hold, as (coordinates, values)."""
    probe = page.probe
    rows, columns = cut(page, page.lines(probe["rows"])), page.lines(probe["columns"])
    values = {}
    for (i, r), (j, c) in itertools.product(enumerate(rows), enumerate(columns)):
        values[i, j] = [page.cell_or_error(m, {**r, **c}) for m in measures]
    filled = {k for k, v in values.items() if any(x is not None for x in v)}
    keep = probe["empty_lines"]
    kept_rows = [i for i in range(len(rows)) if keep or not probe["rows"] or any((i, j) in filled for j in range(len(columns)))]
    kept_columns = [j for j in range(len(columns)) if keep or not probe["columns"] or any((i, j) in filled for i in range(len(rows)))]
    return [({**rows[i], **columns[j]}, values[i, j]) for i in kept_rows for j in kept_columns]


def check_seed(seed, wide=False, prepared=lambda maker: None):
    """Engine and oracle on one random model, `prepared` before it is asked. When they agreed on it, the cells that failed beside others of their measure that did not (so
    zero for most); None when the formula was refused."""
    maker = Maker(seed, wide)
    maker.with_measures(maker.r.randint(1, 3))
    measures = [m.name for m in maker.model.measures]
    probe = maker.probe(measures)
    prepared(maker)
    good = []
    for name in measures:
        try:
            answer(maker.star, probe_of(maker.star, {**probe, **FEW, "measures": [name]}), Budget())
            good.append(name)
        except Refused:
            continue
    if not good:
        return None
    probe["measures"] = good
    if not wide:
        maker.cutting(probe)
    grid = answer(maker.star, probe_of(maker.star, probe), Budget())
    for _ in range(3):  # asked again, it is made ready, and indexes stand
        again = answer(maker.star, probe_of(maker.star, probe), Budget())
        assert list(again.tidy()) == list(grid.tidy()), f"seed {seed}: asked again it is another: {describe(maker, probe)}"
        assert (again.left_out, again.dtypes) == (grid.left_out, grid.dtypes), f"seed {seed}: {describe(maker, probe)}"
    found = {}
    for cell in grid.tidy():
        place = frozenset((k, v) for k, v in cell.items() if k not in good)
        found[place] = [cell[m] for m in good]
    page, failed = Page(maker, probe), {}
    wanted = expected(page, good)
    assert len(found) == len(wanted), f"seed {seed}: {len(found)} cells instead of {len(wanted)}: {describe(maker, probe)}"
    for coordinates, values in wanted:
        place = frozenset((f"{t}.{c}", shown(v)) for (t, c), v in coordinates.items())
        assert place in found, f"seed {seed}: no cell {set(place)}: {describe(maker, probe)}"
        for name, mine, theirs in zip(good, found[place], values, strict=True):
            own = failed.setdefault(name, Counter())
            own[mine == OVERFLOW] += 1
            assert same(mine, iso(theirs)), f"seed {seed}: {name} at {set(place)} is {mine}, should be {theirs}: {describe(maker, probe)}"
    return sum(own[True] for own in failed.values() if own[False])


def describe(maker, probe):
    """What a person needs to see the failure again."""
    links = [f"{k.name}: {k.ends_text} {k.cardinality} {k.flow} active={k.active} firm={k.firm}" for k in maker.model.links]
    measures = [f"{m.name} = {m.formula}" for m in maker.model.measures]
    rows = [f"{n}: {rows}" for n, rows in maker.tables.items()]
    return "\n".join(["", *links, *measures, str(probe), *rows])
