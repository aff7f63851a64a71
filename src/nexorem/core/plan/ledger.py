"""The ledger of a formula: what becomes of each filter at each `given` in it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import assert_never

from nexorem.core.language import typed as t
from nexorem.core.language.reading import Reader
from nexorem.core.model.model import Model
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.paths import model_state
from nexorem.core.model.rows import ROWS
from nexorem.core.plan.contexts import (
    AxisMember,
    Change,
    Context,
    CurrentRow,
    Filter,
    Listed,
    MovedDates,
    Picked,
    Predicate,
    cell_context,
    page_filter,
)
from nexorem.core.plan.effects import effect_of
from nexorem.core.plan.logical import Given, Placed, make_plan, placed
from nexorem.core.plan.tree import is_idle
from nexorem.core.results import Result

Words = Mapping[tuple[str, str], str]


@dataclass(frozen=True, slots=True)
class Line:
    """A column in the ledger, or (`name` None) a table whose rows themselves are filtered. `` for no filter is empty text; `edit` has the
    texts of the edits that were about it."""

    given: str
    table: str
    name: str | None
    arriving: str
    edit: str
    leaving: str
    kind: Change

    @property
    def column(self) -> str:
        """What it is about, as a formula names it."""
        return column_text(self.table, self.name) if self.name is not None else quoted(self.table)

    def written(self) -> LedgerLine:
        """As formats.md has it."""
        return LedgerLine(self.given, self.column, self.arriving, self.edit, self.leaving, self.kind)


@dataclass(frozen=True, slots=True)
class LedgerLine(Result):
    """What becomes of the filter on a column in a `given`: what arrives, the edits that are about it, what leaves."""

    given: str
    column: str
    arriving: str
    edit: str
    leaving: str
    kind: Change


def ledger(model: Model, node: t.Typed, arriving: Words, page: Words) -> list[Line]:
    """For each `given` of a formula, also within its table expressions and right of an edit, and each column with a filter before or after
    it: what arrives, what is done, what leaves. A formula without one keeps what arrives.

    `arriving` says in words which filters a cell brings; `page` those of them that the page put there.
    """
    own = [column for column in arriving if column not in page or arriving[column] != page[column]]
    paged = [page_filter(place, table, (column,), Picked(place)) for place, (table, column) in enumerate(page)]
    start = cell_context(model_state(model), paged, own)
    book = _Book(model, arriving, page)
    lines = [line for part in placed(model, make_plan(model, [node]), start) for line in book.lines(part)]
    return lines or [Line("", table, column, text, "", text, "kept") for (table, column), text in arriving.items()]


class _Book:
    """Writes the lines of plans; a `given` that is met in one context several times is written once."""

    def __init__(self, model: Model, arriving: Words, page: Words) -> None:
        self.model, self.arriving, self.page = model, arriving, page
        self.reader = Reader(model)
        self.met: set[tuple[int, tuple[Filter, ...]]] = set()

    def lines(self, part: Placed) -> Iterator[Line]:
        """The lines of one plan."""
        for given in part.plan.givens:
            key = id(given.node), part.contexts[given.contexts[0]].filters
            if key not in self.met and not is_idle(given.node):
                self.met.add(key)
                yield from self._of(given, part)

    def _of(self, given: Given, part: Placed) -> Iterator[Line]:
        text = f"given ({', '.join(e.text for e in given.node.edits)})"
        before, after = (part.contexts[given.contexts[i]] for i in (0, -1))
        touched: dict[tuple[str, str], list[str]] = {}
        moved: set[tuple[str, str]] = set()
        carried: dict[str, str] = {}
        for edit in given.node.edits:
            effect = effect_of(self.model, edit)
            for about in effect.touched(self.model):
                touched.setdefault(about, []).append(edit.text)
            if isinstance(edit, t.Moved):
                moved.add((edit.calendar, edit.date))
            if effect.carries:
                carried[effect.carries.to_table] = edit.text
        for table, column in self._columns(before, after):
            had, has = before.on(table, column), after.on(table, column)
            what = "; ".join(dict.fromkeys(touched.get((table, column), ()))) if had != has or (table, column) in touched else ""
            kind = _kind(had, has, (table, column) in moved)
            if kind == "kept" and table in carried:
                what, kind = carried[table], "carried"
            yield Line(text, table, column, self._words(table, column, had), what, self._words(table, column, has), kind)
        yield from self._rows(text, given, before, after)

    def _rows(self, text: str, given: Given, before: Context, after: Context) -> Iterator[Line]:
        """A line for each table whose rows themselves are filtered before the edits or behind them."""
        for table in dict.fromkeys(f.table for f in (*before.filters, *after.filters) if f.columns is ROWS):
            had, has = (tuple(f for f in c.on(table) if f.columns is ROWS) for c in (before, after))
            effects = [(e.text, effect_of(self.model, e)) for e in given.node.edits]
            about = [edit for edit, x in effects if table in x.removes or any(a.table == table for a in x.adds)]
            words = [" and ".join(map(self._one, filters)) for filters in (had, has)]
            yield Line(text, table, None, words[0], "; ".join(dict.fromkeys(about)), words[1], _kind(had, has, False))

    def _columns(self, before: Context, after: Context) -> list[tuple[str, str]]:
        """The columns that are filtered before or after, those of filters on rows aside."""
        return list(dict.fromkeys((f.table, c) for f in (*before.filters, *after.filters) for c in f.columns or ()))

    def _words(self, table: str, column: str, filters: tuple[Filter, ...]) -> str:
        """What filters on a column hold, in words."""
        key = table, column
        origins = {f.origin for f in filters}
        brought = [self.arriving[key]] if "axis" in origins else [self.page[key]] if "pick" in origins else []
        return " and ".join([*brought, *(self._one(f) for f in filters if f.origin not in ("axis", "pick"))])

    def _one(self, held: Filter) -> str:
        match held.holds:
            case Predicate(edit):
                return self.reader.words(edit.predicate)
            case Listed(edit):
                return self.reader.rows(edit.rows)
            case MovedDates(edit):
                return self.reader.edit(edit)
            case CurrentRow(rows):
                return f"the current one of {self.reader.rows(rows)}"
            case AxisMember() | Picked():
                return "the cell's own"
        assert_never(held.holds)


def _kind(had: tuple[Filter, ...], has: tuple[Filter, ...], moved: bool) -> Change:
    if moved:
        return "moved"
    if not has:
        return "cleared"
    if not had:
        return "added"
    return "kept" if had == has else "replaced"
