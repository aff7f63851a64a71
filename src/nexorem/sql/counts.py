"""Counts over the rows of a table, all that are wanted of it in one pass; and what a telling wants to know, gathered and given."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import sqlalchemy as sa

from nexorem.sql.build import Build, reader_of
from nexorem.sql.contexts import Env
from nexorem.sql.dialects import number
from nexorem.sql.reach import Reach
from nexorem.sql.tree import Relation, Statement, pair_of, same

Sql = sa.ColumnElement[Any]
Line = tuple[Any, ...]


@dataclass(eq=False)
class TableCounts:
    """Counts of rows of a table (`plus`: its unmatched member among them), taken in one pass: each of the rows that come to something, or
    of the different values in them."""

    build: Build
    table: str
    plus: bool
    columns: list[tuple[str, Callable[[Counting], Sql]]] = field(default_factory=list)
    relation: Relation | None = None

    def add(self, what: Callable[[Counting], Sql]) -> str:
        """The name of a count."""
        name = f"n{len(self.columns)}"
        self.columns.append((name, what))
        return name

    def made(self) -> Relation:
        """The counts as a relation of one line."""

        def write() -> sa.SelectBase:
            counting = Counting(self.build, self.table, self.plus)
            counts = [what(counting).label(name) for name, what in self.columns]
            return sa.select(*counts).select_from(counting.source.joined)

        note = f"rows of {self.table}, by what comes to them"
        return self.build.add(f"{self.table}_counts", (), write, note, {name: "integer" for name, _ in self.columns})


class Counting:
    """The rows of a table as a FROM, over which conditions are asked together."""

    def __init__(self, build: Build, table: str, plus: bool) -> None:
        self.build, self.table = build, table
        self.source, self.reader = reader_of(build, table, plus)
        self._joined: dict[object, Sql] = {}

    def lost(self) -> Sql | None:
        """Where it is the unmatched member."""
        return self.reader.lost(())

    def rows(self, *tests: Sql) -> Sql:
        """How many rows pass, the unmatched member aside."""
        lost = self.lost()
        every = [*tests, *([sa.not_(lost)] if lost is not None else [])]
        return sa.func.count(sa.case((sa.and_(*every), number(1)))) if every else sa.func.count()

    def passing(self, reach: Reach) -> list[Sql]:
        """What is true of rows to which everything comes that does."""
        tests = [p.condition(self.reader, path) for p, path in reach.predicates]
        for joined in reach.joins:
            key = joined.relation.name, tuple((tuple(k.name for k in path), column, slot.name) for (path, column), slot in joined.on)
            if key not in self._joined:
                table = joined.relation.table.alias(self.build.names.new(joined.relation.name))
                on = []
                for (path, column), slot in joined.on:
                    if joined.plain and column is not None:
                        on.append(self.reader.value(path, column) == table.c[slot.name])
                    else:
                        on.append(same(self.reader.pair(path, column), pair_of(table, slot)))
                self.source.left(table, sa.and_(sa.true(), *on))
                first = joined.on[0][1] if joined.on else None
                self._joined[key] = table.c[first.kind].is_not(None) if first else sa.true()
            tests.append(self._joined[key])
        return tests


class Wanted:
    """What a telling asks for, in its order: gathered first, and given when it is told again."""

    def __init__(self) -> None:
        self.reads: list[Callable[[Env], Sql]] = []
        self.lines: list[Callable[[], tuple[Statement, Sequence[str]]]] = []
        self.given: list[Any] | None = None
        self.given_lines: list[Sequence[Line]] = []
        self._at = self._at_lines = 0

    def number(self, read: Callable[[Env], Sql]) -> Any:
        """A number, or another value, of the one line."""
        if self.given is None:
            self.reads.append(read)
            return 0
        self._at += 1
        return self.given[self._at - 1]

    def several(self, ask: Callable[[], tuple[Statement, Sequence[str]]]) -> Sequence[Line]:
        """Some lines of their own."""
        if self.given is None:
            self.lines.append(ask)
            return []
        self._at_lines += 1
        return self.given_lines[self._at_lines - 1]


def different(counting: Counting, column: str, tests: list[Sql]) -> Sql:
    """How many different members rows have in a column, `(empty)` among them; the unmatched member aside."""
    lost = counting.lost()
    every = [*tests, *([sa.not_(lost)] if lost is not None else [])]
    value = counting.reader.value((), column)
    filled = sa.func.count(sa.distinct(sa.case((sa.and_(sa.true(), *every), value))))
    empties = sa.func.max(sa.case((sa.and_(value.is_(None), *every), number(1)), else_=number(0)))
    return filled + sa.func.coalesce(empties, number(0))
