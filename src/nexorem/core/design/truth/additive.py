"""Whether a measure's parts add up to its totals: proven from its formula and links, or said why it need not be so."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import assert_never

from nexorem.core.design.truth.mark import Columns
from nexorem.core.language import typed as t
from nexorem.core.model.star import Star
from nexorem.core.plan.effects import effect_of
from nexorem.core.plan.tree import cell_trees, inner_nodes, is_idle, nodes
from nexorem.core.words import listed

ADDING = ("sum", "count", "rows")
SIGNS = frozenset({"+", "-", "negate"})
EXTREMES = {
    "min": "the smallest",
    "max": "the largest",
    "median": "the median",
    "percentile": "a percentile",
    "stddev": "a deviation",
    "listagg": "a list",
}
BY_FORMULA = ("ratio", "product", "average", "extreme", "constant", "distinct", "kind")  # whatever the axes are


@dataclass(frozen=True, slots=True)
class Additivity:
    """What is known of a measure along some axes before its numbers are looked at. `status`: `sum` (proven: each row stands on one line),
    `not` (`why` and `sentence` say why it need not be a sum), `open` (neither)."""

    status: str
    why: str = ""
    sentence: str = ""
    tables: tuple[str, ...] = ()


OPEN = Additivity("open")
SUM = Additivity("sum")


def additivity(star: Star, measure: t.MeasureValue, axes: Columns, page: Collection[str]) -> Additivity:
    """Whether totals over the axis columns are sums of their lines, by the formula. `page` are the tables that picks and conditions are on.

    A sum over rows that look up every axis' table by firm links is one: each row has one partner, or the unmatched member. Filters of the
    page must not take members off an axis and leave their rows: that is sure where they come to it by look-ups, or not at all.
    """
    if measure.dtype not in ("integer", "number"):
        return Additivity("not", "kind", f"{measure.name} is not a number.")
    tables = list(dict.fromkeys(table for table, _ in axes))
    reading = _Reader(star, tuple(tables), measure.name, bool(page)).of(measure.body)
    if reading.status != "sum":
        return reading
    steps = (star.inflow(table, star.state).worst_step(x) for table in tables for x in page if x != table)
    return reading if all(how in ("", "lookup") for how in steps) else OPEN


def adds(node: t.Typed) -> bool:
    """Whether a value is made by adding up, so that its parts could be expected to add up to it."""
    match node:
        case t.MeasureValue() | t.InRow() | t.InContext() | t.Edited() | t.Let():
            return adds(node.body)
        case t.Aggregate() | t.Iterated():
            return node.function in ADDING
        case t.LetValue():
            return adds(node.definition.node)
        case t.Fold() | t.Apply():
            names, parts = operators(node), node.arguments
            if names <= {"*", "/"}:
                return adds(parts[0]) and all(isinstance(a, t.Const) for a in parts[1:])
            return names <= SIGNS and all(adds(a) or _is_zero(a) for a in parts)
        case t.Unknown() | t.Const() | t.ColumnValue() | t.RowName() | t.Cases() | t.Member() | t.Single() | t.Asked() | t.Rank():
            return False
    assert_never(node)


def operators(node: t.Typed | None) -> frozenset[str]:
    """The functions that a node applies; none where it is no operation."""
    if isinstance(node, t.Fold):
        return frozenset(f.name for f in node.functions)
    return frozenset({node.function.name}) if isinstance(node, t.Apply) else frozenset()


def _is_zero(node: t.Typed) -> bool:
    return isinstance(node, t.Const) and node.value == 0 and node.dtype in ("integer", "number")


@dataclass(frozen=True, slots=True)
class _Reader:
    star: Star
    tables: tuple[str, ...]
    name: str
    paged: bool

    def of(self, node: t.Typed) -> Additivity:
        match node:
            case t.MeasureValue() | t.InContext():
                return self.of(node.body)
            case t.Let():
                return self.of(node.body)
            case t.LetValue():
                return self.of(node.definition.node)
            case t.Aggregate():
                return self.scan(node)
            case t.Iterated():
                return OPEN if node.function == "sum" else _by_function(node.function, node.text)
            case t.Edited():
                return self.edited(node)
            case t.Fold() | t.Apply():
                return self.operation(node)
            case (
                t.Unknown()
                | t.Const()
                | t.ColumnValue()
                | t.RowName()
                | t.InRow()
                | t.Cases()
                | t.Member()
                | t.Single()
                | t.Asked()
                | t.Rank()
            ):
                return OPEN
        assert_never(node)

    def scan(self, node: t.Aggregate) -> Additivity:
        if node.distinct:
            return Additivity("not", "distinct", f"{_line(node.text)} counts once in a total what stands on several of its lines.")
        if node.function not in ADDING:
            return _by_function(node.function, node.text)
        if any(not isinstance(n, _ROW_SHAPED) for tree in (node.argument, node.where) if tree for n in nodes(tree)):
            return OPEN
        flow = self.star.inflow(node.grain, node.state)
        steps = {table: flow.worst_step(table) for table in self.tables}
        lost = [table for table, how in steps.items() if not how]
        if lost:
            names = listed(lost, "or")
            return Additivity("not", "unreached", f"{node.text} is not reached by {names}: its whole stands on every line.", tuple(lost))
        over = [table for table, how in steps.items() if how != "lookup"]
        if not over:
            return SUM
        word = "a loose link" if steps[over[0]] == "loose" else "the many side of a link"
        sentence = (
            f"{self.name}: a filter on {listed(over)} comes to {node.grain} over {word}: a row may count on several lines, or on none."
        )
        return Additivity("not", "overlap", sentence, tuple(over))

    def edited(self, node: t.Edited) -> Additivity:
        if is_idle(node):
            return self.of(node.body)
        for edit in node.edits:
            touched = set(effect_of(self.star.model, edit).removes)
            if touched & set(self.tables):
                return Additivity("not", "edit", f"{edit.text} changes the filters that the lines put there.", tuple(touched))
            if isinstance(edit, t.LinkEdit) and (self.paged or isinstance(edit, t.Matched)):
                return OPEN
            if isinstance(edit, t.Listing | t.Moved) or cell_trees(edit) or _asks(edit):
                return OPEN
        return self.of(node.body)

    def operation(self, node: t.Fold | t.Apply) -> Additivity:
        names, parts = operators(node), node.arguments
        if names <= SIGNS:
            return self.terms([a for a in parts if not _is_zero(a)])
        if not names <= {"*", "/"}:
            return OPEN
        signs = ["*", *(f.name for f in node.functions)] if isinstance(node, t.Fold) else ["*", node.function.name]
        signed = list(zip(signs, parts, strict=True))
        if any(sign == "/" and not isinstance(a, t.Const) for sign, a in signed):
            return Additivity("not", "ratio", f"{self.name} is a ratio: each of its totals is recomputed.")
        factors = [a for a in parts if not isinstance(a, t.Const)]
        if len(factors) > 1:
            return Additivity("not", "product", f"{self.name} is a product: each of its totals multiplies totals.")
        return self.of(factors[0]) if factors else Additivity("not", "constant", f"{self.name} is the same in every cell.")

    def terms(self, terms: Sequence[t.Typed]) -> Additivity:
        if any(isinstance(a, t.Const) for a in terms):
            return Additivity("not", "constant", f"{self.name} has a constant added in every cell.")
        parts = [self.of(a) for a in terms]
        reason = next((f for f in parts if f.status == "not"), None)
        return reason or (SUM if parts and all(f.status == "sum" for f in parts) else OPEN)


_ROW_SHAPED = (t.ColumnValue, t.Const, t.Apply, t.Fold, t.Cases, t.Member, t.Let, t.LetValue)


def _line(text: str) -> str:
    """A formula's text on one line."""
    return " ".join(text.split())


def _by_function(function: str, text: str) -> Additivity:
    if function == "avg":
        return Additivity("not", "average", f"{_line(text)} is an average, of more rows in a total.")
    if function in EXTREMES:
        return Additivity("not", "extreme", f"{_line(text)} is {EXTREMES[function]} of its rows, not their sum.")
    return Additivity("not", "distinct", f"{_line(text)} counts once in a total what stands on several of its lines.")


def _asks(edit: t.TypedEdit) -> bool:
    """Whether an edit's condition looks at the context it stands in."""
    return isinstance(edit, t.Condition | t.Matched) and bool(inner_nodes(edit.predicate))
