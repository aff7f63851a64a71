"""The syntax tree: what a formula says, before any name in it is looked up. Every node has a span."""

from __future__ import annotations

from dataclasses import dataclass

from nexorem.core.diagnostics import Span
from nexorem.core.values import Value


@dataclass(frozen=True, slots=True)
class ExpressionNode:
    """Any expression."""

    span: Span


@dataclass(frozen=True, slots=True)
class Broken(ExpressionNode):
    """Stands where something could not be read; it was reported."""


@dataclass(frozen=True, slots=True)
class Literal(ExpressionNode):
    """A constant of a known type."""

    dtype: str
    value: Value


@dataclass(frozen=True, slots=True)
class ColumnName(ExpressionNode):
    """`Table.column`."""

    table: str
    column: str


@dataclass(frozen=True, slots=True)
class BareName(ExpressionNode):
    """A measure, or a table where one is asked for."""

    name: str


@dataclass(frozen=True, slots=True)
class Chain(ExpressionNode):
    """Operators of one precedence, left to right: operands[0] ops[0] operands[1] …"""

    operands: tuple[Node, ...]
    ops: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Call(ExpressionNode):
    """A function or operator of the registry, by its name there."""

    function: str
    arguments: tuple[Node, ...]
    name_span: Span


@dataclass(frozen=True, slots=True)
class InList(ExpressionNode):
    """`x [NOT] IN (…)`."""

    operand: Node
    items: tuple[Node, ...]
    negated: bool


@dataclass(frozen=True, slots=True)
class Case(ExpressionNode):
    """CASE; with an operand each `when` is compared to it."""

    operand: Node | None
    branches: tuple[tuple[Node, Node], ...]
    otherwise: Node | None


@dataclass(frozen=True, slots=True)
class Aggregate(ExpressionNode):
    """`sum(argument [, extra] [where condition] [for each ROWS])`; `rows` has no argument, and counts `over`.

    `extra` is percentile's share or listagg's separator.
    """

    function: str
    argument: Node | None
    distinct: bool
    where: Node | None
    extra: Node | None = None
    over: Rows | None = None


@dataclass(frozen=True, slots=True)
class Asked(ExpressionNode):
    """`the(T.c [, default])`, `single(T.c)`, `filtered(T.c | T)` and `on_axis(T.c)`, by `function`.

    `column` is None where a whole table is asked about.
    """

    function: str
    table: str
    column: ColumnName | None
    default: Node | None


@dataclass(frozen=True, slots=True)
class Rank(ExpressionNode):
    """`rank(operand among ROWS [asc])`."""

    operand: Node
    among: Rows
    ascending: bool


@dataclass(frozen=True, slots=True)
class Definition:
    """`name = value` in a `let` or a `with`."""

    span: Span
    name: str
    value: Node


@dataclass(frozen=True, slots=True)
class Let(ExpressionNode):
    """`let a = …, b = … in body`."""

    definitions: tuple[Definition, ...]
    body: Node


@dataclass(frozen=True, slots=True)
class RowsNode:
    """Any table expression."""

    span: Span


@dataclass(frozen=True, slots=True)
class BrokenRows(RowsNode):
    """Stands where a table expression could not be read; it was reported."""


@dataclass(frozen=True, slots=True)
class TableRows(RowsNode):
    """`T`, `every T [but …]`, `page T [but …]`; `quantifier` is ``, every or page."""

    quantifier: str
    table: str
    but: tuple[ColumnName, ...]


@dataclass(frozen=True, slots=True)
class ColumnRows(RowsNode):
    """`T.c` or `(T.a, T.b)`, and the same with every or page. `bracketed` tells the two apart."""

    quantifier: str
    columns: tuple[ColumnName, ...]
    bracketed: bool = False


@dataclass(frozen=True, slots=True)
class KnownRows(RowsNode):
    """`known ROWS`."""

    rows: Rows


@dataclass(frozen=True, slots=True)
class WhereRows(RowsNode):
    """`ROWS where predicate`."""

    rows: Rows
    predicate: Node


@dataclass(frozen=True, slots=True)
class TopRows(RowsNode):
    """`top N of ROWS by expr [asc]`."""

    count: Node
    rows: Rows
    by: Node
    ascending: bool


@dataclass(frozen=True, slots=True)
class JoinedRows(RowsNode):
    """`left union | intersect | except right`."""

    op: str
    left: Rows
    right: Rows


@dataclass(frozen=True, slots=True)
class ListedRows(RowsNode):
    """`values ('a', 1), ('b', 2)`."""

    lines: tuple[tuple[Node, ...], ...]


@dataclass(frozen=True, slots=True)
class WithRows(RowsNode):
    """`ROWS with (name = expr, …)`."""

    rows: Rows
    definitions: tuple[Definition, ...]


@dataclass(frozen=True, slots=True)
class Target:
    """What `clear` and `reset` are about. kind: columns, table, wide, into, all."""

    span: Span
    kind: str
    table: str
    columns: tuple[ColumnName, ...]


@dataclass(frozen=True, slots=True)
class EditNode:
    """One edit of a `given`."""

    span: Span


@dataclass(frozen=True, slots=True)
class SetWhere(EditNode):
    """`set PREDICATE` and, with `keep`, `keep PREDICATE`."""

    keep: bool
    predicate: Node


@dataclass(frozen=True, slots=True)
class SetIn(EditNode):
    """`set COLS in ROWS` and, with `keep`, `keep COLS in ROWS`. COLS are `columns`, or all of `table`."""

    keep: bool
    table: str
    columns: tuple[ColumnName, ...]
    rows: Rows


@dataclass(frozen=True, slots=True)
class Clear(EditNode):
    """`clear TARGET [but TARGET]`."""

    target: Target
    but: Target | None


@dataclass(frozen=True, slots=True)
class Reset(EditNode):
    """`reset TARGET [but TARGET]`."""

    target: Target
    but: Target | None


@dataclass(frozen=True, slots=True)
class LinkName:
    """A link by its ends, or by its name."""

    span: Span
    name: str
    left: tuple[ColumnName, ...]
    right: tuple[ColumnName, ...]


@dataclass(frozen=True, slots=True)
class Via(EditNode):
    """`via LINK`."""

    link: LinkName


@dataclass(frozen=True, slots=True)
class Flow(EditNode):
    """`flow LINK two-way | to T | off`; `way` is two-way, to or off."""

    link: LinkName
    way: str
    table: str


@dataclass(frozen=True, slots=True)
class MatchColumns(EditNode):
    """`match COLS to COLS`."""

    source: tuple[ColumnName, ...]
    target: tuple[ColumnName, ...]


@dataclass(frozen=True, slots=True)
class MatchWhere(EditNode):
    """`match S to T where PREDICATE`."""

    source: str
    target: str
    predicate: Node


@dataclass(frozen=True, slots=True)
class Shift(EditNode):
    """`shift CAL by N UNIT`."""

    calendar: str
    by: Node
    unit: str


@dataclass(frozen=True, slots=True)
class Stretch(EditNode):
    """`stretch CAL to start of UNIT | to whole UNIT | back N UNIT`; `kind` is start, whole or back."""

    calendar: str
    kind: str
    unit: str
    by: Node | None


@dataclass(frozen=True, slots=True)
class BrokenEdit(EditNode):
    """Stands where an edit could not be read; it was reported."""


@dataclass(frozen=True, slots=True)
class Given(ExpressionNode):
    """`operand given (edits)`."""

    operand: Node
    edits: tuple[Edit, ...]


Node = Broken | Literal | ColumnName | BareName | Chain | Call | InList | Case | Aggregate | Asked | Rank | Let | Given
Rows = BrokenRows | TableRows | ColumnRows | KnownRows | WhereRows | TopRows | JoinedRows | ListedRows | WithRows
Edit = SetWhere | SetIn | Clear | Reset | Via | Flow | MatchColumns | MatchWhere | Shift | Stretch | BrokenEdit
