"""Binding aggregates, and what asks about the context: `the single filtered on_axis rank`."""

from __future__ import annotations

from nexorem.core.functions.registry import common_type
from nexorem.core.language import grain as grains
from nexorem.core.language import syntax as s
from nexorem.core.language import typed as t
from nexorem.core.language.bind_edits import EditsBinder
from nexorem.core.language.names import Scope
from nexorem.core.values import INTERVALS, NUMERIC
from nexorem.core.words import an

OF_NUMBERS = ("sum", "avg", "median", "stddev", "percentile")
ORDERED = ("text", "date", "datetime", *NUMERIC)


class AggregateBinder(EditsBinder):
    """Aggregates; `scope` is the cell they stand in."""

    def _aggregate(self, node: s.Aggregate, scope: Scope) -> t.Typed:
        if node.over is not None:
            return self._iterated(node, node.over, scope)
        inner = scope.rows(scope.state)
        before = self._wrong()
        assert node.argument is not None
        argument = self.bind(node.argument, inner)
        where = self._where(node.where, inner)
        extra = self._extra(node, scope)
        dtype = self._aggregate_type(node, argument)
        if self._wrong() > before or dtype is None:
            return t.Unknown(node.span, "null")
        grain = grains.find_grain(self.star, scope.state, [c.table for c in inner.named])
        if isinstance(grain, grains.NoGrain):
            return self.report("no_grain", grain.message, node.span, grain.hint)
        if not self._single_paths(grain.table, scope.state, node.span):
            return t.Unknown(node.span, "null")
        return t.Aggregate(
            node.span,
            dtype,
            node.function,
            grain.table,
            argument,
            where,
            node.distinct,
            grain.lookups,
            scope.state,
            self._source(node.span),
            extra,
        )

    def _where(self, node: s.Node | None, scope: Scope) -> t.Typed | None:
        where = self.bind(node, scope) if node else None
        if where and where.dtype not in ("boolean", "null"):
            self.report("wrong_type", f"A condition is true or false; this is {an(where.dtype)}.", where.span)
        return where

    def _iterated(self, node: s.Aggregate, over: s.Rows, scope: Scope) -> t.Typed:
        before = self._wrong()
        rows = self.bind_rows(over, scope)
        extra = self._extra(node, scope)
        if rows is None:
            return t.Unknown(node.span, "null")
        inner = scope.rows(scope.state, rows)
        argument = self.bind(node.argument, inner) if node.argument is not None else None
        where = self._where(node.where, inner)
        dtype = self._aggregate_type(node, argument)
        if self._wrong() > before or dtype is None:
            return t.Unknown(node.span, "null")
        text = self._source(node.span)
        if node.function == "rows" and (counted := self._counted(rows, node, dtype, text)):
            return counted
        return t.Iterated(node.span, dtype, node.function, argument, where, node.distinct, rows, extra, scope.state, text)

    def _counted(self, rows: t.Rows, node: s.Aggregate, dtype: str, text: str) -> t.Aggregate | None:
        """`rows(T)` and `rows(T where …)` over visible rows: an aggregate like any other."""
        base, where = (rows.rows, rows.predicate) if isinstance(rows, t.WhereRows) else (rows, None)
        if not isinstance(base, t.BaseRows) or base.quantifier or base.identity is None:
            return None
        lookups = self.star.lookups(base.grain, base.state)
        return t.Aggregate(node.span, dtype, "rows", base.grain, None, where, False, lookups, base.state, text)

    def _extra(self, node: s.Aggregate, scope: Scope) -> t.Typed | None:
        """percentile's share or listagg's separator."""
        if node.extra is None:
            return None
        extra = self.bind(node.extra, scope)
        takes = (*NUMERIC, "null") if node.function == "percentile" else ("text", "null")
        if extra.dtype not in takes:
            what = "The share is a number from 0 to 1" if node.function == "percentile" else "What stands between the texts is a text"
            self.report("wrong_type", f"{what}; this is {an(extra.dtype)}.", extra.span)
        return extra

    def _aggregate_type(self, node: s.Aggregate, argument: t.Typed | None) -> str | None:
        if node.function in ("count", "rows") or argument is None:
            if argument is not None:
                self._refuse_interval(argument)
            return "integer"
        kind = argument.dtype
        takes: tuple[str, ...] = NUMERIC if node.function in OF_NUMBERS else ("text",) if node.function == "listagg" else ORDERED
        if kind not in (*takes, "null"):
            hint = f"It takes {', '.join(takes)}."
            self.report("wrong_type", f"{node.function} does not take a {kind}.", argument.span, hint)
            return None
        if node.function == "listagg":
            return "text"
        return "number" if node.function in OF_NUMBERS[1:] or kind == "null" else kind

    # asking about the context

    def _asked(self, node: s.Asked, scope: Scope) -> t.Typed:
        text = self._source(node.span)
        if node.column is None:
            table = self._find_table(node.table, node.span)
            return t.Asked(node.span, "boolean", table, None, False, text) if table else t.Unknown(node.span, "null")
        column = self._find_column(node.column)
        default = self.bind(node.default, scope) if node.default is not None else None
        if isinstance(column, t.Unknown):
            return column
        if node.function in ("filtered", "on_axis"):
            return t.Asked(node.span, "boolean", column.table, column.column, node.function == "on_axis", text)
        if not self._single_paths(column.table, scope.state, node.span):
            return t.Unknown(node.span, "null")
        if node.function == "single":
            return t.Single(node.span, "boolean", column.table, column.column, True, None, scope.state, text)
        dtype = common_type([column.dtype, default.dtype]) if default else column.dtype
        if dtype is None and default:
            return self.report("wrong_type", f"The value is {an(column.dtype)}, its default {an(default.dtype)}.", default.span)
        return t.Single(node.span, dtype or column.dtype, column.table, column.column, False, default, scope.state, text)

    def _rank(self, node: s.Rank, scope: Scope, operand: t.Typed) -> t.Typed:
        """`scope` is the cell it stands in; `operand` is bound there, for it may be of the row at hand."""
        before = self._wrong()
        among = self.bind_rows(node.among, scope)
        if among is None or self._wrong() > before:
            return t.Unknown(node.span, "null")
        by = self.bind(node.operand, scope.rows(scope.state, among))
        if self._wrong() > before:
            return t.Unknown(node.span, "null")
        if by.dtype in INTERVALS:
            return self.report("wrong_type", "Intervals have no order.", node.operand.span)
        return t.Rank(node.span, "integer", operand, by, among, node.ascending, scope.state, self._source(node.span))
