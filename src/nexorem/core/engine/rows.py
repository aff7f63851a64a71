"""Table expressions, evaluated for all contexts of a batch at once."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, assert_never

import numpy as np

from nexorem.core.engine.context import Batch, Filter, classes, left_in, members_at_hand
from nexorem.core.engine.cubes import Cube
from nexorem.core.engine.scalar import Leaf, evaluate
from nexorem.core.engine.visibility import Selector, assign, ranges, selectors, visible_pairs
from nexorem.core.functions.arithmetic import alike
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.paths import LinkState
from nexorem.core.model.star import ROWS, Star
from nexorem.core.numbering import distinct, firsts_of
from nexorem.core.plan.effects import row_effect
from nexorem.core.values import Array, Vector, combine, same_words, worst

if TYPE_CHECKING:
    from nexorem.core.engine.fast import Spread

Inner = Callable[[t.InRow, Batch, Array, Leaf], Vector]


@dataclass(frozen=True, slots=True, eq=False)
class Around:
    """What stands around a step while it works: the values of its cell-shaped parts by id of the node, one a context;
    what its rows' plans look up from outside, as codes; `cubes`, where its rows are asked for in several contexts; `sums`, what
    aggregates before it added up in the very same contexts; and `inner`, which executes these plans for pairs of a context
    and a row: (node, batch of the pairs, context of each pair, the rows' columns). `failed` uint8[size] is written to: the faults of
    contexts in which a row could not be judged."""

    star: Star
    budget: Budget
    size: int
    cells: dict[int, Vector]
    imported: tuple[Array, ...]
    _inner: Inner
    cubes: list[Cube] | None = None
    sums: dict[Hashable, Spread] = field(default_factory=dict)
    places: Array | None = None
    failed: Array = field(default_factory=lambda: np.zeros(0, np.uint8))

    def classes(self, batch: Batch) -> tuple[Batch, Array, Around]:
        """A batch of contexts that differ, the class of each context of `batch`, and what stands around those."""
        more = [*self.imported, *(v.codes()[0] for v in self.cells.values())]
        index, firsts = batch.classes(more)
        return batch.at(firsts), index, self.at(firsts)

    def at(self, contexts: Array) -> Around:
        """What stands around these contexts."""
        cells = {key: v.take(contexts) for key, v in self.cells.items()}
        places = contexts if self.places is None else self.places[contexts]
        imported, failed = tuple(c[contexts] for c in self.imported), np.zeros(len(contexts), np.uint8)
        return replace(self, size=len(contexts), cells=cells, imported=imported, sums={}, places=places, failed=failed)

    def note(self, owners: Array, failed: Array | None) -> None:
        """Fails the contexts of entries for which something could not be computed."""
        if failed is not None:
            np.maximum.at(self.failed, owners, failed)

    def inner(self, node: t.InRow, pairs: Batch, owners: Array, leaf: Leaf) -> Vector:
        """A cell-shaped node for pairs of a context and a row."""
        return self._inner(node, pairs, owners if self.places is None else self.places[owners], leaf)


@dataclass(frozen=True, slots=True, eq=False)
class Relation:
    """Rows of a table expression, an entry a pair of context and row, by context.

    owners int64[P]. `codes` has for each column of a table int64[P], members of that column's own domain; `plain` for
    any other a vector, and None for the first kind. With an identity, `rows` int64[P] are row numbers.
    """

    star: Star
    shape: t.Rows
    owners: Array
    rows: Array | None
    codes: tuple[Array | None, ...]
    plain: tuple[Vector | None, ...]
    lost: tuple[Array | None, ...]

    def __len__(self) -> int:
        return len(self.owners)

    def code(self, place: int) -> Array:
        """Members of a column of a table."""
        column = self.shape.columns[place]
        codes = self.codes[place]
        if codes is None:
            assert self.rows is not None and column.table and column.column
            return self.star.domain(column.table, (column.column,)).codes[self.rows]
        return codes

    def column(self, place: int) -> Vector:
        """The values of a column; those of an unmatched member are empty."""
        vector = self.plain[place]
        if vector is not None:
            return vector
        column = self.shape.columns[place]
        assert column.table and column.column
        if self.rows is not None and self.codes[place] is None:
            return self.star.column(column.table, column.column).take(self.rows)
        domain = self.star.domain(column.table, (column.column,))
        return self.star.column(column.table, column.column).take(domain.firsts[self.code(place)])

    def unmatched(self, place: int) -> Array:
        """bool[P]: where a column is that of an unmatched member."""
        column = self.shape.columns[place]
        if column.table and column.column:
            return np.asarray(self.code(place) == self.star.domain(column.table, (column.column,)).size - 1)
        lost = self.lost[place]
        return np.zeros(len(self), bool) if lost is None else lost

    def take(self, places: Array) -> Relation:
        """These entries, in this order."""
        return Relation(
            self.star,
            self.shape,
            self.owners[places],
            None if self.rows is None else self.rows[places],
            tuple(None if c is None else c[places] for c in self.codes),
            tuple(None if v is None else v.take(places) for v in self.plain),
            tuple(None if x is None else x[places] for x in self.lost),
        )

    def shaped(self, shape: t.Rows) -> Relation:
        """The same rows as those of another expression with the same columns."""
        return replace(self, shape=shape)

    def leaf(self, lookups: Callable[[str], Array], inner: Callable[[t.InRow], Vector]) -> Leaf:
        """What evaluates the leaves of a tree over these rows; `lookups` gives the rows of a table looked up."""
        places = {(c.table, c.column): i for i, c in enumerate(self.shape.columns) if c.table}

        def value_of(node: t.Typed) -> Vector | None:
            if isinstance(node, t.ColumnValue):
                place = places.get((node.table, node.column))
                if place is not None:
                    return self.column(place)
                return self.star.column(node.table, node.column).take(lookups(node.table))
            if isinstance(node, t.RowName):
                return self.column(node.place)
            return inner(node) if isinstance(node, t.InRow) else None

        return value_of


def row_batch(batch: Batch, rows: Relation) -> Batch:
    """The contexts of the pairs: each with its row as one more filter, or in place of those on the row's columns."""
    star, shape = rows.star, rows.shape
    effect = row_effect(star.model, shape)
    pairs = left_in(star, effect, batch).at(rows.owners)
    added = []
    for target in effect.adds:
        if target.columns is ROWS:
            assert rows.rows is not None
            added.append(Filter(target.table, ROWS, *members_at_hand(rows.rows, star.size(target.table) + 1), "row"))
        else:
            place = next(i for i, c in enumerate(shape.columns) if (c.table, (c.column,)) == (target.table, target.columns))
            size = star.domain(target.table, target.columns).size
            added.append(Filter(target.table, target.columns, *members_at_hand(rows.code(place), size), "row"))
    return pairs.adding(*added)


def over_rows(tree: t.Typed, rows: Relation, batch: Batch, around: Around, state: LinkState, batches: list[Batch] | None = None) -> Vector:
    """A row-shaped tree for every entry of a relation whose contexts are those of `batch`; `state` is that of the
    context the tree stands in; `batches` has the contexts of the entries, or is to have them once they are needed."""
    pairs = [] if batches is None else batches
    looked_up: dict[str, Array] = {}

    def lookups(table: str) -> Array:
        if table not in looked_up:
            assert rows.shape.identity and rows.rows is not None
            chains = rows.star.lookups(rows.shape.identity, state)
            looked_up[table] = rows.star.partner_along(chains[table], rows.rows)
        return looked_up[table]

    def inner(node: t.InRow) -> Vector:
        if not pairs:
            around.budget.take(len(rows), 64 + 16 * len(batch.filters), "Running over the rows of every cell")
            pairs.append(row_batch(batch, rows))
        return around.inner(node, pairs[0], rows.owners, leaf)

    leaf = rows.leaf(lookups, inner)
    return evaluate(tree, leaf, len(rows))


def relation(shape: t.Rows, batch: Batch, around: Around, state: LinkState) -> Relation:
    """A table expression in every context of a batch; `state` is that of the context it stands in."""
    around.budget.check()
    match shape:
        case t.BaseRows():
            return _base(shape, batch, around)
        case t.KnownRows():
            return without_unmatched(relation(shape.rows, batch, around, state)).shaped(shape)
        case t.WhereRows():
            rows = relation(shape.rows, batch, around, state)
            return passing(rows, over_rows(shape.predicate, rows, batch, around, state), around).shaped(shape)
        case t.TopRows():
            return _top(shape, relation(shape.rows, batch, around, state), batch, around, state)
        case t.WithRows():
            rows = relation(shape.rows, batch, around, state)
            values = tuple(
                widen(over_rows(v, rows, batch, around, state), c.dtype)
                for v, c in zip(shape.values, shape.columns[-len(shape.values) :], strict=True)
            )
            nothing = (None,) * len(values)
            more = replace(rows, codes=(*rows.codes, *nothing), plain=(*rows.plain, *values), lost=(*rows.lost, *nothing))
            return more.shaped(shape)
        case t.ListedRows():
            return _listed(shape, batch, around)
        case t.JoinedRows():
            return _joined(shape, batch, around, state)
    assert_never(shape)


def passing(rows: Relation, predicate: Vector, around: Around) -> Relation:
    """The entries for which a condition is true; contexts with one for which it failed have failed."""
    around.note(rows.owners, predicate.failed)
    return rows.take(np.flatnonzero(widen(predicate, "boolean").true()))


def without_unmatched(rows: Relation) -> Relation:
    """Without the entries that are unmatched in every column that comes from a table."""
    if rows.shape.identity and rows.rows is not None:
        return rows.take(np.flatnonzero(rows.rows < rows.star.size(rows.shape.identity)))
    of_tables = [i for i, c in enumerate(rows.shape.columns) if c.table or rows.lost[i] is not None]
    if not of_tables:
        return rows
    lost = np.logical_and.reduce([rows.unmatched(i) for i in of_tables])
    return rows.take(np.flatnonzero(~lost))


def _base(shape: t.BaseRows, batch: Batch, around: Around) -> Relation:
    """Visible rows or combinations, those of the page, or all."""
    star = around.star
    rows = range(star.size(shape.grain) + star.has_unmatched(shape.grain))
    combinations = None if shape.identity else _keys(star, shape, np.arange(len(rows)))
    if shape.quantifier == "every":
        count = len(rows) if combinations is None else len(combinations[1])
        owners, keys = np.zeros(count, np.int64), np.arange(count)
    else:
        seen = batch.page_only() if shape.quantifier == "page" else batch
        filters = selectors(star, star.inflow(shape.grain, shape.state), seen, around.budget)
        if combinations is None:
            owners, keys = visible_pairs(star, filters, seen.size, rows, around.budget)
        else:
            owners, keys = _visible_keys(star, filters, seen.size, np.arange(len(rows)), combinations[0], around)
    if shape.quantifier:
        around.budget.take(len(keys) * batch.size, 16, "Running over every row in every cell")
        owners, keys = np.repeat(np.arange(batch.size), len(keys)), np.tile(keys, batch.size)
    nothing = (None,) * len(shape.columns)
    if combinations is None:
        return Relation(star, shape, owners, keys, nothing, nothing, nothing)
    codes = tuple(_codes(star, shape, c)[combinations[1][keys]] for c in shape.columns)
    return Relation(star, shape, owners, None, codes, nothing, nothing)


def _codes(star: Star, shape: t.BaseRows, column: t.RowColumn) -> Array:
    assert column.table and column.column
    return star.spread(column.table, (column.column,), shape.lookups[column.table])


def _keys(star: Star, shape: t.BaseRows, rows: Array) -> tuple[Array, Array]:
    """The combination of each row, numbered, and the place in `rows` of the first row of each."""
    coded = [(_codes(star, shape, c)[rows], star.domain(c.table, (c.column,)).size) for c in shape.columns if c.table and c.column]
    return combine(coded) if len(rows) else (rows, rows)


def _visible_keys(star: Star, filters: Sequence[Selector], size: int, rows: Array, key: Array, around: Around) -> tuple[Array, Array]:
    """(context, key) for every key that some visible row of a context has, by context."""
    combinations, index, _ = classes([s.index for s in filters], size)
    owners, keys = [np.zeros(0, np.int64)], [np.zeros(0, np.int64)]
    for part in assign(star, filters, combinations, rows, around.budget, key):
        owners.append(part.pair_classes)
        place = np.searchsorted(rows, part.rows[part.group_firsts])
        keys.append(key[place][part.pair_groups])
    span = int(key.max(initial=0)) + 1
    both = distinct(np.concatenate(owners) * span + np.concatenate(keys))
    by_class, listed = both // span, both % span
    repeats, at = ranges(np.searchsorted(by_class, np.arange(len(combinations) + 1)), index, around.budget)
    return np.repeat(np.arange(size), repeats), listed[at]


def _top(shape: t.TopRows, rows: Relation, batch: Batch, around: Around, state: LinkState) -> Relation:
    wanted = around.cells[id(shape.count)]
    by = over_rows(shape.by, rows, batch, around, state)
    around.note(rows.owners, by.failed)
    place = competition(rows.owners, by, rows.owners, by, shape.ascending)
    most = np.where(wanted.valid, wanted.data, 0)
    return rows.take(np.flatnonzero(by.valid & (place <= most[rows.owners]))).shaped(shape)


def competition(owners: Array, values: Vector, wanted: Array, own: Vector, ascending: bool) -> Array:
    """int64: for each of `own` the number of values of the same owner that stand before it, plus one.

    `owners` and `values` are the competitors, `wanted` and `own` those who are placed. Empty values stand before
    nobody; what comes out for an empty one means nothing.
    """
    if values.dtype != own.dtype or values.dtype == "text":
        values, own = alike(values, own)
    both = Vector(values.dtype, np.concatenate([values.data, own.data]), np.concatenate([values.valid, own.valid]), values.words)
    codes, size = both.codes()
    if not ascending:
        codes = size - 1 - codes
    theirs, mine = codes[: len(values)], codes[len(values) :]
    real = np.flatnonzero(values.valid)
    keys = np.sort(owners[real] * (size + 2) + theirs[real])
    starts = np.searchsorted(keys, wanted * (size + 2))
    return np.searchsorted(keys, wanted * (size + 2) + np.maximum(mine, 0)) - starts + 1


def _listed(shape: t.ListedRows, batch: Batch, around: Around) -> Relation:
    """The lines of `values` in every context, in their order."""
    count, size = len(shape.lines), batch.size
    around.budget.take(count * size, 32, "A list of values in every cell")
    owners = np.repeat(np.arange(size), count)
    order = np.arange(size * count).reshape(count, size).T.reshape(-1)
    plain = []
    for place, column in enumerate(shape.columns):
        parts = [widen(around.cells[id(line[place])], column.dtype) for line in shape.lines]
        plain.append(stacked(parts).take(order))
    nothing = (None,) * len(plain)
    return Relation(around.star, shape, owners, None, nothing, tuple(plain), nothing)


def stacked(parts: Sequence[Vector]) -> Vector:
    """Vectors of one type, one after the other."""
    if parts[0].dtype == "text":
        parts = same_words(parts)
    data, valid = np.concatenate([p.data for p in parts]), np.concatenate([p.valid for p in parts])
    failed = [np.zeros(len(p), np.uint8) if p.failed is None else p.failed for p in parts]
    return Vector(parts[0].dtype, data, valid, parts[0].words, worst(np.concatenate(failed)))


def _joined(shape: t.JoinedRows, batch: Batch, around: Around, state: LinkState) -> Relation:
    """SQL's set operators: columns correspond by place, an unmatched member equals only another one."""
    parts: list[t.Rows] = []
    ops: list[t.JoinedRows] = []
    at: t.Rows = shape
    while isinstance(at, t.JoinedRows):
        parts.append(at.right)
        ops.append(at)
        at = at.left
    left = relation(at, batch, around, state)
    for part, op in zip(reversed(parts), reversed(ops), strict=True):
        left = _join(op, left, relation(part, batch, around, state))
    return left


def _join(shape: t.JoinedRows, left: Relation, right: Relation) -> Relation:
    keys_left, keys_right = _common(left, right)
    if shape.op == "union":
        return _union(shape, left, right, keys_left, keys_right)
    there = np.isin(keys_left, keys_right)
    keep = there if shape.op == "intersect" else ~there
    if left.shape.identity is None:
        first = np.zeros(len(left), bool)
        first[np.unique(keys_left, return_index=True)[1]] = True
        keep &= first
    return left.take(np.flatnonzero(keep)).shaped(shape)


def _common(left: Relation, right: Relation) -> tuple[Array, Array]:
    """Numbers for the rows of both sides, equal where context and values are."""
    count = len(left)
    size = int(max(left.owners.max(initial=0), right.owners.max(initial=0)))
    coded = [(np.concatenate([left.owners, right.owners]), size)]
    same_rows = left.shape.identity and left.shape.identity == right.shape.identity
    if same_rows:
        assert left.rows is not None and right.rows is not None
        coded.append((np.concatenate([left.rows, right.rows]), left.star.size(str(left.shape.identity)) + 1))
    for i, column in enumerate(left.shape.columns):
        if same_rows and column.table:
            continue
        values, lost = stacked(alike(left.column(i), right.column(i))), np.concatenate([left.unmatched(i), right.unmatched(i)])
        codes, distinct = values.codes()
        coded.append((np.where(lost, distinct + 1, codes), distinct + 1))
    keys, _ = combine(coded) if count + len(right) else (np.zeros(0, np.int64), None)
    return keys[:count], keys[count:]


def _union(shape: t.JoinedRows, left: Relation, right: Relation, keys_left: Array, keys_right: Array) -> Relation:
    keys = np.concatenate([keys_left, keys_right])
    owners = np.concatenate([left.owners, right.owners])
    distinct = np.sort(firsts_of(keys)[1])
    places = distinct[np.argsort(owners[distinct], kind="stable")]
    codes: list[Array | None] = []
    plain: list[Vector | None] = []
    lost: list[Array | None] = []
    rows = None
    if shape.identity:
        assert left.rows is not None and right.rows is not None
        rows = np.concatenate([left.rows, right.rows])
    for i, column in enumerate(shape.columns):
        of_table = column.table is not None
        codes.append(np.concatenate([left.code(i), right.code(i)]) if of_table and rows is None else None)
        plain.append(None if of_table else widen(stacked(alike(left.column(i), right.column(i))), column.dtype))
        lost.append(None if of_table else np.concatenate([left.unmatched(i), right.unmatched(i)]))
    return Relation(left.star, shape, owners, rows, tuple(codes), tuple(plain), tuple(lost)).take(places)
