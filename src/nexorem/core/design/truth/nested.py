"""The mark of totals that hold parents beside their children: a table that is a tree, whose facts name both."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from typing import Any
from weakref import WeakKeyDictionary

from nexorem.core.design.truth.additive import adds
from nexorem.core.design.truth.mark import CLOSE, Mark, make_mark, mend_of, mended_measure
from nexorem.core.design.truth.seen import Seen
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import Probe
from nexorem.core.language import typed as t
from nexorem.core.model.model import Table
from nexorem.core.model.names import column_text
from nexorem.core.model.star import Star
from nexorem.core.plan.effects import effect_of
from nexorem.core.plan.tree import edits_of, scans
from nexorem.core.words import counted

UPWARD = re.compile(r"parent|above|superior|belongs|part_?of|rolls?_?(up|into)|^under|upper", re.IGNORECASE)
MOST_MEMBERS = 20_000

_kept: WeakKeyDictionary[Star, dict[Any, Any]] = WeakKeyDictionary()


def nested_rows(seen: Seen, measure: t.MeasureValue) -> Iterator[Mark]:
    """Trees whose parents have, in numbers, what their children have together: a total counts it twice."""
    star = seen.star
    if not adds(measure):
        return
    filtered = {table for table, _ in seen.paged} | {
        table for e in edits_of(measure) for table, _ in effect_of(star.model, e).touched(star.model)
    }
    for table in star.model.tables:
        tree = parent_column(star, table)
        if tree is None or table.name in filtered or not _filters(star, measure, table.name):
            continue
        parents = _repeating(seen, measure, table.name, *tree)
        if parents:
            key, parent = (column_text(table.name, c) for c in tree)
            name = star.column(table.name, tree[0]).at(parents[0])
            have = "has" if len(parents) == 1 else "have"
            sentence = (
                f"{table.name} holds parents beside their children: {counted(len(parents), 'row')} of it, {name} for one, {have} what "
                f"their children have together, and a total of {measure.name} counts it twice."
            )
            given = f"given (keep {key} in (every {key} except every {parent}))"
            made = mend_of(star, seen.grid.probe.define, measure, measure.body, f"({measure.formula}) {given}", given)
            after = mended_measure(star, seen.grid.probe.define, made, measure) if made else None
            mends = [made] if made and after and not _repeating(seen, after, table.name, *tree) else []
            yield make_mark("nested", sentence, [table.name], [(table.name, tree[1])], mends=mends)


def _filters(star: Star, measure: t.MeasureValue, table: str) -> bool:
    """Whether every row behind a measure looks the table up."""
    every = scans(measure)
    return bool(every) and all(s.grain != table and star.inflow(s.grain, s.state).worst_step(table) == "lookup" for s in every)


def parent_column(star: Star, table: Table) -> tuple[str, str] | None:
    """A table's key column and the column that names a row's parent by it; None where the table is no tree."""

    def find() -> tuple[str, str] | tuple[()]:
        for link in star.model.links:
            if link.from_table == link.to_table == table.name and len(link.from_columns) == 1:
                return link.to_columns[0], link.from_columns[0]
        for parent in (c for c in table.columns if UPWARD.search(c.name)):
            for key in (c for c in table.columns if c.name != parent.name and c.dtype == parent.dtype):
                if _names_rows(star, table.name, key.name, parent.name):
                    return key.name, parent.name
        return ()

    return star.derive(("tree", table.name, tuple(k.name for k in star.model.links if k.tables == {table.name})), find) or None


def _names_rows(star: Star, table: str, key: str, parent: str) -> bool:
    """Whether every parent is another row's key, which is unique."""
    keys, parents = star.column(table, key).rows().tolist(), star.column(table, parent).rows().tolist()
    names = set(keys)
    named = [p for p in parents if p is not None]
    return bool(named) and len(names) == len(keys) and set(named) <= names and all(k != p for k, p in zip(keys, parents, strict=True))


def _repeating(seen: Seen, measure: t.MeasureValue, table: str, key: str, parent: str) -> list[int]:
    """The rows of a tree that have children with values, and as much as these together; empty where fewer than half of the parents do."""
    star = seen.star
    kept = _kept.setdefault(star, {})
    place = (measure.name, measure.formula, repr(sorted(seen.grid.probe.define.items())), table, seen.page_key)
    if place not in kept:
        kept[place] = _compare(seen, measure, table, key, parent)
    listed: list[int] = kept[place]
    return listed


def _compare(seen: Seen, measure: t.MeasureValue, table: str, key: str, parent: str) -> list[int]:
    star, probe = seen.star, seen.grid.probe
    if star.size(table) > MOST_MEMBERS:
        return []
    define = {**probe.define, measure.name: measure.formula}
    probe_of_keys = Probe(rows=((table, key),), measures=(measure.name,), define=define, picks=probe.picks, conditions=probe.conditions)
    try:
        grid = answer(star, probe_of_keys, seen.budget)
    except Refused:
        return []
    vector = grid.values[0]
    domain = star.domain(table, (key,))
    rows = domain.firsts[grid.rows.lines[:, 0]]
    own = {int(r): float(v) for r, v, full in zip(rows, vector.data, vector.valid, strict=True) if full and r < star.size(table)}
    by_key = {k: i for i, k in enumerate(star.column(table, key).rows().tolist())}
    sums: dict[int, list[float]] = {}
    for child, name in enumerate(star.column(table, parent).rows().tolist()):
        if name is not None and name in by_key and child in own:
            sums.setdefault(by_key[name], []).append(own[child])
    both = [p for p in sums if p in own]
    twice = [p for p in both if math.isclose(own[p], math.fsum(sums[p]), rel_tol=CLOSE) and own[p] and len(sums[p]) > 1]
    return sorted(twice) if 2 * len(twice) >= len(both) and twice else []
