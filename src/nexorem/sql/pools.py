"""Aggregates over the visible rows of a table. Every row once: aggregates that run over the same rows share one pass over them, a *pool*;
what they come to in each context is put together from its groups."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import sqlalchemy as sa
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql import ClauseElement

from nexorem.core.language import typed as t
from nexorem.sql.aggregates import BY_PARTS, aggregated, parts_of, percentile_of, together, value_of
from nexorem.sql.build import Build, Reader, reader_of
from nexorem.sql.contexts import Value, in_order
from nexorem.sql.dialects import TYPES, number
from nexorem.sql.reach import Reach, Seen, Spot, bound, total
from nexorem.sql.row_values import row_value
from nexorem.sql.scalars import Sql, Typed, truth
from nexorem.sql.tree import TOTAL, Pair, Slot, labelled, pair_of, same

RowTree = Callable[[Reader], Typed]


@dataclass(eq=False)
class Entry:
    """One aggregate in a pool: what it adds up, for which rows, what comes to these rows. `called` is what it is called, and `same` tells
    those apart that add up the same; `columns` are those of its value and its parts by their name."""

    called: str
    same: object
    function: str
    argument: RowTree | None
    where: RowTree | None
    found: list[Reach]
    dtype: str
    columns: dict[str, str] = field(default_factory=dict)

    @property
    def deps(self) -> frozenset[Slot]:
        """The members on which it depends."""
        return frozenset(s for r in self.found for s in r.deps)

    @property
    def keys(self) -> dict[Slot, Spot]:
        """The members of contexts that are columns of the rows."""
        return {s: spot for r in self.found for s, spot in r.keys.items()}

    @property
    def on(self) -> frozenset[Spot]:
        """The columns at which relations decide."""
        return frozenset(spot for r in self.found for j in r.joins for spot, _ in j.on) | {spot for r in self.found for _, spot in r.equal}

    @property
    def sets(self) -> list[tuple[Slot, ...]]:
        """The sets of members that its contexts have, by pattern."""
        return [in_order(r.deps) for r in self.found]

    @property
    def part(self) -> object:
        """What its parts are made of: those with the same have the same."""
        return self.same, self.function, frozenset((id(p), path) for p, path in self.found[0].predicates)

    def conditions(self) -> dict[object, Callable[[Reader], Sql]]:
        """What its rows have to be, each by what it is."""
        tests: dict[object, Callable[[Reader], Sql]] = {}
        for predicate, path in self.found[0].predicates:
            tests[id(predicate), path] = lambda reader, p=predicate, at=path: p.condition(reader, at)  # type: ignore[misc]
        if self.where is not None:
            where = self.where
            tests[self.same] = lambda reader: truth(where(reader))
        return tests


class GroupingSets(ClauseElement):
    """GROUP BY GROUPING SETS."""

    inherit_cache = False

    def __init__(self, sets: Sequence[Sequence[Sql]]) -> None:
        self.sets = sets


@compiles(GroupingSets)
def _grouping_sets(element: GroupingSets, compiler: Any, **more: Any) -> str:
    more.pop("within_columns_clause", None)
    sets = ("(" + ", ".join(str(compiler.process(x, **more)) for x in items) + ")" for items in element.sets)
    return f"GROUPING SETS ({', '.join(sets)})"


class Pool:
    """Groups of a table's rows by the members of contexts that are columns of theirs and by the columns at which relations decide, with the
    parts of all aggregates that share them."""

    def __init__(self, build: Build, grain: str, on: frozenset[Spot]) -> None:
        self.build, self.grain, self.on = build, grain, on
        self.keys: dict[Slot, Spot] = {}
        self.entries: list[Entry] = []
        self.results: list[Result] = []
        self.slots = {spot: build.slot_of(_table(grain, spot), spot[1]) for spot in sorted(on, key=_spot_order)}
        self.groups = build.add(f"{grain}_groups", (), self._write, f"rows of {grain}, grouped")

    def suits(self, entry: Entry) -> bool:
        """Whether it can share the groups without making them finer than one of both needs."""
        keys = entry.keys
        agree = all(self.keys.get(s, spot) == spot for s, spot in keys.items())
        return agree and self.on == entry.on and (set(keys) <= set(self.keys) or set(self.keys) <= set(keys))

    def add(self, entry: Entry) -> Value:
        """An aggregate more, and where it is read: where the same is there already, that."""
        result = next((r for r in self.results if r.suits(entry)), None)
        twin = next((e for e in result.entries if e.part == entry.part and e.sets == entry.sets), None) if result else None
        if result and twin:
            return result.value(twin)
        self.entries.append(entry)
        self.keys |= entry.keys
        if result is None:
            result = Result(self, entry)
            self.results.append(result)
        result.add(entry)
        return result.value(entry)

    @property
    def is_one(self) -> bool:
        """Whether its groups are already what is read."""
        return len(self.results) == 1 and not self.on and len(self.results[0].sets()) == 1

    def _write(self) -> sa.SelectBase:
        return self.grouped(put_together=False)

    def grouped(self, put_together: bool) -> sa.SelectBase:
        """The groups: with their parts, or with what these come to."""
        build = self.build
        source, reader = reader_of(build, self.grain, False)
        keys = in_order(self.keys)
        columns = [c for s in keys for c in labelled(s, reader.pair(*self.keys[s]))]
        columns += [c for spot, s in self.slots.items() for c in labelled(s, reader.pair(*spot))]
        tests = [e.conditions() for e in self.entries]
        common = {key for key in tests[0] if all(key in x for x in tests)}
        made: list[Sql] = []
        written: set[object] = set()
        for entry, own in zip(self.entries, tests, strict=True):
            if not put_together and entry.part in written:
                continue
            written.add(entry.part)
            rest = [make(reader) for key, make in own.items() if key not in common]
            argument = entry.argument(reader) if entry.argument is not None else None
            parts = parts_of(build.dialect, entry.function, argument)
            if rest:
                parts = {n: x.filter(*rest) if hasattr(x, "filter") else _filtered(x, rest) for n, x in parts.items()}
            if put_together:
                made.append(value_of(entry.function, parts, entry.dtype).label(entry.columns["value"]))
            else:
                made += [x.label(entry.columns[n]) for n, x in parts.items()]
        conditions = [make(reader) for key, make in tests[0].items() if key in common]
        select = sa.select(*columns, *made).select_from(source.joined).where(*conditions)
        return grouped(select, len(columns))


def _filtered(part: Sql, rest: list[Sql]) -> Sql:
    """A part over some of the rows, where it is wrapped in a cast."""
    assert isinstance(part, sa.Cast)
    return sa.cast(part.clause.filter(*rest), part.type)


def grouped(select: sa.Select[Any], count: int) -> sa.Select[Any]:
    """By its first columns; over nothing there is no group, also where there are none."""
    if count:
        return select.group_by(*(number(i + 1) for i in range(count)))
    return select.having(sa.func.count() > 0)


def _table(grain: str, spot: Spot) -> str:
    return spot[0][-1].to_table if spot[0] else grain


def _spot_order(spot: Spot) -> tuple[tuple[str, ...], str]:
    return tuple(k.name for k in spot[0]), spot[1] or ""


class Result:
    """What aggregates of a pool come to, by members of contexts; those without joins share one, others where they join the same."""

    def __init__(self, pool: Pool, first: Entry) -> None:
        self.pool, self.family = pool, _family(first)
        self.entries: list[Entry] = []
        self.relation = pool.build.add(f"{pool.grain}_values", (), self._write)

    def suits(self, entry: Entry) -> bool:
        """Whether an aggregate is read from the same."""
        return self.family == _family(entry)

    def add(self, entry: Entry) -> None:
        """An aggregate more."""
        self.entries.append(entry)
        names = self.pool.build.names
        entry.columns["value"] = names.new(entry.called)
        self.relation.plain[entry.columns["value"]] = entry.dtype
        twin = next((e for e in self.pool.entries if e is not entry and e.part == entry.part), None)
        for name in parts_of_names(entry.function):
            entry.columns[name] = twin.columns[name] if twin else names.new(f"{entry.called}_{name}")
        for name in parts_of_names(entry.function):
            kind = "number" if name == "sum" and entry.dtype == "number" else entry.dtype if name in ("min", "max") else "integer"
            self.pool.groups.plain[entry.columns[name]] = kind
        pool_slots = (*in_order(self.pool.keys), *self.pool.slots.values())
        self.pool.groups.slots = pool_slots
        self.relation.slots = in_order(frozenset(s for e in self.entries for s in e.deps) | frozenset(self.relation.slots))

    def sets(self) -> list[tuple[Slot, ...]]:
        """The sets of members that contexts of some pattern have, where nothing is joined."""
        return list(dict.fromkeys(one for e in self.entries for one in e.sets))

    def value(self, entry: Entry) -> Value:
        """What an aggregate comes to."""
        deps, column, relation = entry.deps, entry.columns["value"], self.relation
        return Value(entry.dtype, deps, lambda env: env.join(relation, deps).c[column])

    def _write(self) -> sa.SelectBase:
        if self.pool.is_one:
            return self.pool.grouped(put_together=True)
        if not any(r.joins or r.equal for e in self.entries for r in e.found):
            return self._rolled_up()
        parts = [self._joined(reach) for reach in self.entries[0].found]
        return parts[0] if len(parts) == 1 else sa.union_all(*parts)

    def _values(self, table: sa.FromClause) -> list[Sql]:
        d = self.pool.build.dialect
        made: list[Sql] = []
        for e in self.entries:
            parts = {n: together(d, n, table.c[e.columns[n]], e.dtype) for n in parts_of_names(e.function)}
            made.append(value_of(e.function, parts, e.dtype).label(e.columns["value"]))
        return made

    def _rolled_up(self) -> sa.SelectBase:
        table, sets = self.pool.groups.table, self.sets()
        if len(sets) == 1:
            columns = [c for s in self.relation.slots for c in labelled(s, pair_of(table, s))]
            return grouped(sa.select(*columns, *self._values(table)), len(columns))
        columns = []
        for s in self.relation.slots:
            pair = pair_of(table, s)
            columns.append(sa.func.coalesce(pair.kind, number(TOTAL)).label(s.kind))
            columns.append(sa.func.coalesce(pair.value, total(s).value, type_=TYPES[s.dtype]).label(s.name))
        by = GroupingSets([[x for s in of for x in (table.c[s.kind], table.c[s.name])] for of in sets])
        return sa.select(*columns, *self._values(table)).group_by(by).having(sa.func.count() > 0)  # type: ignore[arg-type]

    def _joined(self, reach: Reach) -> sa.SelectBase:
        table = self.pool.groups.table
        joined: sa.FromClause = table
        pairs = {s: pair_of(table, s) for s in reach.keys}
        at = {spot: pair_of(table, s) for spot, s in self.pool.slots.items()}
        where = [same(pairs[slot], at[spot]) for slot, spot in reach.equal]
        for j in reach.joins:
            other = j.relation.table
            on = [_meets(at[spot], pair_of(other, slot), j.plain) for spot, slot in j.on]
            joined = joined.join(other, sa.and_(sa.true(), *on, *bound(reach, j, other, pairs)))
        columns = [c for s in self.relation.slots for c in labelled(s, pairs.get(s) or total(s))]
        select = sa.select(*columns, *self._values(table)).select_from(joined).where(*where)
        return grouped(select, len(columns))


def _meets(mine: Pair, other: Pair, plain: bool) -> Sql:
    return sa.and_(mine.kind == number(0), mine.value == other.value) if plain else same(mine, other)


def _family(entry: Entry) -> object:
    """What aggregates have in common that are read from one relation."""
    if not any(r.joins or r.equal for r in entry.found):
        return None
    return tuple(
        (in_order(r.deps), tuple(r.keys.items()), tuple(r.equal), tuple((id(j.relation), j.on) for j in r.joins)) for r in entry.found
    )


def parts_of_names(function: str) -> tuple[str, ...]:
    """The names of the parts of an aggregate."""
    return {"rows": ("rows",), "count": ("rows", "count"), "avg": ("sum", "count")}.get(function, (function,))


def pooled(build: Build, grain: str, entry: Entry) -> Value:
    """An aggregate that is put together from parts."""
    pools: list[Pool] = build.kept.setdefault(("pools", grain), [])
    pool = next((p for p in pools if p.suits(entry)), None)
    if pool is None:
        pool = Pool(build, grain, entry.on)
        pools.append(pool)
    return pool.add(entry)


def tree_over(build: Build, tree: t.Typed, lookups: Any) -> RowTree:
    """A row-shaped tree without values of contexts, over rows and what they look up."""

    def made(reader: Reader) -> Typed:
        def leaf(node: t.Typed) -> Typed | None:
            return Typed(reader.value(lookups[node.table], node.column), node.dtype) if isinstance(node, t.ColumnValue) else None

        return row_value(build.dialect, tree, leaf)

    return made


def directly(build: Build, node: t.Aggregate, found: list[Reach], argument: RowTree, where: RowTree | None, share: Sql | None) -> Value:
    """An aggregate that needs the values themselves, one pass over the rows for each pattern."""
    deps = in_order(frozenset(s for r in found for s in r.deps))
    called = build.name_of(node, f"{node.function}_{node.grain}")
    column = build.names.new(called)

    def part(reach: Reach) -> sa.SelectBase:
        seen = Seen(build, node.grain, reach)
        keys, x = seen.labelled(deps), argument(seen.reader)
        more = [truth(where(seen.reader))] if where is not None else []
        return reduced(build, node, keys, x, share, column, lambda *c: seen.select(*c, more=more))

    def write() -> sa.SelectBase:
        if len(found) > 1 and node.function != "percentile" and not any(r.joins or r.equal for r in found):
            return _in_sets(build, node, found, argument, where, share, column)
        parts = [part(r) for r in found]
        return parts[0] if len(parts) == 1 else sa.union_all(*parts)

    relation = build.add(f"{called}_by_context", deps, write, node.text, {column: node.dtype})
    return Value(node.dtype, frozenset(deps), lambda env: env.join(relation, deps).c[column])


def _in_sets(
    build: Build, node: t.Aggregate, found: list[Reach], argument: RowTree, where: RowTree | None, share: Sql | None, column: str
) -> sa.SelectBase:
    """All patterns in one pass: what they differ in are columns of the rows."""
    finest = max(found, key=lambda r: len(r.keys))
    keys = {s: spot for r in found for s, spot in r.keys.items()}
    seen = Seen(build, node.grain, finest)
    x = argument(seen.reader)
    slots, name = in_order(keys), build.names.new("x")
    pairs = [c for s in slots for c in labelled(s, seen.reader.pair(*keys[s]))]
    more = [truth(where(seen.reader))] if where is not None else []
    rows = seen.select(*pairs, x.sql.label(name), more=more).subquery(build.names.new(f"{node.grain}_values"))
    columns: list[Sql] = []
    for s in slots:
        pair = pair_of(rows, s)
        columns.append(sa.func.coalesce(pair.kind, number(TOTAL)).label(s.kind))
        columns.append(sa.func.coalesce(pair.value, total(s).value, type_=TYPES[s.dtype]).label(s.name))
    by = GroupingSets([[c for s in in_order(r.deps) for c in (rows.c[s.kind], rows.c[s.name])] for r in found])
    value = aggregated(build.dialect, node.function, node.distinct, Typed(rows.c[name], x.dtype), share, node.dtype)
    return sa.select(*columns, value.label(column)).group_by(by).having(sa.func.count() > 0)  # type: ignore[arg-type]


def reduced(
    build: Build,
    node: t.Aggregate | t.Iterated,
    keys: list[Any],
    x: Typed | None,
    extra: Sql | None,
    column: str,
    select: Callable[..., Any],
) -> sa.SelectBase:
    """The aggregate of the rows of a SELECT, by keys; `extra` is the same within these."""
    if node.function != "percentile":
        value = aggregated(build.dialect, node.function, node.distinct, x, extra, node.dtype)
        return grouped(select(*keys, value.label(column)), len(keys))
    assert x is not None and extra is not None
    data: Sql = sa.cast(x.sql, sa.Double())
    names = [k.name for k in keys]
    x_name, share, place_name, filled_name = (build.names.new(n) for n in ("x", "share", "place", "filled"))
    inner = select(*keys, data.label(x_name), sa.cast(extra, sa.Double()).label(share)).subquery(build.names.new("shares"))
    by = [inner.c[n] for n in names]
    filled = sa.case((inner.c[x_name].is_not(None), number(1)))
    place = sa.func.row_number().over(partition_by=[*by, filled], order_by=inner.c[x_name])
    count = sa.func.count(inner.c[x_name]).over(partition_by=by or None)
    placed = sa.select(*by, inner.c[x_name], inner.c[share], place.label(place_name), count.label(filled_name)).subquery(
        build.names.new("placed")
    )
    value = percentile_of(*(placed.c[n] for n in (x_name, share, place_name, filled_name)))
    return grouped(sa.select(*(placed.c[n] for n in names), value.label(column)), len(keys))


def is_pooled(node: t.Aggregate) -> bool:
    """Whether it can be put together from parts."""
    return node.function in BY_PARTS and not node.distinct
