"""Which rows of a table are visible: what of a context comes to them, over which look-ups and gates, and that as SQL."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import sqlalchemy as sa

from nexorem.core.language import typed as t
from nexorem.core.model.model import Comparison
from nexorem.core.model.paths import Inflow
from nexorem.sql.build import Build, Path, reader_of
from nexorem.sql.contexts import Ctx, Env, Filter, Members, Pattern, Predicate, in_order
from nexorem.sql.dialects import number, zero
from nexorem.sql.row_values import row_value
from nexorem.sql.scalars import Typed, truth
from nexorem.sql.tree import TOTAL, Pair, Relation, Slot, labelled, pair_of, same

Sql = sa.ColumnElement[Any]
Spot = tuple[Path, str | None]  # a column of the table itself or of one it looks up; None: that row


@dataclass(frozen=True, slots=True, eq=False)
class Joined:
    """A relation that decides which rows are seen in which contexts: `deps` are the members of contexts in it, `on` where its others are on
    the rows; `plain`: by value alone, for keys are never empty there."""

    relation: Relation
    deps: tuple[Slot, ...]
    on: tuple[tuple[Spot, Slot], ...]
    plain: bool = False


@dataclass(eq=False)
class Reach:
    """What comes to the rows of a table in contexts of one pattern: members of the context that are columns of the rows, conditions, and
    relations. `optional` are the members that a pattern may lack."""

    pattern: Pattern
    optional: frozenset[Slot]
    keys: dict[Slot, Spot] = field(default_factory=dict)
    equal: list[tuple[Slot, Spot]] = field(default_factory=list)
    predicates: list[tuple[Predicate, Path]] = field(default_factory=list)
    joins: list[Joined] = field(default_factory=list)

    @property
    def touched(self) -> frozenset[Slot]:
        """The members it looks at, there or not."""
        return frozenset(self.keys) | {s for j in self.joins for s in j.deps}

    @property
    def deps(self) -> frozenset[Slot]:
        """The members on which what is visible depends."""
        return frozenset(s for s in self.touched if s not in self.optional or s in self.pattern)


def reaches(build: Build, ctx: Ctx, flow: Inflow, filters: tuple[Filter, ...]) -> list[Reach]:
    """What comes to the rows of a table, for each pattern in which it differs."""
    every = [_collected(build, ctx, flow, filters, pattern) for pattern in ctx.base.patterns]
    touched = frozenset(s for r in every for s in r.touched)
    for reach in every:
        # Where a filter is not in force, a `match` behind it is not either: what is visible is the same at all members that it looks at.
        alike = frozenset(s for s in touched - reach.touched if s not in reach.optional or s in reach.pattern)
        if alike:
            relation = ctx.base.classes(alike).relation
            assert relation
            reach.joins.append(Joined(relation, in_order(alike), ()))
    return list({r.pattern & touched: r for r in every}.values())


def _collected(build: Build, ctx: Ctx, flow: Inflow, filters: tuple[Filter, ...], pattern: Pattern) -> Reach:
    reach = Reach(pattern, ctx.base.optional)
    _collect(build, ctx, flow, filters, (), reach)
    return reach


def _collect(build: Build, ctx: Ctx, flow: Inflow, filters: tuple[Filter, ...], path: Path, reach: Reach) -> None:
    for held in filters:
        if held.table == flow.table and held.in_force(ctx.base, reach.pattern):
            _apply(held, path, reach)
    for source in flow.sources:
        tables = {x.table for x in source.walk()}
        behind = tuple(f for f in filters if f.table in tables)
        if not any(f.in_force(ctx.base, reach.pattern) for f in behind):
            continue
        assert source.link
        if source.how == "lookup":
            _collect(build, ctx, source, filters, (*path, source.link), reach)
        else:
            reach.joins.append(_gate(build, ctx, flow.table, source, behind, path, reach.pattern))


def _apply(held: Filter, path: Path, reach: Reach) -> None:
    form = held.form
    if isinstance(form, Predicate):
        reach.predicates.append((form, path))
    elif isinstance(form, Members):
        on = tuple(((path, c), s) for c, s in zip(held.listed(), form.slots, strict=True))
        reach.joins.append(Joined(form.relation, in_order(form.deps), on))
    else:
        spot = path, held.listed()[0]
        if form.slot in reach.keys:
            reach.equal.append((form.slot, spot))
        else:
            reach.keys[form.slot] = spot


def _gate(build: Build, ctx: Ctx, table: str, source: Inflow, behind: tuple[Filter, ...], path: Path, pattern: Pattern) -> Joined:
    """What stands for everything behind a link that is no look-up: the keys on this side that some visible row of the other side has."""
    link = source.link
    assert link
    if isinstance(link, Comparison):
        return _compared(build, ctx, link, source, behind, path, pattern)
    mine, theirs = (link.from_columns, link.to_columns) if table == link.from_table else (link.to_columns, link.from_columns)
    reach = _collected(build, ctx, source, behind, pattern)
    key = "gate", link, table, tuple(map(id, behind)), reach.pattern & reach.touched, ctx.state
    if key not in build.kept:
        slots = tuple(build.slot(c, build.dtype(source.table, c)) for c in theirs)
        deps = in_order(reach.deps)

        def write() -> sa.SelectBase:
            seen = Seen(build, source.table, reach)
            keys = [seen.reader.value((), c) for c in theirs]
            pairs = [c for s, k in zip(slots, keys, strict=True) for c in labelled(s, Pair(number(0), k))]
            return seen.select(*seen.labelled(deps), *pairs, more=[k.is_not(None) for k in keys]).distinct()

        relation = build.add(f"{source.table}_to_{table}", (*deps, *slots), write, f"{table} that visible rows of {source.table} lead to")
        build.kept[key] = relation, slots, deps, behind
    relation, slots, deps, _ = build.kept[key]
    return Joined(relation, deps, tuple(((path, c), s) for c, s in zip(mine, slots, strict=True)), plain=True)


def _compared(build: Build, ctx: Ctx, link: Comparison, source: Inflow, behind: tuple[Filter, ...], path: Path, pattern: Pattern) -> Joined:
    """The gate of a `match … where`: what of this side some visible row of the other makes the condition true for."""
    values = ctx.compared.get(id(link), {})
    reach = _collected(build, ctx, source, behind, pattern)
    needed = frozenset(s for v in values.values() for s in v.deps)
    there = frozenset(s for s in needed | reach.deps if s not in ctx.base.optional or s in pattern)
    key = "compared", id(link), tuple(map(id, behind)), reach.pattern & (reach.touched | needed), ctx.state, tuple(map(id, values.values()))
    if key not in build.kept:
        slots = tuple(build.slot_of(link.from_table, c) for c in link.from_columns)
        others = tuple(build.slot_of(link.to_table, c) for c in link.to_columns)
        deps, own = in_order(there), in_order(reach.deps)

        def visible() -> sa.SelectBase:
            seen = Seen(build, link.to_table, reach)
            pairs = [c for s, name in zip(others, link.to_columns, strict=True) for c in labelled(s, seen.reader.pair((), name))]
            return seen.select(*seen.labelled(own), *pairs).distinct()

        def members() -> sa.SelectBase:
            _, reader = reader_of(build, link.from_table, False)
            pairs = [c for s, name in zip(slots, link.from_columns, strict=True) for c in labelled(s, reader.pair((), name))]
            return sa.select(*pairs).select_from(reader.source.joined).distinct()

        left = build.add(f"{link.to_table}_seen", (*own, *others), visible)
        right = build.add(f"{link.from_table}_members", slots, members)
        classes = ctx.base.classes(needed)

        def write() -> sa.SelectBase:
            env = Env(build, classes, needed)
            a, b = left.table, right.table
            on = [same(pair_of(a, s), env.pairs[s]) for s in own if s in env.pairs]
            held = {s: env.pairs[s] if s in env.pairs else pair_of(a, s) for s in deps}
            env.source.inner(a, sa.and_(sa.true(), *on))
            env.source.inner(b, sa.true())
            spots = {(link.to_table, c): (a, s) for c, s in zip(link.to_columns, others, strict=True)}
            spots |= {(link.from_table, c): (b, s) for c, s in zip(link.from_columns, slots, strict=True)}

            def leaf(node: t.Typed) -> Typed | None:
                if isinstance(node, t.ColumnValue):
                    pair = pair_of(*spots[node.table, node.column])
                    return Typed(sa.case((pair.kind == number(0), pair.value)), node.dtype)
                return Typed(values[id(node)].sql(env), values[id(node)].dtype) if isinstance(node, t.InContext) else None

            assert link_predicate is not None
            condition = truth(row_value(build.dialect, link_predicate, leaf))
            kinds = [
                env.pairs[s].kind != number(TOTAL) if s in pattern else env.pairs[s].kind == number(TOTAL)
                for s in needed & ctx.base.optional
            ]
            columns = [c for s in deps for c in labelled(s, held[s])] + [c for s in slots for c in labelled(s, pair_of(b, s))]
            return env.select(*columns).where(condition, *kinds).distinct()

        link_predicate = link.predicate
        relation = build.add(f"{link.to_table}_matched_{link.from_table}", (*deps, *slots), write)
        build.kept[key] = relation, slots, deps, behind, values
    relation, slots, deps, *_ = build.kept[key]
    return Joined(relation, deps, tuple(((path, c), s) for c, s in zip(link.from_columns, slots, strict=True)))


class Seen:
    """The visible rows of a table in contexts of one pattern, as a FROM with conditions; `plus`: its unmatched member too, where
    it has one."""

    def __init__(self, build: Build, table: str, reach: Reach, plus: bool = False) -> None:
        self.build, self.reach = build, reach
        self.source, self.reader = reader_of(build, table, plus)
        self.pairs = {slot: self.reader.pair(*spot) for slot, spot in reach.keys.items()}
        self.where: list[Sql] = [same(self.pairs[slot], self.reader.pair(*spot)) for slot, spot in reach.equal]
        for joined in reach.joins:
            table_ = joined.relation.table
            on = [self._is_at(spot, slot, table_, joined.plain) for spot, slot in joined.on]
            self.source.inner(table_, sa.and_(sa.true(), *on, *bound(reach, joined, table_, self.pairs)))
        self.where += [predicate.condition(self.reader, path) for predicate, path in reach.predicates]

    def _is_at(self, spot: Spot, slot: Slot, table: sa.FromClause, plain: bool) -> Sql:
        path, column = spot
        if plain and column is not None:
            return self.reader.value(path, column) == table.c[slot.name]
        return same(self.reader.pair(path, column), pair_of(table, slot))

    def labelled(self, slots: tuple[Slot, ...]) -> list[Sql]:
        """Members of contexts as columns; those that are not there are totals."""
        return [c for s in slots for c in labelled(s, self.pairs.get(s) or total(s))]

    def select(self, *columns: Sql, more: list[Sql] | None = None) -> sa.Select[Any]:
        """A SELECT of what is visible."""
        return sa.select(*columns).select_from(self.source.joined).where(*self.where, *(more or []))


def bound(reach: Reach, joined: Joined, table: sa.FromClause, pairs: dict[Slot, Pair]) -> list[Sql]:
    """How a relation's members of contexts go with those at hand, to which they are added."""
    on = []
    for slot in joined.deps:
        if slot in reach.optional and slot not in reach.pattern:
            on.append(table.c[slot.kind] == number(TOTAL))
        elif slot in pairs:
            on.append(same(pair_of(table, slot), pairs[slot]))
        else:
            pairs[slot] = pair_of(table, slot)
            if slot in reach.optional:
                on.append(table.c[slot.kind] != number(TOTAL))
    return on


def total(slot: Slot) -> Pair:
    """A member that is totalled over."""
    return Pair(number(TOTAL), zero(slot.dtype))


def visible(
    build: Build, wish: str, table: str, found: list[Reach], spots: list[tuple[Spot, Slot]], plus: bool, note: str = ""
) -> tuple[Relation, frozenset[Slot]]:
    """The different members at some places that visible rows have, by context."""
    deps = in_order(frozenset(s for r in found for s in r.deps))

    def write() -> sa.SelectBase:
        parts = []
        for reach in found:
            seen = Seen(build, table, reach, plus)
            pairs = [c for spot, slot in spots for c in labelled(slot, seen.reader.pair(*spot))]
            parts.append(seen.select(*seen.labelled(deps), *pairs).distinct())
        return parts[0] if len(parts) == 1 else sa.union_all(*parts)

    return build.add(wish, (*deps, *(s for _, s in spots)), write, note), frozenset(deps)
