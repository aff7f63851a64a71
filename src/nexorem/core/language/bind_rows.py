"""Binding table expressions."""

from __future__ import annotations

from collections.abc import Sequence
from typing import assert_never

from nexorem.core.diagnostics import Mend, Span
from nexorem.core.functions.registry import common_type
from nexorem.core.language import grain as grains
from nexorem.core.language import syntax as s
from nexorem.core.language import typed as t
from nexorem.core.language.bind_scalars import ScalarBinder
from nexorem.core.language.names import Scope
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.paths import LinkState
from nexorem.core.values import INTERVALS
from nexorem.core.words import an


class RowsBinder(ScalarBinder):
    """Table expressions; None where one has no meaning, which was reported."""

    def bind_rows(self, node: s.Rows, scope: Scope) -> t.Rows | None:
        """A table expression in the scope of what it stands in, which is of kind cell."""
        match node:
            case s.TableRows():
                return self._table_rows(node, scope)
            case s.ColumnRows():
                return self._column_rows(node, scope)
            case s.KnownRows():
                inner = self.bind_rows(node.rows, scope)
                return inner and t.KnownRows(node.span, self._source(node.span), inner.columns, inner.identity, inner.replaces, inner)
            case s.WhereRows():
                return self._where_rows(node, scope)
            case s.TopRows():
                return self._top_rows(node, scope)
            case s.JoinedRows():
                return self._joined_rows(node, scope)
            case s.ListedRows():
                return self._listed_rows(node, scope)
            case s.WithRows():
                return self._with_rows(node, scope)
            case s.BrokenRows():
                return None
        assert_never(node)

    def _table_rows(self, node: s.TableRows, scope: Scope) -> t.Rows | None:
        name = self._find_table(node.table, node.span)
        if name is None:
            return None
        but = [self._find_column(c) for c in node.but]
        if any(isinstance(c, t.Unknown) for c in but):
            return None
        gone = {c.column for c in but if isinstance(c, t.ColumnValue)}
        if others := [c for c in but if isinstance(c, t.ColumnValue) and c.table != name]:
            self.report("foreign_column", f"{column_text(others[0].table, others[0].column)} is not a column of {name}.", others[0].span)
            return None
        table = self.model.table(name)
        assert table
        columns = tuple(t.RowColumn(c.name, c.dtype, name, c.name) for c in table.columns if c.name not in gone)
        if not columns:
            self.report("no_columns", f"No column of {name} is left.", node.span, "Leave out fewer of them.")
            return None
        return self._base(node.span, node.quantifier, columns, None if gone else name, grains.Grain(name, {name: ()}), scope.state)

    def _column_rows(self, node: s.ColumnRows, scope: Scope) -> t.Rows | None:
        given = [self._find_column(c) for c in node.columns]
        named = [c for c in given if isinstance(c, t.ColumnValue)]
        if len(named) < len(given):
            return None
        for i, column in enumerate(named):
            if any((column.table, column.column) == (c.table, c.column) for c in named[:i]):
                self.report("repeated_column", f"{column_text(column.table, column.column)} is named twice.", column.span)
                return None
        state = self.star.state if node.quantifier else scope.state
        grain = grains.find_grain(self.star, state, [c.table for c in named])
        if isinstance(grain, grains.NoGrain):
            self.report("no_grain", grain.message, node.span, "The columns of rows are those of one table and of what its rows look up.")
            return None
        columns = tuple(t.RowColumn(c.column, c.dtype, c.table, c.column) for c in named)
        return self._base(node.span, node.quantifier, columns, None, grain, scope.state)

    def _base(
        self, span: Span, quantifier: str, columns: tuple[t.RowColumn, ...], identity: str | None, grain: grains.Grain, state: LinkState
    ) -> t.Rows | None:
        own = self.star.state if quantifier else state
        if quantifier != "every" and not self._single_paths(grain.table, own, span):
            return None
        return t.BaseRows(span, self._source(span), columns, identity, bool(quantifier), quantifier, grain.table, grain.lookups, own)

    def _where_rows(self, node: s.WhereRows, scope: Scope) -> t.Rows | None:
        inner = self.bind_rows(node.rows, scope)
        if inner is None:
            return None
        predicate = self.bind(node.predicate, scope.rows(scope.state, inner))
        if predicate.dtype not in ("boolean", "null"):
            self.report("wrong_type", f"A condition is true or false; this is {an(predicate.dtype)}.", node.predicate.span)
            return None
        return t.WhereRows(node.span, self._source(node.span), inner.columns, inner.identity, inner.replaces, inner, predicate)

    def _top_rows(self, node: s.TopRows, scope: Scope) -> t.Rows | None:
        count = self.bind(node.count, scope)
        if count.dtype not in ("integer", "null"):
            self.report("wrong_type", f"How many are wanted is a whole number; this is {an(count.dtype)}.", node.count.span)
        inner = self.bind_rows(node.rows, scope)
        if inner is None:
            return None
        by = self.bind(node.by, scope.rows(scope.state, inner))
        self._refuse_interval(by)
        text = self._source(node.span)
        return t.TopRows(node.span, text, inner.columns, inner.identity, inner.replaces, inner, count, by, node.ascending)

    def _refuse_interval(self, node: t.Typed) -> None:
        if node.dtype in INTERVALS:
            self.report("wrong_type", "Intervals have no order.", node.span)

    def _joined_rows(self, node: s.JoinedRows, scope: Scope) -> t.Rows | None:
        # A long chain of unions is a deep tree only to the left: it is walked without recursion.
        chain: list[s.JoinedRows] = []
        first: s.Rows = node
        while isinstance(first, s.JoinedRows):
            chain.append(first)
            first = first.left
        left = self.bind_rows(first, scope)
        for link in reversed(chain):
            right = self.bind_rows(link.right, scope)
            left = self._joined(link, left, right) if left and right else None
        return left

    def _joined(self, node: s.JoinedRows, left: t.Rows, right: t.Rows) -> t.Rows | None:
        if len(left.columns) != len(right.columns):
            self.report(
                "columns_differ",
                f"{node.op} joins rows of as many columns; here are {len(left.columns)} and {len(right.columns)}.",
                node.span,
                "Name the columns that are meant, as (T.a, T.b).",
            )
            return None
        columns = []
        for a, b in zip(left.columns, right.columns, strict=True):
            kind = common_type([a.dtype, b.dtype])
            if kind is None:
                self.report(
                    "wrong_type",
                    f"{node.op} puts {a.name}, {an(a.dtype)}, with {b.name}, {an(b.dtype)}.",
                    node.span,
                    "Columns correspond by their places.",
                )
                return None
            same = (a.table, a.column) == (b.table, b.column)
            columns.append(a if node.op != "union" or (same and a.table) else t.RowColumn(a.name, kind))
        identity = left.identity if node.op != "union" or left.identity == right.identity else None
        text = self._source(node.span)
        return t.JoinedRows(node.span, text, tuple(columns), identity, left.replaces or right.replaces, node.op, left, right)

    def _listed_rows(self, node: s.ListedRows, scope: Scope) -> t.Rows | None:
        width = len(node.lines[0])
        lines = tuple(tuple(self.bind(x, scope) for x in line) for line in node.lines)
        if uneven := next((line for line in node.lines if len(line) != width), None):
            self.report("columns_differ", f"The first row has {width} values, this one {len(uneven)}.", uneven[0].span)
            return None
        columns = []
        for place in range(width):
            kind = common_type([line[place].dtype for line in lines])
            if kind is None or kind in INTERVALS:
                kinds = " and ".join(dict.fromkeys(line[place].dtype for line in lines))
                self.report("wrong_type", f"The values of a column are of one type; here are {kinds}.", node.span)
                return None
            columns.append(t.RowColumn(f"column{place + 1}", kind))
        return t.ListedRows(node.span, self._source(node.span), tuple(columns), None, False, lines)

    def _with_rows(self, node: s.WithRows, scope: Scope) -> t.Rows | None:
        rows = self.bind_rows(node.rows, scope)
        if rows is None:
            return None
        names = [c.name.lower() for c in rows.columns if c.table is None]
        for definition in node.definitions:  # a later column sees those before it, as in `let`
            value = self.bind(definition.value, scope.rows(scope.state, rows))
            if definition.name.lower() in names:
                self.report("repeated_column", f"There is already a column {definition.name}.", definition.span, "Give it another name.")
            names.append(definition.name.lower())
            if value.dtype in INTERVALS:
                self.report("interval_result", "A column cannot be an interval.", value.span, "Subtract two dates for whole days.")
            columns = (*rows.columns, t.RowColumn(definition.name, value.dtype))
            rows = t.WithRows(node.span, self._source(node.span), columns, rows.identity, rows.replaces, rows, (value,))
        return rows

    # columns of the row at hand

    def _row_column(self, column: t.ColumnValue, scope: Scope) -> t.Typed:
        """A column where the rows are known: one of theirs, or one that is looked up from them."""
        source = scope.source
        assert source
        text = column_text(column.table, column.column)
        if any((c.table, c.column) == (column.table, column.column) for c in source.columns):
            return column
        if source.identity is None:
            own = [column_text(c.table, c.column or "") if c.table else quoted(c.name) for c in source.columns]
            return self.report(
                "no_such_row_column",
                f"{text} is not a column of the rows run over, which are {', '.join(own)}.",
                column.span,
                f"Add it to them, or say which value is meant, as in the({text}) or max({text}).",
                [Mend(f"write the({text})", column.span, f"the({text})")],
            )
        chains = self.star.lookups(source.identity, scope.state)
        if column.table not in chains:
            reason = grains.why_not(self.star, scope.state, source.identity, list(chains), column.table)
            return self.report(
                "no_lookup",
                reason,
                column.span,
                f"Say which value is meant, as in the({text}) or max({text}).",
                [Mend(f"write the({text})", column.span, f"the({text})")],
            )
        return column

    @staticmethod
    def _row_name(name: str, columns: Sequence[t.RowColumn]) -> int | None:
        """The place of a column with a name of its own."""
        return next((i for i, c in enumerate(columns) if c.table is None and c.name.lower() == name.lower()), None)
