"""Aggregates over many rows: what the compiled scan can do of them, and putting its groups together for each context."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from nexorem.core.engine.adding import EXACT, Adder
from nexorem.core.engine.context import one_set
from nexorem.core.engine.cubes import Cube, answered, coarsened, wholly
from nexorem.core.engine.scalar import evaluate
from nexorem.core.engine.scan import MOST_GROUPS, Scan
from nexorem.core.engine.stages import Block, Digit, Totals
from nexorem.core.engine.visibility import Selector, Varying, pairs_of
from nexorem.core.functions.convert import widen
from nexorem.core.functions.library import FUNCTIONS as FUNCTIONS_BY_NAME
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct, numbered, spread_out
from nexorem.core.plan.tree import column_values
from nexorem.core.values import NUMERIC, Array, Vector

SAMPLE = 20_000  # combinations that are looked at before all are
FEWEST_ROWS = 100_000  # below, plain NumPy is as fast
FUNCTIONS = ("rows", "count", "sum", "avg", "min", "max")


def digits(star: Star, filters: Sequence[Selector], wanted: Array) -> tuple[list[Digit], list[Varying]]:
    """The digits of the selectors at hand for classes that want these sets, int64[classes, selectors]; and for those
    that vary what the groups of the scan are spread by, in the order of their digits."""
    made: list[Digit] = []
    varying: list[Varying] = []
    filters, wanted = _single(star, filters, wanted)
    for i, selector in enumerate(filters):
        size = star.domain(selector.table, selector.columns).size
        sets, own = selector.sets, wanted[:, i]
        if (own == own[0]).all():
            made.append(Digit(selector, np.where(sets.mask(int(own[0]), size), 0, -1).astype(np.int32), 1))
            continue
        used, renumbered = numbered(own)
        few = sets.only(used)
        parts = few.parts(size)
        if parts is not None:
            place = parts.astype(np.int32)
            made.append(Digit(selector, place, len(used)))
            varying.append(Varying(place, len(used), renumbered.reshape(-1), None))
            continue
        members = distinct(few.members)
        place = np.full(size, -1, np.int32)
        place[members] = np.arange(len(members))
        made.append(Digit(selector, place, max(len(members), 1)))
        compact = type(few)(few.offsets, place[few.members].astype(np.int64))
        varying.append(Varying(place, max(len(members), 1), renumbered.reshape(-1), compact))
    return made, varying


def _single(star: Star, filters: Sequence[Selector], wanted: Array) -> tuple[list[Selector], Array]:
    """Constant selectors over several columns as one a column, where their set is a product: codes of one column are
    narrower, and their members stand together more often."""
    selectors: list[Selector] = []
    columns: list[Array] = []
    for i, selector in enumerate(filters):
        own = wanted[:, i]
        parts = [selector]
        if selector.columns and len(selector.columns) > 1 and (own == own[0]).all():
            parts = _factors(star, selector, int(own[0])) or parts
        selectors += parts
        columns += [own if part is selector else np.zeros_like(own) for part in parts]
    return selectors, np.stack(columns, axis=1) if columns else wanted


def _factors(star: Star, selector: Selector, k: int) -> list[Selector] | None:
    """A set of combinations as sets of its columns; None where it is no product of them."""
    assert selector.columns
    domain = star.domain(selector.table, selector.columns)
    mask = selector.sets.mask(k, domain.size)
    if _is_no_product(star, selector, mask):
        return None
    product = np.ones(domain.size, bool)
    parts = []
    for column in selector.columns:
        own = star.domain(selector.table, (column,))
        codes = own.codes[domain.firsts]
        passing = np.zeros(own.size, bool)
        passing[codes[mask]] = True
        product &= passing[codes]
        parts.append(Selector(selector.table, (column,), selector.chain, one_set(passing), selector.index))
    return parts if np.array_equal(product, mask) else None


def _is_no_product(star: Star, selector: Selector, mask: Array) -> bool:
    """Whether some of the combinations show that a set is no product of sets of its columns: one that does not pass, of members that do."""
    assert selector.columns
    domain = star.domain(selector.table, selector.columns)
    some = spread_out(domain.size, SAMPLE)
    passing, failing = some[mask[some]], some[~mask[some]]
    within = np.ones(len(failing), bool)
    for column in selector.columns:
        own = star.domain(selector.table, (column,))
        passes = np.zeros(own.size, bool)
        passes[own.codes[domain.firsts[passing]]] = True
        within &= passes[own.codes[domain.firsts[failing]]]
    return bool(within.any())


@dataclass(frozen=True, slots=True, eq=False)
class Spread:
    """Groups of rows and the classes they are visible in: group `pair_groups[i]` in class `pair_classes[i]`.

    `partial` has for each group its rows, its filled rows, and its sum or extreme.
    """

    pair_groups: Array
    pair_classes: Array
    partial: dict[str, Vector]


def suits(star: Star, node: t.Aggregate) -> bool:
    """Whether an aggregate without cell-shaped parts can be scanned."""
    kind = node.argument.dtype if node.argument is not None else "integer"
    fit = kind in NUMERIC or (kind in ("date", "datetime") and node.function in ("min", "max", "count"))
    return star.size(node.grain) >= FEWEST_ROWS and node.function in FUNCTIONS and fit and not node.distinct


def split_where(star: Star, node: t.Aggregate) -> tuple[list[Selector], t.Typed | None]:
    """The aggregate's own condition: its parts that are about one column, as selectors, and the rest."""
    if node.where is None:
        return [], None
    parts = conjuncts(node.where)
    plain, rest = [], []
    for part in parts:
        columns = {(c.table, c.column) for c in column_values(part)}
        if len(columns) == 1 and star.column(*next(iter(columns))).codes is not None:
            table, column = next(iter(columns))
            domain = star.domain(table, (column,))
            members = star.column(table, column).take(domain.firsts)
            true = evaluate(part, _only(members), domain.size)
            plain.append(Selector(table, (column,), node.lookups[table], one_set(widen(true, "boolean").true()), np.zeros(1, np.int64)))
        else:
            rest.append(part)
    if not rest:
        return plain, None
    both = FUNCTIONS_BY_NAME["AND"]
    return plain, rest[0] if len(rest) == 1 else t.Fold(node.where.span, "boolean", (both,) * (len(rest) - 1), tuple(rest))


def _only(members: Vector) -> Callable[[t.Typed], Vector | None]:
    return lambda node: members if isinstance(node, t.ColumnValue) else None


def conjuncts(node: t.Typed) -> list[t.Typed]:
    """The parts that AND joins."""
    if isinstance(node, t.Fold) and all(f.name == "AND" for f in node.functions):
        return [x for a in node.arguments for x in conjuncts(a)]
    if isinstance(node, t.Apply) and node.function.name == "AND":
        return [x for a in node.arguments for x in conjuncts(a)]
    return [node]


@dataclass(frozen=True, slots=True, eq=False)
class Prepared:
    """All of a pattern's scan that is the same each time: the scan, what its groups are spread by, and what is left of the aggregate's own
    condition."""

    scan: Scan
    varying: list[Varying]
    where: t.Typed | None


def prepared(star: Star, node: t.Aggregate, filters: Sequence[Selector], wanted: Array) -> Prepared:
    """The scan of one pattern of filters, for classes that want these sets."""
    own, rest = split_where(star, node)
    made, varying = digits(star, [*filters, *own], np.hstack([wanted, np.zeros((len(wanted), len(own)), np.int64)]))
    return Prepared(Scan(star, node.grain, made), varying, rest)


def scanned(
    star: Star,
    node: t.Aggregate,
    filters: Sequence[Selector],
    wanted: Array,
    budget: Budget,
    cubes: list[Cube] | None = None,
    kept: dict[str, Any] | None = None,
) -> Spread | None:
    """One pattern of filters, scanned for classes that want these sets; None where it has too many groups, or sums
    that might not fit 64 bits. `cubes` are those of earlier scans for the same aggregate, where it will be asked again; `kept` has what was
    made ready for this very pattern before: its "filters" and its "scan", or the "cube" that it is made from.
    """
    kept = kept if kept is not None else {}
    ready = kept.get("scan")
    if ready is None:
        filters = kept.setdefault("filters", [coarsened(star, s) for s in filters])
        if cubes is not None:
            spread = _from_cubes(star, node, filters, wanted, budget, cubes, kept)
            if spread is not None:
                return spread
        ready = prepared(star, node, filters, wanted)
        if cubes is None:
            kept["scan"] = ready
    scan = ready.scan
    if scan.groups > MOST_GROUPS:
        return None
    added = _added(star, node, scan, ready.where, budget)
    if added is None:
        return None
    present, partial = added
    pair_groups, pair_classes = _spread(scan, ready.varying, present, len(wanted), budget)
    return Spread(pair_groups, pair_classes, partial)


def _added(star: Star, node: t.Aggregate, scan: Scan, where: t.Typed | None, budget: Budget) -> tuple[Array, dict[str, Vector]] | None:
    """A scan, run: the groups that have rows, and what was added up for each; None where 64 bits might not hold a sum, or a row
    has failed."""
    budget.take(scan.groups, 32 * budget.limits.workers, "Adding up by group")
    adder = Adder(star, node, where)
    rows = scan.row_counts() if where is None and adder.full else None
    adder.counted = rows is not None
    counts_only = rows is not None and adder.counts_only
    parts = [] if counts_only else scan.run(lambda: adder.empty(scan.room), adder, budget)
    totals = adder.together(parts or [adder.empty(scan.room)])
    if adder.failed and scan.whole:  # it may have failed for a row that does not pass
        scan.whole = False
        return _added(star, node, scan, where, budget)
    if rows is not None:
        totals.rows = totals.filled = rows
    if adder.failed or totals.largest * scan.size >= EXACT:
        return None
    present = np.flatnonzero(totals.rows[: scan.groups])
    return present, _partial(node, adder, totals, present)


def _spread(scan: Scan, varying: Sequence[Varying], present: Array, classes: int, budget: Budget) -> tuple[Array, Array]:
    """(group, class) for every group of a scan that has rows, and each class it is visible in."""
    places = [p for p, d in zip(scan.digit_of(present), scan.digits, strict=True) if any(d.place is v.codes for v in varying)]
    return pairs_of(varying, places, len(present), classes, budget)


def _from_cubes(
    star: Star, node: t.Aggregate, filters: Sequence[Selector], wanted: Array, budget: Budget, cubes: list[Cube], kept: dict[str, Any]
) -> Spread | None:
    """The same out of a cube, one made before or one made now."""
    for cube in cubes:
        pairs = answered(star, cube, filters, wanted, budget)
        if pairs is not None:
            return Spread(*pairs, cube.partial)
    made = _cube(star, node, filters, wanted, budget, kept)
    if made is None:
        return None
    cubes.append(made)
    pairs = answered(star, made, filters, wanted, budget)
    return Spread(*pairs, made.partial) if pairs is not None else None


def _cube(
    star: Star, node: t.Aggregate, held: Sequence[Selector], wanted: Array, budget: Budget, kept: dict[str, Any] | None = None
) -> Cube | None:
    ready = kept.get("cube") if kept else None
    if ready is None:
        ready = _cube_scan(star, node, held, wanted)
        if ready is None:
            return None
        if kept is not None:
            kept["cube"] = ready
    columns, constant, scan, rest = ready
    added = _added(star, node, scan, rest, budget)
    if added is None:
        return None
    present, partial = added
    codes = scan.digit_of(present)[-len(columns) :]
    return Cube(columns, codes, constant, partial)


CubeScan = tuple[list[Selector], list[tuple[Selector, Array]], Scan, t.Typed | None]


def _cube_scan(star: Star, node: t.Aggregate, held: Sequence[Selector], wanted: Array) -> CubeScan | None:
    """The scan that a cube is made by."""
    shape = wholly(star, held, wanted)
    if shape is None:
        return None
    columns, constant = shape
    own, rest = split_where(star, node)
    filters = [s for s, _ in constant]
    fixed = np.array([[int(wanted[0, held.index(s)]) for s in filters] + [0] * len(own)], dtype=np.int64)
    made, _ = digits(star, [*filters, *own], fixed)
    for selector in columns:
        size = star.domain(selector.table, selector.columns).size
        made.append(Digit(selector, np.arange(size, dtype=np.int32), size))
    return columns, constant, Scan(star, node.grain, made), rest


def counted(
    star: Star, node: t.Aggregate, filters: Sequence[Selector], wanted: Array, budget: Budget, kept: dict[str, Any] | None = None
) -> Spread | None:
    """`count(distinct …)` of a column of the grain for one pattern of filters; None where groups would have to be put
    together, for different values of two groups may be the same. `kept` has what was made ready for this very pattern before.

    The rows are gone through in the order of the column, so that a value is new to a group where it differs from the
    group's last one.
    """
    argument = node.argument
    assert isinstance(argument, t.ColumnValue)
    if node.where is None and not filters and star.size(node.grain):
        return _every_member(star, argument, len(wanted))
    kept = kept if kept is not None else {}
    ready: Prepared = kept.get("counting") or kept.setdefault("counting", prepared(star, node, filters, wanted))
    index = star.member_rows(argument.table, (argument.column,), ()) if ready.where is None else None
    if index is None:
        return None
    scan, varying = ready.scan.along(index), ready.varying
    if scan.groups > MOST_GROUPS or any(v.overlapping is not None for v in varying):
        return None
    budget.take(scan.groups, 24 * budget.limits.workers, "Adding up by group")
    domain = star.domain(argument.table, (argument.column,))
    keys = index.ordered("own", domain.codes)
    none = domain.size - 2 if not star.column(argument.table, argument.column).full() else -1

    def empty() -> Totals:
        zeros = np.zeros(scan.room, np.int64)
        return Totals(zeros, zeros, np.zeros(scan.room, np.int64), np.full(scan.room, -1, np.int32))

    def work(block: Block, totals: Totals) -> None:
        from nexorem.core.engine import kernels as k

        mine = keys[block.start : block.start + block.count] if block.rows is None else keys[block.rows[: block.count]]
        if known is None:
            k.count_changes(mine, block.groups[: block.count], none, totals.other, totals.values, totals.rows)
        else:
            k.count_new(mine, block.groups[: block.count], none, totals.other, totals.values)

    known = scan.row_counts()
    parts = scan.run(empty, work, budget)
    rows = np.sum([p.rows for p in parts], axis=0) if known is None else known
    values = np.sum([p.values for p in parts], axis=0)
    present = np.flatnonzero(rows[: scan.groups])
    pair_groups, pair_classes = _spread(scan, varying, present, len(wanted), budget)
    return Spread(pair_groups, pair_classes, {"count": Vector("integer", values[present], np.ones(len(present), bool))})


def _every_member(star: Star, argument: t.ColumnValue, classes: int) -> Spread:
    """`counted` where nothing filters: as many as the column has members, an empty one aside. No row is looked at."""
    members = star.domain(argument.table, (argument.column,)).size - 1
    if not star.column(argument.table, argument.column).full():
        members -= 1
    count = Vector("integer", np.array([members]), np.ones(1, bool))
    return Spread(np.zeros(classes, np.int64), np.arange(classes), {"count": count})


def suits_counting(star: Star, node: t.Aggregate) -> bool:
    """Whether a distinct count can be scanned."""
    argument = node.argument
    plain = isinstance(argument, t.ColumnValue) and argument.table == node.grain
    return node.distinct and plain and star.size(node.grain) >= FEWEST_ROWS


def _partial(node: t.Aggregate, adder: Adder, totals: Totals, present: Array) -> dict[str, Vector]:
    every = np.ones(len(present), bool)
    filled = totals.filled[present]
    partials = {"rows": Vector("integer", totals.rows[present], every), "count": Vector("integer", filled, every)}
    if node.function in ("sum", "avg"):
        data = totals.values[present]
        partials["sum"] = Vector(adder.kind, data, (filled > 0) & np.isfinite(data))
    elif node.function in ("min", "max"):
        data = (totals.values if node.function == "min" else totals.other)[present]
        partials[node.function] = Vector(adder.kind, np.where(filled > 0, data, 0), filled > 0)
    return partials
