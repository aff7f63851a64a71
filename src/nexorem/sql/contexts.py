"""Contexts in a statement: the members in which they differ, and the filters in force there.

A *base* is the contexts themselves. Some members of the outermost, those of axes, are optional: in a total a member has the kind TOTAL. The
sets of optional members that are there together are the base's *patterns*. A filter depends on some members of the base, and on these only.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import sqlalchemy as sa

from nexorem.core.model.paths import LinkState
from nexorem.core.model.rows import Columns
from nexorem.core.plan.effects import Effect, Handling, left_by
from nexorem.sql.build import Build, Reader, Source, reader_of
from nexorem.sql.dialects import number
from nexorem.sql.tree import TOTAL, Pair, Relation, Slot, labelled, pair_of, same

if TYPE_CHECKING:
    from nexorem.sql.rows import Rows

Sql = sa.ColumnElement[Any]
Pattern = frozenset[Slot]


def in_order(slots: Iterable[Slot]) -> tuple[Slot, ...]:
    """Members by name, so that a statement is always written the same."""
    return tuple(sorted(slots, key=lambda s: s.name))


@dataclass(eq=False)
class Classes:
    """The contexts of a base as far as some of its members tell them apart. `relation` None: there is one, for nothing does."""

    relation: Relation | None

    def start(self) -> sa.FromClause:
        """To be read from."""
        return self.relation.table if self.relation else sa.select(number(1).label("one")).subquery("one_context")


class Base:
    """Contexts that differ in members: those of the cells, of the page (none), or of the rows of a table expression in each of these."""

    def __init__(self, build: Build, parent: Base | None, rows: Rows | None, own: tuple[Slot, ...], whole: Relation | None) -> None:
        self.build, self.parent, self.rows, self.own, self.whole = build, parent, rows, own, whole
        self.optional: frozenset[Slot] = parent.optional if parent else frozenset()
        self.patterns: tuple[Pattern, ...] = parent.patterns if parent else (frozenset(),)
        self.axes: Mapping[tuple[str, str], Slot] = parent.axes if parent else {}
        self._classes: dict[frozenset[Slot], Classes] = {}

    @property
    def slots(self) -> frozenset[Slot]:
        """All members in which its contexts can differ."""
        return frozenset(self.own) | (self.parent.slots if self.parent else frozenset())

    def classes(self, slots: Iterable[Slot]) -> Classes:
        """The contexts by these members. To be asked for before anything is written."""
        wanted = frozenset(slots)
        assert wanted <= self.slots, [s.name for s in wanted - self.slots]
        if self.parent and wanted <= self.parent.slots:
            return self.parent.classes(wanted)
        if not wanted:
            return Classes(None)
        if wanted not in self._classes:
            self._classes[wanted] = self._made(wanted)
        return self._classes[wanted]

    def _made(self, wanted: frozenset[Slot]) -> Classes:
        held = frozenset(self.whole.slots) if self.whole else frozenset()
        if self.whole and wanted == held:
            return Classes(self.whole)
        ordered = in_order(wanted)
        if self.whole and wanted <= held:
            whole = self.whole

            def some() -> sa.SelectBase:
                table = whole.table
                return sa.select(*(c for s in ordered for c in labelled(s, pair_of(table, s)))).distinct()

            return Classes(self.build.add(f"{whole.name}_apart", ordered, some))
        assert self.rows and self.parent
        rows, outer = self.rows, self.parent.classes((wanted - frozenset(self.own)) | self.rows.deps)

        def crossed() -> sa.SelectBase:
            table, around = rows.relation.table, outer.start()
            on = [same(pair_of(table, s), pair_of(around, s)) for s in in_order(rows.deps)]
            joined = around.join(table, sa.and_(sa.true(), *on))
            pairs = {s: pair_of(table if s.name in table.c else around, s) for s in ordered}
            columns = [c for s in ordered for c in labelled(s, pairs[s])]
            return sa.select(*columns).select_from(joined).distinct()

        return Classes(self.build.add(f"each_{rows.relation.name}", ordered, crossed))


class Env:
    """A FROM of contexts that are told apart by some members, where the values of their steps are looked up."""

    def __init__(self, build: Build, classes: Classes, slots: Iterable[Slot]) -> None:
        self.build = build
        self.start = classes.start()
        self.source = Source(self.start, {r.name for r in (*build.relations, *build.sources)})
        self.pairs = {s: pair_of(self.start, s) for s in slots}
        self._joined: dict[tuple[str, frozenset[Slot]], sa.FromClause] = {}

    def join(self, relation: Relation, by: Iterable[Slot]) -> sa.FromClause:
        """A relation, looked up by some of its members; what it has for the others is their total."""
        wanted = frozenset(by)
        key = relation.name, wanted
        if key not in self._joined:
            table: sa.FromClause = relation.table
            if any(name == relation.name for name, _ in self._joined):
                table = table.alias(self.build.names.new(relation.name))
            on = [same(pair_of(table, s), self.pairs[s]) if s in wanted else table.c[s.kind] == number(TOTAL) for s in relation.slots]
            self.source.left(table, sa.and_(sa.true(), *on))
            self._joined[key] = table
        return self._joined[key]

    def select(self, *columns: Sql) -> sa.Select[Any]:
        """A SELECT from it."""
        return sa.select(*columns).select_from(self.source.joined)

    def labelled(self, slots: Iterable[Slot]) -> list[Sql]:
        """Members as columns."""
        return [c for s in slots for c in labelled(s, self.pairs[s])]


@dataclass(frozen=True, slots=True, eq=False)
class Value:
    """A value of each context of a base: the members on which it depends, and its expression where they are at hand.

    `size` is about how many nodes it has. `reads` is False where it looks nothing up, so that it is written wherever it is needed; `known`
    is a whole number that the formula writes.
    """

    dtype: str
    deps: frozenset[Slot]
    sql: Callable[[Env], Sql]
    size: int = 2
    reads: bool = True
    known: int | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Predicate:
    """The members for which a condition is true, the same in every context."""

    condition: Callable[[Reader, tuple[Any, ...]], Sql]


@dataclass(frozen=True, slots=True, eq=False)
class Coordinate:
    """The member that the context has."""

    slot: Slot


@dataclass(frozen=True, slots=True, eq=False)
class Members:
    """The members that a relation lists for the context; `slots` has one for each column of the filter."""

    relation: Relation
    deps: frozenset[Slot]
    slots: tuple[Slot, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Filter:
    """A filter on columns of a table, None for its rows; `page` is its place among the page's filters while it stands whole, else -1."""

    table: str
    columns: Columns
    form: Predicate | Coordinate | Members
    page: int = -1

    def listed(self) -> tuple[str | None, ...]:
        """Its columns; of rows one that is none."""
        return (None,) if self.columns is None else self.columns

    def in_force(self, base: Base, pattern: Pattern) -> bool:
        """Whether it is there in contexts of a pattern."""
        form = self.form
        return not isinstance(form, Coordinate) or form.slot not in base.optional or form.slot in pattern


@dataclass(frozen=True, slots=True, eq=False)
class Ctx:
    """Contexts of a base with their filters; `compared` has for a `match … where` what it compares with, by the link's id and the
    node's."""

    base: Base
    filters: tuple[Filter, ...]
    page: tuple[Filter, ...]
    state: LinkState
    compared: Mapping[int, Mapping[int, Value]] = field(default_factory=dict)


def left_in(build: Build, effect: Effect, ctx: Ctx) -> tuple[Filter, ...]:
    """The filters that an effect leaves in force."""
    handling: Handling[Filter] = Handling(build.model, lambda f, columns: projected(build, f, columns), lambda f: f)
    return left_by(effect, ctx.filters, ctx.page, handling)


def projected(build: Build, held: Filter, columns: tuple[str, ...]) -> Filter:
    """The combinations of fewer columns that a filter allows."""
    key = "projected", id(held), columns
    if key not in build.kept:
        build.kept[key] = held, _projected(build, held, columns)
    return build.kept[key][1]  # type: ignore[no-any-return]


def _projected(build: Build, held: Filter, columns: tuple[str, ...]) -> Filter:
    form, slots = held.form, tuple(build.slot_of(held.table, c) for c in columns)
    if isinstance(form, Members):
        relation = form.relation
        deps = in_order(form.deps)
        if held.columns is None:  # rows: their columns are looked up
            return Filter(held.table, columns, _of_rows(build, held.table, columns, slots, deps, form))
        kept = [form.slots[held.columns.index(c)] for c in columns]

        def fewer() -> sa.SelectBase:
            table = relation.table
            pairs = [c for s in deps for c in labelled(s, pair_of(table, s))]
            pairs += [c for s, old in zip(slots, kept, strict=True) for c in labelled(s, pair_of(table, old))]
            return sa.select(*pairs).distinct()

        return Filter(held.table, columns, Members(build.add(f"{relation.name}_less", (*deps, *slots), fewer), form.deps, slots))
    if isinstance(form, Coordinate):
        return Filter(held.table, columns, _of_rows(build, held.table, columns, slots, (form.slot,), form))
    assert held.columns
    predicate, had = form, held.columns

    def true() -> sa.SelectBase:
        source, reader = reader_of(build, held.table, True)
        pairs = [c for s, name in zip(slots, columns, strict=True) for c in labelled(s, reader.pair((), name))]
        condition = predicate.condition(reader, ())
        return sa.select(*pairs).select_from(source.joined).where(condition).distinct()

    assert set(columns) < set(had)
    return Filter(held.table, columns, Members(build.add(f"{held.table}_kept", slots, true), frozenset(), slots))


def _of_rows(
    build: Build, table: str, columns: tuple[str, ...], slots: tuple[Slot, ...], deps: tuple[Slot, ...], form: Members | Coordinate
) -> Members:
    """What rows of a table have in some columns: of the context's own row, or of those that a relation lists."""

    def write() -> sa.SelectBase:
        source, reader = reader_of(build, table, True)
        row = reader.pair((), None)
        if isinstance(form, Coordinate):
            held: dict[Slot, Pair] = {form.slot: row}
        else:
            listed = form.relation.table
            source.inner(listed, same(row, pair_of(listed, form.slots[0])))
            held = {s: pair_of(listed, s) for s in deps}
        pairs = [c for s in deps for c in labelled(s, held[s])]
        pairs += [c for s, name in zip(slots, columns, strict=True) for c in labelled(s, reader.pair((), name))]
        return sa.select(*pairs).select_from(source.joined).distinct()

    return Members(build.add(f"{table}_of_rows", (*deps, *slots), write), frozenset(deps), slots)
