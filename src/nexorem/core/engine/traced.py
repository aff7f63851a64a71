"""What a trace is made of: nodes, the edits and filters told at each, flows, arithmetic, rows (formats.md, section 4)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from nexorem.core.model.paths import How
from nexorem.core.model.specs import PickSpec
from nexorem.core.plan.contexts import Change
from nexorem.core.plan.reach import Stop
from nexorem.core.results import Result
from nexorem.core.values import Json

EditWord = Literal["set", "keep", "clear", "reset", "via", "flow", "match", "shift", "stretch"]


@dataclass(frozen=True, slots=True)
class Allowed(Result):
    """What all filters on a column (`Table.column`) allow of it: the first `values`, `count` of `total` members."""

    column: str
    values: tuple[Json, ...]
    unmatched: bool
    count: int
    total: int


@dataclass(frozen=True, slots=True)
class TableFilter(Result):
    """A table's own filters, where they come from, and the rows that pass them."""

    table: str
    columns: tuple[Allowed, ...]
    rows_filtered: bool
    origins: tuple[str, ...]
    rows_kept: int
    rows_total: int
    unmatched: bool


@dataclass(frozen=True, slots=True)
class FilterChange(Result):
    """What an edit made of the filter on a column."""

    column: str
    before: Allowed | None
    after: Allowed | None
    kind: Change


@dataclass(frozen=True, slots=True)
class TracedRow(Result):
    """A row of an iteration; `key` is its place among them."""

    key: int
    cells: tuple[Json, ...]
    value: Json


@dataclass(frozen=True, slots=True)
class TracedRows(Result):
    """Some rows of a table expression: the first, and those with the largest and the smallest values."""

    over: str
    rows_total: int
    columns: tuple[str, ...]
    rows: tuple[TracedRow, ...]


@dataclass(frozen=True, slots=True)
class Cut(Result):
    """The rows of a table that pass its own filters before an edit and after it."""

    table: str
    rows_before: int
    rows_after: int


@dataclass(frozen=True, slots=True)
class TracedEdit(Result):
    """An edit of a `given`, and what it changed: filters by column; a `link` that is switched on `instead_of` others, turned another `way`,
    or put there `from` one table `to` another."""

    text: str
    kind: EditWord
    changes: tuple[FilterChange, ...] = ()
    children: tuple[TraceNode, ...] = ()
    link: str | None = None
    instead_of: tuple[str, ...] | None = None
    way: str | None = None
    way_before: str | None = None
    from_: str | None = None
    to: str | None = None
    rows: TracedRows | None = None
    cut: Cut | None = None


@dataclass(frozen=True, slots=True)
class TracedFlow(Result):
    """A link that filters crossed: the rows left where they come from, and those of the table they come to, before and after."""

    link: str
    from_: str
    to: str
    how: How
    rows_from: int
    rows_before: int
    rows_after: int


@dataclass(frozen=True, slots=True)
class TableKept(Result):
    """The rows of a table that are left."""

    table: str
    rows_kept: int
    rows_total: int


@dataclass(frozen=True, slots=True)
class Unreached(Result):
    """A filtered table whose filter does not come to the grain: where it stops on the shortest way there, all its stops, and the edits that
    would carry it."""

    table: str
    nearest: Stop | None
    stops: tuple[Stop, ...]
    mends: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Arithmetic(Result):
    """An aggregate's rows: how many are visible and used, and the first of them with what was made of each. Of `the` and `single` the
    different values with their rows."""

    function: str
    grain: str
    rows_visible: int
    rows_used: int
    rows_total: int
    columns: tuple[str, ...]
    rows: tuple[tuple[Json, ...], ...]
    lookups: Mapping[str, tuple[str, ...]]
    values: tuple[Json, ...] | None = None
    rows_filled: int | None = None
    distinct: int | None = None
    hint: str = ""


@dataclass(frozen=True, slots=True)
class CellFailure(Result):
    """Why there is no value: a fault's code, and it in words."""

    error: str
    message: str


CellValue = Json | CellFailure


@dataclass(frozen=True, slots=True)
class TraceNode(Result):
    """A measure, an aggregate, a `given`, an iteration, a rank, a question about the context, or a row of an iteration."""

    kind: Literal["measure", "aggregate", "given", "iteration", "rank", "question", "row"]
    path: str
    text: str
    dtype: str
    value: CellValue
    filters: tuple[TableFilter, ...]
    edits: tuple[TracedEdit, ...] = ()
    flows: tuple[TracedFlow, ...] = ()
    blocked: tuple[Stop, ...] = ()
    children: tuple[TraceNode, ...] = ()
    name: str | None = None
    tables: tuple[TableKept, ...] = ()
    unreached: tuple[Unreached, ...] = ()
    arithmetic: Arithmetic | None = None
    iteration: TracedRows | None = None

    @property
    def title(self) -> str:
        """What the node is called."""
        return self.name or self.text


@dataclass(frozen=True, slots=True)
class Within(Result):
    """The row of an iteration that a trace went on in."""

    path: str
    key: int
    row: TracedRow


@dataclass(frozen=True, slots=True)
class Emptied(Result):
    """The step at which nothing was left, in a sentence."""

    path: str
    sentence: str


@dataclass(frozen=True, slots=True)
class Trace(Result):
    """One cell explained."""

    measure: str
    coordinates: Mapping[str, Json]
    picks: tuple[PickSpec, ...]
    value: CellValue
    tree: TraceNode
    within: tuple[Within, ...]
    emptied: Emptied | None


@dataclass(frozen=True, slots=True)
class UsedRows(Result):
    """A page of the rows an aggregate used: the columns it names first, then the others of its grain; `values` what was made of each."""

    columns: tuple[str, ...]
    rows: tuple[tuple[Json, ...], ...]
    values: tuple[Json, ...] | None
    total: int
    start: int
    text: str
    grain: str


@dataclass(frozen=True, slots=True)
class PartingStep(Result):
    """A difference of two traces: what it is about, its path, and both sides in words."""

    kind: Literal["coordinate", "formula", "edit", "filter", "flow", "rows", "value"]
    path: str
    what: str
    first: str
    second: str
