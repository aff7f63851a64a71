"""The typed tree: every name looked up, every type and grain known. Nodes are compared by identity.

A node has one of two shapes. Of shape *cell* it has one value in a context; of shape *row* one value a row of the
table that is run over (column values and what is made of them). `InRow` and `InContext` stand where a cell-shaped node
is used inside a row-shaped one.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import assert_never

from nexorem.core.diagnostics import Span
from nexorem.core.functions.registry import Function
from nexorem.core.model.model import Link
from nexorem.core.model.paths import LinkState
from nexorem.core.values import Value


@dataclass(frozen=True, slots=True, eq=False)
class TypedNode:
    """Any typed node: its span in its own formula, and its dtype."""

    span: Span
    dtype: str


@dataclass(frozen=True, slots=True, eq=False)
class Unknown(TypedNode):
    """Stands where a name or an argument was wrong and reported; fits everywhere, so that one mistake is told once."""


@dataclass(frozen=True, slots=True, eq=False)
class Const(TypedNode):
    """A constant."""

    value: Value


@dataclass(frozen=True, slots=True, eq=False)
class ColumnValue(TypedNode):
    """The current row's value of a column, or the value looked up from it."""

    table: str
    column: str


@dataclass(frozen=True, slots=True, eq=False)
class Apply(TypedNode):
    """A function of the registry."""

    function: Function
    arguments: tuple[Typed, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Fold(TypedNode):
    """Operators of one precedence from left to right; a long chain costs no depth."""

    functions: tuple[Function, ...]
    arguments: tuple[Typed, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Cases(TypedNode):
    """CASE: the first branch whose condition is true."""

    branches: tuple[tuple[Typed, Typed], ...]
    otherwise: Typed


@dataclass(frozen=True, slots=True, eq=False)
class Member(TypedNode):
    """IN: true where the operand equals an item, empty where it does not and an item or the operand is empty."""

    operand: Typed
    items: tuple[Typed, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Aggregate(TypedNode):
    """An aggregate over the visible rows of `grain`.

    `lookups` has, for every table that the argument or the condition names, the chain of links that leads there.
    `state` is the link state of the context it stands in. `argument` is None for `rows`; `extra`, cell-shaped, is
    percentile's share or listagg's separator.
    """

    function: str
    grain: str
    argument: Typed | None
    where: Typed | None
    distinct: bool
    lookups: Mapping[str, tuple[Link, ...]]
    state: LinkState
    text: str
    extra: Typed | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Iterated(TypedNode):
    """An aggregate `for each` row of a table expression; `argument` is None for `rows`."""

    function: str
    argument: Typed | None
    where: Typed | None
    distinct: bool
    over: Rows
    extra: Typed | None
    state: LinkState
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class Single(TypedNode):
    """`the(T.c [, default])`, and with `test` `single(T.c)`: is there just one?"""

    table: str
    column: str
    test: bool
    default: Typed | None
    state: LinkState
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class Asked(TypedNode):
    """`filtered(T.c)`, `filtered(T)` (column None) and, with `axis`, `on_axis(T.c)`."""

    table: str
    column: str | None
    axis: bool
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class Rank(TypedNode):
    """`operand` of the current context, placed among the values of `by` for the rows of `among`."""

    operand: Typed
    by: Typed
    among: Rows
    ascending: bool
    state: LinkState
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class LetDefinition:
    """One name of a `let`. `scope` is the row scope it stands in, None where it is cell-shaped. `in_row`: a column of the row stands in
    it."""

    name: str
    node: Typed
    scope: object | None
    in_row: bool


@dataclass(frozen=True, slots=True, eq=False)
class Let(TypedNode):
    """`let … in body`; each definition is computed once, where the `let` stands."""

    definitions: tuple[LetDefinition, ...]
    body: Typed


@dataclass(frozen=True, slots=True, eq=False)
class LetValue(TypedNode):
    """The value of a `let` name."""

    definition: LetDefinition


@dataclass(frozen=True, slots=True, eq=False)
class RowName(TypedNode):
    """The current row's value of a column that `with` or `values` made, by its place among the columns."""

    place: int


@dataclass(frozen=True, slots=True, eq=False)
class MeasureValue(TypedNode):
    """A named measure, in the context it is used in."""

    name: str
    body: Typed
    formula: str


@dataclass(frozen=True, slots=True, eq=False)
class InRow(TypedNode):
    """A cell-shaped node in the context with the current row as one more filter. `scope` is the row scope."""

    body: Typed
    scope: object | None = None


@dataclass(frozen=True, slots=True, eq=False)
class InContext(TypedNode):
    """A cell-shaped node in an edit's condition, computed once in the context just before the edit."""

    body: Typed


@dataclass(frozen=True, slots=True)
class RowColumn:
    """A column of a table expression: one of a table (`table` and `column`), or one with a name of its own."""

    name: str
    dtype: str
    table: str | None = None
    column: str | None = None


@dataclass(frozen=True, slots=True, eq=False)
class RowsNode:
    """Any table expression. `identity` is the table whose rows these are; None where they are combinations.

    `replaces` says that a row replaces the filters on its columns instead of adding to them (`every`, `page`).
    """

    span: Span
    text: str
    columns: tuple[RowColumn, ...]
    identity: str | None
    replaces: bool


@dataclass(frozen=True, slots=True, eq=False)
class BaseRows(RowsNode):
    """Rows, or distinct combinations, of `grain` and what it looks up. `quantifier` is ``, every or page; `state`
    that of the context for visible ones, the model's own for the others."""

    quantifier: str
    grain: str
    lookups: Mapping[str, tuple[Link, ...]]
    state: LinkState


@dataclass(frozen=True, slots=True, eq=False)
class KnownRows(RowsNode):
    """Without the unmatched member."""

    rows: Rows


@dataclass(frozen=True, slots=True, eq=False)
class WhereRows(RowsNode):
    """The rows for which `predicate`, row-shaped, is true."""

    rows: Rows
    predicate: Typed


@dataclass(frozen=True, slots=True, eq=False)
class TopRows(RowsNode):
    """The rows whose `by` ranks among the first `count`, ties all kept; `count` is cell-shaped."""

    rows: Rows
    count: Typed
    by: Typed
    ascending: bool


@dataclass(frozen=True, slots=True, eq=False)
class JoinedRows(RowsNode):
    """`op` is union, intersect or except; columns correspond by place."""

    op: str
    left: Rows
    right: Rows


@dataclass(frozen=True, slots=True, eq=False)
class ListedRows(RowsNode):
    """`values`: the lines as cell-shaped nodes."""

    lines: tuple[tuple[Typed, ...], ...]


@dataclass(frozen=True, slots=True, eq=False)
class WithRows(RowsNode):
    """The rows with more columns, `values`, row-shaped, after those they have."""

    rows: Rows
    values: tuple[Typed, ...]


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
class Listing:
    """`set COLS in ROWS` or, with `keep`, `keep COLS in ROWS`. `columns` None: the rows of the table themselves.

    `places` says for each column which of the rows' columns it takes.
    """

    text: str
    keep: bool
    table: str
    columns: tuple[str, ...] | None
    replaces: tuple[str, ...]
    rows: Rows
    places: tuple[int, ...]
    state: LinkState


@dataclass(frozen=True, slots=True, eq=False)
class Cleared:
    """`clear`: the columns, by table, whose filters go. `target` is columns, table, wide, into or all, of `table` where it names one; `but`
    the text of what stays."""

    text: str
    columns: Mapping[str, frozenset[str]]
    target: str
    table: str
    but: str


@dataclass(frozen=True, slots=True, eq=False)
class Restored:
    """`reset`: the columns, by table, on which the page's filters are in force again and no others; the rest as of a `clear`."""

    text: str
    columns: Mapping[str, frozenset[str]]
    target: str
    table: str
    but: str


@dataclass(frozen=True, slots=True, eq=False)
class Moved:
    """`shift` and `stretch`: a calendar's dates, moved. kind: shift, start, whole or back; `by` is cell-shaped."""

    text: str
    calendar: str
    date: str
    kind: str
    unit: str
    by: Typed | None


@dataclass(frozen=True, slots=True, eq=False)
class Switched:
    """`via`: from here on this link is active and its rivals are not."""

    text: str
    link: Link
    state: LinkState


@dataclass(frozen=True, slots=True, eq=False)
class Turned:
    """`flow`: from here on filters cross this link in another direction; `way` is two-way, off or a table."""

    text: str
    link: Link
    way: str
    state: LinkState


@dataclass(frozen=True, slots=True, eq=False)
class Matched:
    """`match`: from here on a loose one-way link stands between two tables. With a `predicate` it compares; what in
    it is cell-shaped is computed once, in the context just before."""

    text: str
    link: Link
    predicate: Typed | None
    state: LinkState


@dataclass(frozen=True, slots=True, eq=False)
class Edited(TypedNode):
    """`body given (edits)`."""

    body: Typed
    edits: tuple[TypedEdit, ...]


# Closed unions: what takes one of them apart ends in `assert_never`, so a new node is a type error wherever it is missed.
Typed = (
    Unknown
    | Const
    | ColumnValue
    | Apply
    | Fold
    | Cases
    | Member
    | Aggregate
    | Iterated
    | Single
    | Asked
    | Rank
    | Let
    | LetValue
    | RowName
    | MeasureValue
    | InRow
    | InContext
    | Edited
)
Rows = BaseRows | KnownRows | WhereRows | TopRows | JoinedRows | ListedRows | WithRows
FilterEdit = Condition | Listing | Cleared | Restored | Moved
LinkEdit = Switched | Turned | Matched
TypedEdit = FilterEdit | LinkEdit
Node = Typed | Rows | TypedEdit


def of_row(node: Typed) -> bool:
    """Whether a column of the row stands in a scalar, what it computes in contexts of their own aside."""
    match node:
        case ColumnValue() | RowName():
            return True
        case LetValue():
            return node.definition.in_row
        case InRow() | InContext():
            return isinstance(node.body, LetValue) and of_row(node.body)
        case Let():
            return of_row(node.body)
        case Apply() | Fold():
            return any(of_row(a) for a in node.arguments)
        case Cases():
            return of_row(node.otherwise) or any(of_row(x) for branch in node.branches for x in branch)
        case Member():
            return any(of_row(x) for x in (node.operand, *node.items))
        case Unknown() | Const() | Aggregate() | Iterated() | Single() | Asked() | Rank() | MeasureValue() | Edited():
            return False
    assert_never(node)
