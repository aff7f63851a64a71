"""A formula in words, from its typed tree: a sentence that a colleague can check.

Nothing here looks at a formula's text, so a sentence says what is computed, not what was meant.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import assert_never

from nexorem.core.language import typed as t
from nexorem.core.model.model import Model
from nexorem.core.model.names import column_text
from nexorem.core.values import iso

OPERATORS = {
    "+": "plus",
    "-": "minus",
    "*": "times",
    "/": "divided by",
    "%": "modulo",
    "||": "followed by",
    "AND": "and",
    "OR": "or",
    "=": "is",
    "<>": "is not",
    "<": "is below",
    "<=": "is at most",
    ">": "is above",
    ">=": "is at least",
    "IS DISTINCT FROM": "differs from",
    "LIKE": "is like",
}
AGGREGATES = {
    "sum": "the sum of",
    "avg": "the mean of",
    "min": "the smallest",
    "max": "the largest",
    "median": "the median of",
    "stddev": "the standard deviation of",
    "count": "the number of filled values of",
    "percentile": "the percentile of",
    "listagg": "the list of",
}
EVERY = "every filter"


class Reader:
    """Puts typed trees of one model into words."""

    def __init__(self, model: Model) -> None:
        self.model = model

    def sentence(self, node: t.Typed) -> str:
        """A whole formula; that of a measure is read from its body."""
        text = self.words(node.body if isinstance(node, t.MeasureValue) else node)
        return f"{text[:1].upper()}{text[1:]}."

    def words(self, node: t.Typed) -> str:
        """A node in words."""
        match node:
            case t.Const():
                return constant_text(node)
            case t.ColumnValue():
                return column_text(node.table, node.column)
            case t.RowName() | t.LetValue():
                return node.definition.name or "its own value" if isinstance(node, t.LetValue) else f"column {node.place + 1}"
            case t.MeasureValue():
                return name_text(node.name)
            case t.InRow() | t.InContext():
                return self.words(node.body)
            case t.Let():
                named = [d for d in node.definitions if d.name]
                said = ", ".join(f"{d.name} being {self.words(d.node)}" for d in named)
                return self.words(node.body) + (f", {said}" if said else "")
            case t.Edited():
                return self._edited(node)
            case t.Cases():
                branches = ", ".join(f"{self.words(then)} if {self.words(when).removeprefix('whether ')}" for when, then in node.branches)
                return f"{branches}, else {self.words(node.otherwise)}"
            case t.Member():
                return f"{self.words(node.operand)} is one of {', '.join(self.words(i) for i in node.items)}"
            case t.Fold():
                parts = [self._operand(node.arguments[0], node)]
                for function, argument in zip(node.functions, node.arguments[1:], strict=True):
                    parts += [OPERATORS.get(function.name, function.name), self._operand(argument, node)]
                return " ".join(parts)
            case t.Apply():
                return self._applied(node)
        return self._aggregated(node)

    def _between(self, node: t.Apply) -> str:
        """BETWEEN, which stands in the tree as two comparisons of one thing; else nothing."""
        match node.arguments:
            case (t.Apply(function=low, arguments=(one, least)), t.Apply(function=high, arguments=(other, most))):
                if (low.name, node.function.name, high.name) == (">=", "AND", "<=") and self.words(one) == self.words(other):
                    return f"{self._operand(one, node)} is between {self.words(least)} and {self.words(most)}"
        return ""

    def _operand(self, node: t.Typed, parent: t.Typed) -> str:
        text = self.words(node)
        while isinstance(node, t.InRow | t.InContext):
            node = node.body
        nested = isinstance(node, t.Fold | t.Cases) or (isinstance(node, t.Edited) and not isinstance(parent, t.Edited))
        return f"({text})" if nested else text

    def _applied(self, node: t.Apply) -> str:
        if span := self._between(node):
            return span
        words = [self._operand(a, node) for a in node.arguments]
        name = node.function.name
        if name in OPERATORS and len(words) == 2:
            return f"{words[0]} {OPERATORS[name]} {words[1]}"
        if name == "NOT":
            inner = node.arguments[0]
            if isinstance(inner, t.Apply) and inner.function.name == "IS NULL":
                return f"{self._operand(inner.arguments[0], inner)} is not empty"
            return f"not {words[0]}"
        if name == "IS NULL":
            return f"{words[0]} is empty"
        return f"minus {words[0]}" if name == "negate" else f"{name.lower()} of {', '.join(words)}"

    def _aggregated(self, node: t.Unknown | t.Aggregate | t.Iterated | t.Single | t.Asked | t.Rank) -> str:
        match node:
            case t.Aggregate():
                where = f" where {self.words(node.where)}" if node.where else ""
                if node.argument is None:
                    return f"the number of visible rows of {node.grain}{where}"
                return f"{self._function(node)} {self.words(node.argument)} over the visible rows of {node.grain}{where}"
            case t.Iterated():
                where = f" where {self.words(node.where)}" if node.where else ""
                if node.argument is None:
                    return f"the number of {self.rows(node.over)}{where}"
                return f"{self._function(node)} {self.words(node.argument)}, for each of {self.rows(node.over)}{where}"
            case t.Single():
                text = column_text(node.table, node.column)
                if node.test:
                    return f"whether {text} has a single visible value"
                return f"the single visible value of {text}" + (f", else {self.words(node.default)}" if node.default else "")
            case t.Asked():
                what = column_text(node.table, node.column) if node.column else node.table
                return f"whether {what} is on the axes of the cell" if node.axis else f"whether a filter sits on {what}"
            case t.Rank():
                order = "smallest" if node.ascending else "largest"
                return f"the rank of {self.words(node.by)} among {self.rows(node.among)}, the {order} first"
            case t.Unknown():
                return "nothing"
        assert_never(node)

    def _function(self, node: t.Aggregate | t.Iterated) -> str:
        if node.distinct:
            return "the number of different values of"
        share = f"{self.words(node.extra)} " if node.function == "percentile" and node.extra else ""
        return AGGREGATES[node.function].replace("the percentile", f"the {share}percentile")

    # rows

    def rows(self, rows: t.Rows) -> str:
        """A table expression in words."""
        match rows:
            case t.BaseRows():
                what = rows.grain if rows.identity else ", ".join(f"{c.table}.{c.column}" for c in rows.columns)
                kind = "rows of" if rows.identity else "combinations of" if len(rows.columns) > 1 else "values of"
                return {"": f"the visible {kind} {what}", "every": f"all {kind} {what}", "page": f"the page's {kind} {what}"}[
                    rows.quantifier
                ]
            case t.KnownRows():
                return f"{self.rows(rows.rows)} without the unmatched one"
            case t.WhereRows():
                return f"{self.rows(rows.rows)} where {self.words(rows.predicate)}"
            case t.TopRows():
                order = "lowest" if rows.ascending else "highest"
                return f"the {self.words(rows.count)} of {self.rows(rows.rows)} with the {order} {self.words(rows.by)}"
            case t.JoinedRows():
                word = {"union": "together with", "intersect": "that are also among", "except": "without"}[rows.op]
                return f"{self.rows(rows.left)} {word} {self.rows(rows.right)}"
            case t.ListedRows():
                return "the list " + "; ".join(", ".join(self.words(x) for x in line) for line in rows.lines[:5])
            case t.WithRows():
                return self.rows(rows.rows)
        assert_never(rows)

    # edits

    def _edited(self, node: t.Edited) -> str:
        said = ", then ".join(self.edit(e) for e in node.edits)
        some = any(isinstance(e, t.FilterEdit) for e in node.edits) and not any(self._of_all(e) for e in node.edits)
        rest = "; every other filter stays" if some else ""
        return f"{self._operand(node.body, node)}, with {said}{rest}"

    def _of_all(self, edit: t.TypedEdit) -> bool:
        return isinstance(edit, t.Cleared | t.Restored) and self.targets(edit.columns) == EVERY

    def edit(self, edit: t.TypedEdit) -> str:
        """An edit in words, to follow “with”."""
        match edit:
            case t.Condition():
                return self._condition(edit)
            case t.Listing():
                what = edit.table if edit.columns is None else listed(edit.table, edit.columns)
                return f"{what} kept to {self.rows(edit.rows)}" if edit.keep else f"{what} replaced by {self.rows(edit.rows)}"
            case t.Cleared():
                return f"{self.targets(edit.columns)} cleared{f', those on {edit.but} kept' if edit.but else ''}"
            case t.Restored():
                return f"{self.targets(edit.columns)} back to what the page says{f', those on {edit.but} as they are' if edit.but else ''}"
            case t.Moved():
                return self._moved(edit)
            case t.Switched():
                return f"the link {edit.link.name} switched on"
            case t.Turned():
                ways = {"two-way": "carrying filters both ways", "off": "carrying no filter"}
                return f"the link {edit.link.name} {ways.get(edit.way, f'carrying filters to {edit.way}')}"
            case t.Matched():
                how = f" where {self.words(edit.predicate)}" if edit.predicate else ""
                return f"filters on {edit.link.to_table} carried to {edit.link.from_table}{how or ' by equal values'}"
        assert_never(edit)

    def _condition(self, edit: t.Condition) -> str:
        columns = listed(edit.table, edit.columns)
        value = equal_value(edit.predicate)
        if value is not None:
            return f"{columns} {'kept to' if edit.keep else 'replaced by'} {self.words(value)}"
        if edit.keep:
            return f"{columns} kept to where {self.words(edit.predicate)}"
        return f"the filter on {columns} replaced by {self.words(edit.predicate)}"

    def _moved(self, edit: t.Moved) -> str:
        by = self.words(edit.by) if edit.by else ""
        if edit.kind == "shift":
            amount = edit.by.value if isinstance(edit.by, t.Const) else None
            if isinstance(edit.by, t.Apply) and edit.by.function.name == "negate":
                return f"the dates of {edit.calendar} moved back by {self.words(edit.by.arguments[0])} {edit.unit}"
            return f"the dates of {edit.calendar} moved {'on ' if amount is not None else ''}by {by} {edit.unit}"
        if edit.kind == "start":
            since = "the first date there is" if edit.unit == "all" else f"the start of the {edit.unit}"
            return f"the dates of {edit.calendar} from {since} to the last one"
        if edit.kind == "whole":
            return f"the dates of {edit.calendar} stretched to whole {edit.unit}s"
        return f"the dates of {edit.calendar} replaced by the {by} {edit.unit}s that end on the last one"

    def targets(self, columns: Mapping[str, frozenset[str]]) -> str:
        """Cleared columns, whole tables by their names."""
        if len(columns) == len(self.model.tables) and all(self._whole(x, c) for x, c in columns.items()):
            return EVERY
        targets_of = []
        for table, names in columns.items():
            targets_of.append(table if self._whole(table, names) else listed(table, [c for c in self._columns(table) if c in names]))
        return f"the filters on {', '.join(targets_of)}" if targets_of else "no filter"

    def _whole(self, table: str, names: frozenset[str]) -> bool:
        return len(names) == len(self._columns(table))

    def _columns(self, table: str) -> list[str]:
        table_of = self.model.table(table)
        return [c.name for c in table_of.columns] if table_of else []


def listed(table: str, columns: Sequence[str]) -> str:
    """Columns of a table by their names."""
    return ", ".join(column_text(table, c) for c in columns)


def name_text(name: str) -> str:
    """A measure's name as words."""
    return name.replace("_", " ").strip()


def constant_text(node: t.Const) -> str:
    """A constant as a person writes it."""
    if node.value is None:
        return "empty"
    if node.dtype in ("months", "days", "microseconds"):
        return f"{node.value} {node.dtype}"
    return str(iso(node.value)).lower() if isinstance(node.value, bool) else str(iso(node.value))


def equal_value(predicate: t.Typed) -> t.Typed | None:
    """The one value a condition `column = value` asks for."""
    if isinstance(predicate, t.Apply) and predicate.function.name == "=" and isinstance(predicate.arguments[0], t.ColumnValue):
        return predicate.arguments[1] if not isinstance(predicate.arguments[1], t.ColumnValue) else None
    return None
