"""Binding the edits of a `given`."""

from __future__ import annotations

from typing import assert_never

from nexorem.core.diagnostics import Mend
from nexorem.core.functions.registry import common_type
from nexorem.core.language import syntax as s
from nexorem.core.language import typed as t
from nexorem.core.language.bind_rows import RowsBinder
from nexorem.core.language.names import Scope
from nexorem.core.model.calendar import calendar_fault
from nexorem.core.model.model import Comparison, Link
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.paths import LinkState
from nexorem.core.words import an


class EditsBinder(RowsBinder):
    """Edits; None where one has no meaning, which was reported."""

    def _given(self, node: s.Given, scope: Scope) -> t.Typed:
        edits: list[t.TypedEdit] = []
        state = scope.state
        for edit in node.edits:
            bound = self._edit(edit, scope.cell(state))
            if bound is not None:
                edits.append(bound)
                state = bound.state if isinstance(bound, t.LinkEdit) else state
        body = self.bind(node.operand, scope.cell(state))
        return t.Edited(node.span, body.dtype, body, tuple(edits))

    def _edit(self, edit: s.Edit, scope: Scope) -> t.TypedEdit | None:
        match edit:
            case s.SetWhere():
                return self._condition(edit, scope)
            case s.SetIn():
                return self._listing(edit, scope)
            case s.Clear() | s.Reset():
                return self._clear(edit, scope.state)
            case s.Via():
                link = self._find_link(edit.link)
                return t.Switched(self._source(edit.span), link, scope.state.switched(self.model, link)) if link else None
            case s.Flow():
                return self._flow(edit, scope.state)
            case s.MatchColumns():
                return self._match_columns(edit, scope.state)
            case s.MatchWhere():
                return self._match_where(edit, scope)
            case s.Shift() | s.Stretch():
                return self._moved(edit, scope)
            case s.BrokenEdit():
                return None
        assert_never(edit)

    # set and keep

    def _condition(self, edit: s.SetWhere, scope: Scope) -> t.Condition | None:
        inner = scope.condition(scope.state)
        before = self._wrong()
        predicate = self.bind(edit.predicate, inner)
        if self._wrong() > before:
            return None
        if predicate.dtype not in ("boolean", "null"):
            self.report("wrong_type", f"A condition is true or false; this is {an(predicate.dtype)}.", edit.predicate.span)
            return None
        tables = list(dict.fromkeys(c.table for c in inner.named))
        if len(tables) != 1:
            self._no_single_table(edit, tables, scope.state)
            return None
        columns = tuple(dict.fromkeys(c.column for c in inner.named))
        replaced = () if edit.keep else self._replaced(tables[0], columns)
        return t.Condition(self._source(edit.span), edit.keep, tables[0], columns, replaced, predicate)

    def _no_single_table(self, edit: s.SetWhere, tables: list[str], state: LinkState) -> None:
        span, text = edit.predicate.span, self._source(edit.predicate.span)
        if not tables:
            self.report(
                "condition_tables",
                "A condition is over columns of one table; this names no table.",
                span,
                "Name the column that is to be filtered, as Table.column.",
            )
            return
        mends = []
        word = "keep" if edit.keep else "set"
        if isinstance(edit.predicate, s.Chain) and set(edit.predicate.ops) == {"AND"}:
            parts = ", ".join(f"{word} {self._source(o.span)}" for o in edit.predicate.operands)
            mends.append(Mend("write an edit a table", edit.span, parts))
        for table in tables:
            if all(x in self.star.lookups(table, state) for x in tables):
                mends.append(Mend(f"filter {table}", edit.span, f"keep {quoted(table)} in ({quoted(table)} where {text})"))
        self.report(
            "condition_tables",
            f"A condition is over columns of one table; this names {' and '.join(tables)}.",
            span,
            "Write one edit a table, or keep T in (T where …).",
            mends,
        )

    def _replaced(self, table_name: str, columns: tuple[str, ...]) -> tuple[str, ...]:
        """Setting a calendar's date replaces every filter on that calendar."""
        table = self.model.table(table_name)
        if table and table.calendar and table.calendar.date in columns:
            return tuple(c.name for c in table.columns)
        return columns

    def _listing(self, edit: s.SetIn, scope: Scope) -> t.Listing | None:
        before = self._wrong()
        wanted: list[t.ColumnValue] = []
        table: str | None = None
        if edit.table:
            table = self._find_table(edit.table, edit.span)
            defined = self.model.table(edit.table)
            wanted = [t.ColumnValue(edit.span, c.dtype, defined.name, c.name) for c in defined.columns] if defined else []
        else:
            columns = [self._find_column(c) for c in edit.columns]
            wanted = [c for c in columns if isinstance(c, t.ColumnValue)]
        rows = self.bind_rows(edit.rows, scope)
        if rows is None or self._wrong() > before:
            return None
        tables = list(dict.fromkeys(c.table for c in wanted))
        if len(tables) > 1:
            self.report(
                "condition_tables",
                f"An edit filters columns of one table; this names {' and '.join(tables)}.",
                edit.span,
                "Write one edit a table, or keep T in (T where …).",
            )
            return None
        names = tuple(c.column for c in wanted)
        text = self._source(edit.span)
        replaced = () if edit.keep else self._replaced(tables[0], names)
        if table and rows.identity == table:
            return t.Listing(text, edit.keep, table, None, replaced, rows, (), scope.state)
        places = self._places(edit, wanted, rows)
        return t.Listing(text, edit.keep, tables[0], names, replaced, rows, places, scope.state) if places else None

    def _places(self, edit: s.SetIn, wanted: list[t.ColumnValue], rows: t.Rows) -> tuple[int, ...] | None:
        """By name where the rows have all those columns, else by place."""
        own = {(c.table, c.column): i for i, c in enumerate(rows.columns)}
        if all((c.table, c.column) in own for c in wanted):
            return tuple(own[c.table, c.column] for c in wanted)
        if len(wanted) != len(rows.columns):
            self.report(
                "columns_differ",
                f"{len(wanted)} columns are to be filtered; the rows have {len(rows.columns)}, and not those.",
                edit.span,
                "Name as many columns, or let the rows be of the columns that are filtered.",
            )
            return None
        for column, given in zip(wanted, rows.columns, strict=True):
            if common_type([column.dtype, given.dtype]) is None:
                text = column_text(column.table, column.column)
                self.report("wrong_type", f"{text} is {an(column.dtype)}, never equal to {an(given.dtype)}.", edit.span)
                return None
        return tuple(range(len(wanted)))

    # clear and reset

    def _clear(self, edit: s.Clear | s.Reset, state: LinkState) -> t.Cleared | t.Restored | None:
        gone = self._targeted(edit.target, state)
        kept = self._targeted(edit.but, state) if edit.but else {}
        if gone is None or kept is None:
            return None
        left = {table: frozenset(columns - kept.get(table, set())) for table, columns in gone.items()}
        kind = t.Cleared if isinstance(edit, s.Clear) else t.Restored
        table = self.model.table(edit.target.table) if edit.target.table else None
        but = self._source(edit.but.span) if edit.but else ""
        columns = {table: columns for table, columns in left.items() if columns}
        return kind(self._source(edit.span), columns, edit.target.kind, table.name if table else "", but)

    def _targeted(self, target: s.Target, state: LinkState) -> dict[str, set[str]] | None:
        if target.kind == "columns":
            targets: dict[str, set[str]] = {}
            bound = [self._find_column(c) for c in target.columns]
            for column in bound:
                if isinstance(column, t.ColumnValue):
                    targets.setdefault(column.table, set()).add(column.column)
            return None if any(isinstance(c, t.Unknown) for c in bound) else targets
        if target.kind == "all":
            tables = [x.name for x in self.model.tables]
        else:
            table = self._find_table(target.table, target.span)
            if table is None:
                return None
            tables = self._tables_of(table, target, state)
        return {name: {c.name for c in x.columns} for name in tables if (x := self.model.table(name))}

    def _tables_of(self, table: str, target: s.Target, state: LinkState) -> list[str]:
        if target.kind == "wide":
            return list(self.star.lookups(table, state))
        if target.kind == "into":
            return flowing_into(self.star.model.links, state, table)
        return [table]

    # links

    def _flow(self, edit: s.Flow, state: LinkState) -> t.Turned | None:
        link = self._find_link(edit.link)
        if link is None:
            return None
        way = edit.way
        if way == "to":
            table = self._find_table(edit.table, edit.span)
            if table is None:
                return None
            if table not in link.tables:
                ends = sorted(link.tables)
                self.report("flow_end", f"{table} is not an end of “{link.name}”.", edit.span, f"Its ends are {' and '.join(ends)}.")
                return None
            way = table
        if link.name not in state.active:
            mended = f"via {self.model.link_text(link)}, {self._source(edit.span)}"
            self.report(
                "inactive_link",
                f"The link “{link.name}” is inactive: no filter crosses it in any direction.",
                edit.span,
                "Switch it on before, with via.",
                [Mend("switch it on first", edit.span, mended)],
            )
            return None
        return t.Turned(self._source(edit.span), link, way, state.turning(link, way))

    def _match_columns(self, edit: s.MatchColumns, state: LinkState) -> t.Matched | None:
        sides = [[self._find_column(c) for c in side] for side in (edit.source, edit.target)]
        source, target = ([c for c in side if isinstance(c, t.ColumnValue)] for side in sides)
        if len(source) < len(edit.source) or len(target) < len(edit.target):
            return None
        for side in (source, target):
            if len({c.table for c in side}) > 1:
                self.report("match_tables", "Each side of a match names columns of one table.", edit.span)
                return None
        if len(source) != len(target):
            self.report("columns_differ", f"A match joins as many columns; here are {len(source)} and {len(target)}.", edit.span)
            return None
        for a, b in zip(source, target, strict=True):
            if common_type([a.dtype, b.dtype]) is None:
                self.report("wrong_type", f"{an(a.dtype).capitalize()} is never equal to {an(b.dtype)}.", edit.span)
                return None
        if not self._two_tables(source[0].table, target[0].table, edit):
            return None
        text = self._source(edit.span)
        link = Link(
            text,
            target[0].table,
            tuple(c.column for c in target),
            source[0].table,
            tuple(c.column for c in source),
            "many-to-many",
            firm=False,
        )
        return t.Matched(text, link, None, state.adding(link))

    def _two_tables(self, source: str, target: str, edit: s.Edit) -> bool:
        if source == target:
            self.report("match_tables", f"A match goes from one table to another; both are {source}.", edit.span)
        return source != target

    def _match_where(self, edit: s.MatchWhere, scope: Scope) -> t.Matched | None:
        before = self._wrong()
        source, target = self._find_table(edit.source, edit.span), self._find_table(edit.target, edit.span)
        inner = scope.condition(scope.state)
        predicate = self.bind(edit.predicate, inner)
        if source is None or target is None or self._wrong() > before or not self._two_tables(source, target, edit):
            return None
        if predicate.dtype not in ("boolean", "null"):
            self.report("wrong_type", f"A condition is true or false; this is {an(predicate.dtype)}.", edit.predicate.span)
            return None
        named = {name: tuple(dict.fromkeys(c.column for c in inner.named if c.table == name)) for name in (source, target)}
        if others := [c for c in inner.named if c.table not in named]:
            text = column_text(others[0].table, others[0].column)
            self.report("match_tables", f"{text} is a column of neither {source} nor {target}.", others[0].span)
            return None
        if not all(named.values()):
            missing = source if not named[source] else target
            self.report(
                "match_tables",
                f"The condition of this match names no column of {missing}.",
                edit.predicate.span,
                "Compare a column of the one table with one of the other.",
            )
            return None
        text = self._source(edit.span)
        link = Comparison(text, target, named[target], source, named[source], "many-to-many", firm=False, predicate=predicate)
        return t.Matched(text, link, predicate, scope.state.adding(link))

    # calendars

    def _moved(self, edit: s.Shift | s.Stretch, scope: Scope) -> t.Moved | None:
        name = self._find_table(edit.calendar, edit.span)
        by = self.bind(edit.by, scope) if edit.by is not None else None
        if by is not None and by.dtype not in ("integer", "null"):
            self.report("wrong_type", f"How far is a whole number; this is {an(by.dtype)}.", by.span)
        table = self.model.table(name) if name else None
        if table is None:
            return None
        if table.calendar is None:
            calendars = [x.name for x in self.model.tables if x.calendar]
            listed = f"The calendars are {', '.join(calendars)}." if calendars else "Mark the table as a calendar first."
            self.report("no_calendar", f"{table.name} is not a calendar.", edit.span, listed)
            return None
        if fault := calendar_fault(self.star, table):
            self.report("bad_calendar", f"The dates of {table.name} cannot be moved: {fault}", edit.span, "Mend its rows.")
            return None
        kind = "shift" if isinstance(edit, s.Shift) else edit.kind
        return t.Moved(self._source(edit.span), table.name, table.calendar.date, kind, edit.unit, by)


def flowing_into(links: tuple[Link, ...], state: LinkState, table: str) -> list[str]:
    """The table and every table whose filters flow into it, over however many paths: those are judged later."""
    tables = [table]
    for at in tables:
        for link in (*links, *state.added):
            if at in link.tables and state.carries(link, at) and (other := link.other(at)) not in tables:
                tables.append(other)
    return tables
