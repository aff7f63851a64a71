"""What an edit makes of the contexts of a batch."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import assert_never

import numpy as np

from nexorem.core.engine.calendars import moved
from nexorem.core.engine.context import Batch, Compared, Filter, classes, constant_filter, left_in, sets_of_pairs
from nexorem.core.engine.rows import Around, Relation, relation
from nexorem.core.engine.scalar import evaluate
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.model.derived import concatenated
from nexorem.core.model.star import Star
from nexorem.core.plan.logical import ContextStep
from nexorem.core.plan.tree import inner_nodes, row_trees, rows_in
from nexorem.core.values import Array, Vector, combine

CHUNK = 4_000_000  # members × right sides tried at a time


def edited(step: ContextStep, before: Batch, around: Around) -> Batch:
    """The contexts after an edit: what its effect leaves, and the filter that it puts there."""
    star, edit = around.star, step.edit
    left = left_in(star, step.effect, before)
    match edit:
        case t.Cleared() | t.Restored() | t.Switched() | t.Turned():
            return left
        case t.Condition():
            return left.adding(condition_filter(star, edit, before, around))
        case t.Listing():
            return left.adding(listed_filter(edit, before, around))
        case t.Moved():
            by = around.cells[id(edit.by)] if edit.by is not None else None
            return left.adding(moved(star, edit, before, by, around.budget))
        case t.Matched():
            return _compared(edit, left, around)
    assert_never(edit)


def _compared(edit: t.Matched, before: Batch, around: Around) -> Batch:
    """What a `match … where` compares with, computed once in each context before it."""
    nodes = [n for n in inner_nodes(edit.predicate) if isinstance(n, t.InContext)]
    if not nodes:
        return before
    _, index, firsts = classes([around.cells[id(n.body)].codes()[0] for n in nodes], before.size)
    values = {id(n): around.cells[id(n.body)].take(firsts) for n in nodes}
    return replace(before, compared={**before.compared, id(edit.link): Compared(index, values)})


def condition_filter(star: Star, edit: t.Condition, batch: Batch, around: Around) -> Filter:
    """The filter of a condition, tried on each member of its columns; on the unmatched member all are empty.

    What stands on its right is among the cells that `around` has, one a context. Contexts with equal values share one set; those in which
    it fails on a member have failed.
    """
    firsts = star.domain(edit.table, edit.columns).firsts
    outer = {id(n): around.cells[id(n.body)] for n in inner_nodes(edit.predicate) if isinstance(n, t.InContext)}
    if not outer:
        true, failed = _tried(star, edit, firsts, {})
        around.note(np.arange(batch.size), None if failed is None else np.full(batch.size, failed.max(), np.uint8))
        return constant_filter(batch, edit.table, edit.columns, true, edit.text)
    _, index, first_contexts = classes([v.codes()[0] for v in outer.values()], batch.size)
    distinct = {key: v.take(first_contexts) for key, v in outer.items()}
    owners, members = [np.zeros(0, np.int64)], [np.zeros(0, np.int64)]
    broken = np.zeros(len(first_contexts), np.uint8)
    step = max(CHUNK // len(firsts), 1)
    for start in range(0, len(first_contexts), step):
        around.budget.check()
        part = np.arange(start, min(start + step, len(first_contexts)))
        tiled = {key: v.take(np.repeat(part, len(firsts))) for key, v in distinct.items()}
        true, failed = _tried(star, edit, np.tile(firsts, len(part)), tiled)
        places = np.flatnonzero(true)
        owners.append(part[places // len(firsts)])
        members.append(places % len(firsts))
        if failed is not None:
            np.maximum.at(broken, np.repeat(part, len(firsts)), failed)
    around.note(np.arange(batch.size), broken[index])
    sets = sets_of_pairs(np.concatenate(owners), np.concatenate(members), len(first_contexts))
    return Filter(edit.table, edit.columns, sets, index, edit.text)


def _tried(star: Star, edit: t.Condition, rows: Array, outer: Mapping[int, Vector]) -> tuple[Array, Array | None]:
    """Where a condition is true, and what failed."""

    def leaf(node: t.Typed) -> Vector | None:
        if isinstance(node, t.ColumnValue):
            return star.column(node.table, node.column).take(rows)
        return outer[id(node)] if isinstance(node, t.InContext) else None

    verdict = widen(evaluate(edit.predicate, leaf, len(rows)), "boolean")
    return verdict.true(), verdict.failed


def listed_filter(edit: t.Listing, batch: Batch, around: Around) -> Filter:
    """The filter of `COLS in ROWS`: for each context the members that its rows name."""
    few, index, own = around.classes(relevant(around.star, edit.rows, batch))
    listed = relation(edit.rows, few, own, edit.state)
    if edit.columns is None:
        assert listed.rows is not None
        members = listed.rows
        keep = np.arange(len(listed))
    else:
        members = _members(around.star, edit, listed)
        keep = np.flatnonzero(members >= 0)
    sets, number = sets_of_pairs(listed.owners[keep], members[keep], few.size).distinct()
    around.note(np.arange(batch.size), own.failed[index])
    return Filter(edit.table, edit.columns, sets, number[index], edit.text)


def relevant(star: Star, rows: t.Rows, batch: Batch) -> Batch:
    """The batch with those filters only that a table expression may see."""
    if any(inner_nodes(tree) for tree in row_trees(rows)):
        return batch
    bases = [x for x in rows_in(rows) if isinstance(x, t.BaseRows) and not x.quantifier]
    tables = {f.table for x in bases for f in star.inflow(x.grain, x.state).walk()}
    return replace(batch, filters=tuple(f for f in batch.filters if f.table in tables), axes={})


def _members(star: Star, edit: t.Listing, listed: Relation) -> Array:
    """int64[P]: the member of the edit's columns that each entry names, -1 for none.

    Null is the member `(empty)`; an unmatched member is itself on its own columns and nothing on any other.
    """
    assert edit.columns
    domain = star.domain(edit.table, edit.columns)
    mine, theirs = [], []
    gone = np.zeros(len(listed), bool)
    for column, place in zip(edit.columns, edit.places, strict=True):
        own = star.domain(edit.table, (column,))
        given = listed.shape.columns[place]
        same = (given.table, given.column) == (edit.table, column)
        codes = listed.code(place) if same else _by_value(star, edit.table, column, listed, place)
        gone |= codes < 0
        mine.append((own.codes[domain.firsts], own.size))
        theirs.append((np.maximum(codes, 0), own.size))
    if len(edit.columns) == 1:
        return np.where(gone, -1, theirs[0][0])
    joint, _ = combine([(np.concatenate([a, b]), size) for (a, size), (b, _) in zip(mine, theirs, strict=True)])
    place_of = np.full(int(joint.max(initial=0)) + 1, -1, dtype=np.int64)
    place_of[joint[: domain.size]] = np.arange(domain.size)
    return np.where(gone, -1, place_of[joint[domain.size :]])


def _by_value(star: Star, table: str, column: str, listed: Relation, place: int) -> Array:
    """The member of a column with the value of each entry, empties equal; -1 for none and for an unmatched member."""
    domain = star.domain(table, (column,))
    members = star.column(table, column).take(domain.firsts[:-1])
    both = concatenated(members, listed.column(place))
    codes, size = both.codes()
    place_of = np.full(size + 1, -1, dtype=np.int64)
    place_of[codes[: len(members)]] = np.arange(len(members))
    return np.where(listed.unmatched(place), -1, place_of[codes[len(members) :]])
