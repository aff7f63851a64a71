"""Contexts that can be read: an ordered list of filters, each with what it is on, where it comes from and what it holds.

Nothing here has seen a row. A context begins as that of a probe's cells on one level of totals, where it is certain which axis columns
have a coordinate, so that the presence of every filter is certain too. An edit makes a context of a context (`edited`), a row that is run
over makes one too (`in_row`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, assert_never

from nexorem.core.language import typed as t
from nexorem.core.model.model import Link, Model
from nexorem.core.model.paths import LinkState
from nexorem.core.model.rows import ROWS, Columns
from nexorem.core.plan.effects import Effect, Handling, Target, columns_of, effect_of, left_by, row_effect

Change = Literal["kept", "replaced", "cleared", "added", "moved", "carried"]


@dataclass(frozen=True, slots=True)
class AxisMember:
    """The member of an axis column that the cell shows."""


@dataclass(frozen=True, slots=True)
class Picked:
    """The members of the page's pick at a place among its picks; which they are is the probe's, not the plan's."""

    place: int


@dataclass(frozen=True, slots=True)
class CurrentRow:
    """The row of a table expression that is run over."""

    rows: t.Rows


@dataclass(frozen=True, slots=True)
class Predicate:
    """The members for which a condition is true; what it looks up is of the context just before."""

    edit: t.Condition


@dataclass(frozen=True, slots=True)
class Listed:
    """The members that the rows of a table expression name, in the context just before."""

    edit: t.Listing


@dataclass(frozen=True, slots=True)
class MovedDates:
    """A calendar's dates, moved: those that the filters `of` it left in the context just before."""

    edit: t.Moved
    of: tuple[Filter, ...]


Held = AxisMember | Picked | CurrentRow | Predicate | Listed | MovedDates
Origin = Literal["axis", "pick", "condition", "row", "edit", "calendar"]


@dataclass(frozen=True, slots=True)
class Filter:
    """A filter on `columns` of a table (ROWS: on its rows). `made_on` are the columns it was made on, where it has lost some of them since:
    then it holds their combinations. `page` is its place among the page's filters while it stands whole, else -1."""

    table: str
    columns: Columns
    origin: Origin
    holds: Held
    made_on: Columns
    page: int = -1

    @property
    def is_projected(self) -> bool:
        """Whether it has lost columns."""
        return self.columns != self.made_on

    def is_on(self, table: str, column: str | None = None) -> bool:
        """Whether it is on a column of a table, or (None) on the table at all."""
        return self.table == table and (column is None or self.columns is ROWS or column in self.columns)


@dataclass(frozen=True, slots=True)
class Context:
    """Filters that all hold together, in the order in which they were put there; the page's own; the axis columns that have a coordinate;
    and the link state."""

    filters: tuple[Filter, ...]
    page: tuple[Filter, ...]
    axes: frozenset[tuple[str, str]]
    state: LinkState

    def on(self, table: str, column: str | None = None) -> tuple[Filter, ...]:
        """The filters on a column of a table, or on the table at all."""
        return tuple(f for f in self.filters if f.is_on(table, column))

    @property
    def tables(self) -> list[str]:
        """The tables with a filter of their own, in the order of the filters."""
        return list(dict.fromkeys(f.table for f in self.filters))

    def asked(self, node: t.Asked) -> bool:
        """What `filtered` and `on_axis` give here: on one level of totals they are constants."""
        if node.axis:
            return (node.table, node.column or "") in self.axes
        return bool(self.on(node.table, node.column))


@dataclass(frozen=True, slots=True)
class Changed:
    """What became of the filters on a column. `link` is that of a `match` which carries them on."""

    table: str
    column: str
    before: tuple[Filter, ...]
    after: tuple[Filter, ...]
    kind: Change
    link: Link | None = None


def page_filter(place: int, table: str, columns: tuple[str, ...], holds: Picked | Predicate) -> Filter:
    """A filter of the page."""
    return Filter(table, columns, "pick" if isinstance(holds, Picked) else "condition", holds, columns, place)


def cell_context(state: LinkState, page: Sequence[Filter], axes: Sequence[tuple[str, str]]) -> Context:
    """The context of a grid's cells on the level of totals at which these axis columns have a coordinate."""
    own = (Filter(table, (column,), "axis", AxisMember(), (column,)) for table, column in axes)
    return Context((*page, *own), tuple(page), frozenset(axes), state)


def edited(model: Model, edit: t.TypedEdit, before: Context) -> Context:
    """The context after an edit."""
    effect = effect_of(model, edit)
    added = [_made(edit, target, before) for target in effect.adds]
    return replace(before, filters=(*_left(model, effect, before), *added), state=effect.state or before.state)


def in_row(model: Model, rows: t.Rows, before: Context) -> Context:
    """The context of the current row of a table expression that is run over."""
    effect = row_effect(model, rows)
    added = [Filter(x.table, x.columns, "row", CurrentRow(rows), x.columns) for x in effect.adds]
    return replace(before, filters=(*_left(model, effect, before), *added))


def _left(model: Model, effect: Effect, before: Context) -> tuple[Filter, ...]:
    handling: Handling[Filter] = Handling(model, lambda f, columns: replace(f, columns=columns, page=-1), lambda f: f)
    return left_by(effect, before.filters, before.page, handling)


def _made(edit: t.TypedEdit, target: Target, before: Context) -> Filter:
    match edit:
        case t.Condition():
            return Filter(target.table, target.columns, "edit", Predicate(edit), target.columns)
        case t.Listing():
            return Filter(target.table, target.columns, "edit", Listed(edit), target.columns)
        case t.Moved():
            return Filter(target.table, target.columns, "calendar", MovedDates(edit, before.on(edit.calendar)), target.columns)
        case t.Cleared() | t.Restored() | t.Switched() | t.Turned() | t.Matched():
            raise AssertionError("adds no filter")
    assert_never(edit)


def changes(model: Model, edit: t.TypedEdit, before: Context, after: Context) -> list[Changed]:
    """What an edit does to the columns it is about, and those whose filters a `match` carries on: columns with a filter before or after."""
    effect = effect_of(model, edit)
    changed = []
    for table, column in effect.touched(model):
        had, has = before.on(table, column), after.on(table, column)
        if had or has:
            changed.append(Changed(table, column, had, has, _kind(edit, had, has)))
    if effect.carries:
        table = effect.carries.to_table
        columns = dict.fromkeys(c for f in before.on(table) for c in f.columns or columns_of(model, table))
        changed += [Changed(table, c, before.on(table, c), after.on(table, c), "carried", effect.carries) for c in columns]
    return changed


def _kind(edit: t.TypedEdit, had: tuple[Filter, ...], has: tuple[Filter, ...]) -> Change:
    if not has:
        return "cleared"
    if isinstance(edit, t.Moved):
        return "moved"
    if not had:
        return "added"
    if had == has or (isinstance(edit, t.Condition | t.Listing) and edit.keep):
        return "kept"
    return "replaced"
