"""The typed tree: every name looked up, every type and grain known. Nodes are compared by identity.

A node has one of two shapes. Of shape *cell* it has one value in a context; of shape *row* one value a row of the
table that is run over (column values and what is made of them). `InRow` and `InContext` stand where a cell-shaped node
is used inside a row-shaped one.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from nexorem.core.diagnostics import Span
from nexorem.core.functions.registry import Function
from nexorem.core.model.model import Link
from nexorem.core.model.paths import LinkState
from nexorem.core.values import Value


@dataclass(frozen=True, slots=True, eq=False)
class Typed:
    """Any typed node: its span in its own formula, and its dtype."""

    span: Span
    dtype: str


@dataclass(frozen=True, slots=True, eq=False)
class Unknown(Typed):
    """Stands where a name or an argument was wrong and reported; fits everywhere, so that one mistake is told once."""


@dataclass(frozen=True, slots=True, eq=False)
class Const(Typed):
    """A constant."""

    value: Value


@dataclass(frozen=True, slots=True, eq=False)
class ColumnValue(Typed):
    """The current row's value of a column, or the value looked up from it."""

    table: str
    column: str


@dataclass(frozen=True, slots=True, eq=False)
class Apply(Typed):
    """A function of the registry."""

    function: Function
    arguments: tuple[Typed, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Fold(Typed):
    """Operators of one precedence from left to right; a long chain costs no depth."""

    functions: tuple[Function, ...]
    arguments: tuple[Typed, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Cases(Typed):
    """CASE: the first branch whose condition is true."""

    branches: tuple[tuple[Typed, Typed], ...]
    otherwise: Typed


@dataclass(frozen=True, slots=True, eq=False)
class Member(Typed):
    """IN: true where the operand equals an item, empty where it does not and an item or the operand is empty."""

    operand: Typed
    items: tuple[Typed, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Aggregate(Typed):
    """An aggregate over the visible rows of `grain`.

    `lookups` has, for every table that the argument or the condition names, the chain of links that leads there.
    `state` is the link state of the context it stands in. `argument` is None for `rows`.
    """

    function: str
    grain: str
    argument: Typed | None
    where: Typed | None
    distinct: bool
    lookups: Mapping[str, tuple[Link, ...]]
    state: LinkState
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class MeasureValue(Typed):
    """A named measure, in the context it is used in."""

    name: str
    body: Typed
    formula: str


@dataclass(frozen=True, slots=True, eq=False)
class InRow(Typed):
    """A cell-shaped node in the context with the current row as one more filter."""

    body: Typed


@dataclass(frozen=True, slots=True, eq=False)
class InContext(Typed):
    """A cell-shaped node in an edit's condition, computed once in the context just before the edit."""

    body: Typed


@dataclass(frozen=True, slots=True, eq=False)
class Condition:
    """`set PREDICATE` or, with `keep`, `keep PREDICATE`: over `columns` of one table; `replaces` are the columns whose
    filters go first."""

    text: str
    keep: bool
    table: str
    columns: tuple[str, ...]
    replaces: tuple[str, ...]
    predicate: Typed


@dataclass(frozen=True, slots=True, eq=False)
class Cleared:
    """`clear`: the columns, by table, whose filters go."""

    text: str
    columns: Mapping[str, frozenset[str]]


@dataclass(frozen=True, slots=True, eq=False)
class Switched:
    """`via`: from here on this link is active and its rivals are not."""

    text: str
    link: Link
    state: LinkState


TypedEdit = Condition | Cleared | Switched


@dataclass(frozen=True, slots=True, eq=False)
class Edited(Typed):
    """`body given (edits)`."""

    body: Typed
    edits: tuple[TypedEdit, ...]


def print_tree(node: Typed, indent: int = 0) -> list[str]:
    """The typed tree as stable text, a line a node. A measure's body stands where the measure is first met."""
    lines: list[str] = []
    met: set[str] = set()

    def show(node: Typed, depth: int) -> None:
        label, children = _shown(node, met)
        lines.append(f"{'  ' * depth}{label} : {node.dtype}")
        for prefix, child in children:
            if prefix:
                lines.append(f"{'  ' * (depth + 1)}{prefix}")
            if child is not None:
                show(child, depth + 1 + bool(prefix))

    show(node, indent)
    return lines


def _shown(node: Typed, met: set[str]) -> tuple[str, list[tuple[str, Typed | None]]]:
    match node:
        case Const():
            return f"constant {node.value!r}", []
        case ColumnValue():
            return f"column {node.table}.{node.column}", []
        case Apply():
            return node.function.name, [("", a) for a in node.arguments]
        case Fold():
            return "chain " + " ".join(f.name for f in node.functions), [("", a) for a in node.arguments]
        case Cases():
            items: list[tuple[str, Typed | None]] = []
            for condition, result in node.branches:
                items += [("when", condition), ("then", result)]
            return "case", [*items, ("else", node.otherwise)]
        case Member():
            return "in", [("", node.operand), *(("item", i) for i in node.items)]
        case Aggregate():
            over = ", ".join(f"{t} by {' › '.join(k.name for k in chain)}" for t, chain in sorted(node.lookups.items()) if chain)
            label = f"{node.function}{' distinct' if node.distinct else ''} over {node.grain}" + (f", looking up {over}" if over else "")
            return label, [*([("", node.argument)] if node.argument else []), *([("where", node.where)] if node.where else [])]
        case MeasureValue():
            key = f"{node.name} {id(node.body)}"
            if key in met:
                return f"measure {node.name}, as above", []
            met.add(key)
            return f"measure {node.name}", [("", node.body)]
        case InRow():
            return "in the row's context", [("", node.body)]
        case InContext():
            return "in the context before", [("", node.body)]
        case Edited():
            edits: list[tuple[str, Typed | None]] = []
            for edit in node.edits:
                edits.append((f"edit {edit.text}", edit.predicate if isinstance(edit, Condition) else None))
            return "given", [*edits, ("", node.body)]
    return "unknown", []
