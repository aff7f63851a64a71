"""What an edit does to a context: the one place that knows it.

An `Effect` is read from an edit, or from a row that is run over, without a row being touched. `left_by` applies it to filters, whatever
they are: those of a symbolic context, which readers look at, and those of a batch, which an execution computes with.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Generic, Protocol, TypeVar, assert_never

from nexorem.core.language import typed as t
from nexorem.core.model.model import Link, Model
from nexorem.core.model.paths import LinkState
from nexorem.core.model.rows import ROWS, Columns


@dataclass(frozen=True, slots=True)
class Target:
    """What a filter is on: `columns` of a table, or (ROWS) its rows themselves."""

    table: str
    columns: Columns


@dataclass(frozen=True, slots=True)
class Effect:
    """What becomes of the filters of a context.

    `removes` has, by table, the columns whose filters go, in the table's order; with `restores` the page's filters come back on them.
    `adds` are the filters put there, which hold beside what is left. `state` is the link state from here on where it changes, and
    `carries` the link over which a `match` carries filters on.
    """

    removes: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    restores: bool = False
    adds: tuple[Target, ...] = ()
    state: LinkState | None = None
    carries: Link | None = None

    @property
    def removed(self) -> list[tuple[str, str]]:
        """The columns whose filters go, as (table, column)."""
        return [(table, c) for table, columns in self.removes.items() for c in columns]

    @property
    def narrows(self) -> bool:
        """Whether it does nothing but add filters: every row that is visible after it was visible before."""
        return bool(self.adds) and not self.removes and self.state is None

    def touched(self, model: Model) -> list[tuple[str, str]]:
        """The columns it is about, those of added filters first, each once."""
        added = [(x.table, c) for x in self.adds for c in (x.columns if x.columns is not ROWS else columns_of(model, x.table)) or ()]
        return list(dict.fromkeys([*added, *self.removed]))


def columns_of(model: Model, table: str) -> tuple[str, ...]:
    """The columns of a table, by name."""
    table_of = model.table(table)
    return tuple(c.name for c in table_of.columns) if table_of else ()


def effect_of(model: Model, edit: t.TypedEdit) -> Effect:
    """What an edit does."""
    match edit:
        case t.Condition() | t.Listing():
            removes = {edit.table: edit.replaces} if edit.replaces else {}
            return Effect(removes, adds=(Target(edit.table, edit.columns),))
        case t.Cleared() | t.Restored():
            return Effect(_in_order(model, edit.columns), isinstance(edit, t.Restored))
        case t.Moved():
            return Effect({edit.calendar: columns_of(model, edit.calendar)}, adds=(Target(edit.calendar, (edit.date,)),))
        case t.Switched() | t.Turned():
            return Effect(state=edit.state)
        case t.Matched():
            return Effect(state=edit.state, carries=edit.link)
    assert_never(edit)


def _in_order(model: Model, columns: Mapping[str, frozenset[str]]) -> dict[str, tuple[str, ...]]:
    return {table: tuple(c for c in columns_of(model, table) if c in names) for table, names in columns.items()}


def row_effect(model: Model, rows: t.Rows) -> Effect:
    """What a row of a table expression does to the context it is run over in: it is one more filter, or (`every`, `page`) one in place of
    those on its columns. Setting a calendar's date replaces every filter on that calendar."""
    columns = [(c.table, c.column) for c in rows.columns if c.table and c.column]
    adds = (Target(rows.identity, ROWS),) if rows.identity else tuple(Target(table, (column,)) for table, column in columns)
    return Effect(_row_removes(model, rows) if rows.replaces else {}, adds=adds)


def _row_removes(model: Model, rows: t.Rows) -> dict[str, tuple[str, ...]]:
    removes = {}
    for name in dict.fromkeys(c.table for c in rows.columns if c.table):
        table = model.table(name)
        own = {c.column for c in rows.columns if c.table == name}
        whole = rows.identity == name or (table and table.calendar and table.calendar.date in own)
        removes[name] = tuple(c for c in columns_of(model, name) if whole or c in own)
    return removes


class Filtering(Protocol):
    """A filter of any kind: what it is on, and its place among the page's filters while it still stands whole, else -1."""

    @property
    def table(self) -> str:
        """The table it is on."""

    @property
    def columns(self) -> Columns:
        """Its columns, ROWS for the rows themselves."""

    @property
    def page(self) -> int:
        """Its place among the page's filters, -1 for none."""


F = TypeVar("F", bound=Filtering)


@dataclass(frozen=True, slots=True)
class Handling(Generic[F]):
    """What is done with one kind of filter: `projected` keeps the combinations of fewer columns; `again` puts a filter of the page in
    force in every context once more."""

    model: Model
    projected: Callable[[F, tuple[str, ...]], F]
    again: Callable[[F], F]


def left_by(effect: Effect, filters: Sequence[F], page: Sequence[F], handling: Handling[F]) -> tuple[F, ...]:
    """The filters of a context that are in force after an effect, those it adds aside.

    A filter that loses some of its columns keeps the combinations of the rest; one over the rows falls back to the combinations of the
    table's other columns. A filter of the page that still stands whole stays where the page is restored; of one that does not, the
    combinations of the columns at hand come back.
    """
    if not effect.restores:
        return _without(effect, filters, handling)
    whole = {f.page: f for f in filters if f.page >= 0}
    other = _without(effect, [f for f in filters if f.page < 0], handling)
    back: list[F] = []
    for place, held in enumerate(page):
        mine = tuple(c for c in held.columns or () if c in effect.removes.get(held.table, ()))
        if place in whole:
            back.append(whole[place])
        elif mine:
            back.append(handling.again(held if mine == held.columns else handling.projected(held, mine)))
    return (*back, *other)


def _without(effect: Effect, filters: Sequence[F], handling: Handling[F]) -> tuple[F, ...]:
    left: list[F] = []
    for held in filters:
        gone = effect.removes.get(held.table, ())
        had = columns_of(handling.model, held.table) if held.columns is ROWS else held.columns
        assert had is not None
        rest = tuple(c for c in had if c not in gone)
        if len(rest) == len(had):
            left.append(held)
        elif rest:
            left.append(handling.projected(held, rest))
    return tuple(left)
