"""The syntax tree: what a formula says, before any name in it is looked up. Every node has a span."""

from __future__ import annotations

from dataclasses import dataclass

from nexorem.core.diagnostics import Span
from nexorem.core.values import Value


@dataclass(frozen=True, slots=True)
class Node:
    """Any expression."""

    span: Span


@dataclass(frozen=True, slots=True)
class Broken(Node):
    """Stands where something could not be read; it was reported."""


@dataclass(frozen=True, slots=True)
class Literal(Node):
    """A constant of a known type."""

    dtype: str
    value: Value


@dataclass(frozen=True, slots=True)
class ColumnName(Node):
    """`Table.column`."""

    table: str
    column: str


@dataclass(frozen=True, slots=True)
class BareName(Node):
    """A measure, or a table where one is asked for."""

    name: str


@dataclass(frozen=True, slots=True)
class Chain(Node):
    """Operators of one precedence, left to right: operands[0] ops[0] operands[1] …"""

    operands: tuple[Node, ...]
    ops: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Call(Node):
    """A function or operator of the registry, by its name there."""

    function: str
    arguments: tuple[Node, ...]
    name_span: Span


@dataclass(frozen=True, slots=True)
class InList(Node):
    """`x [NOT] IN (…)`."""

    operand: Node
    items: tuple[Node, ...]
    negated: bool


@dataclass(frozen=True, slots=True)
class Case(Node):
    """CASE; with an operand each `when` is compared to it."""

    operand: Node | None
    branches: tuple[tuple[Node, Node], ...]
    otherwise: Node | None


@dataclass(frozen=True, slots=True)
class Aggregate(Node):
    """`sum(argument [where condition])`; for `rows` the argument is the table's name."""

    function: str
    argument: Node
    distinct: bool
    where: Node | None


@dataclass(frozen=True, slots=True)
class Target:
    """What `clear` clears. kind: columns, table, wide, into, all."""

    span: Span
    kind: str
    table: str
    columns: tuple[ColumnName, ...]


@dataclass(frozen=True, slots=True)
class Edit:
    """One edit of a `given`."""

    span: Span


@dataclass(frozen=True, slots=True)
class SetWhere(Edit):
    """`set PREDICATE` and, with `keep`, `keep PREDICATE`."""

    keep: bool
    predicate: Node


@dataclass(frozen=True, slots=True)
class Clear(Edit):
    """`clear TARGET [but TARGET]`."""

    target: Target
    but: Target | None


@dataclass(frozen=True, slots=True)
class Via(Edit):
    """`via LINK`: by its ends, or by its name."""

    name: str
    left: tuple[ColumnName, ...]
    right: tuple[ColumnName, ...]


@dataclass(frozen=True, slots=True)
class BrokenEdit(Edit):
    """Stands where an edit could not be read; it was reported."""


@dataclass(frozen=True, slots=True)
class Given(Node):
    """`operand given (edits)`."""

    operand: Node
    edits: tuple[Edit, ...]
