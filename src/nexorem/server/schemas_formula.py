"""What travels over HTTP about formulas: traces, readings, completion, reach."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from nexorem.server.schemas import Body, Coordinate, ErrorItem, Scalar, ScanInfo, SentProbe, Stop


class TraceRequest(Body):
    probe: SentProbe
    measure: str
    at: list[Coordinate]
    into: list[Into] = []


class MendAsk(Body):
    measure: str
    formula: str


class MendsRequest(Body):
    """What formulas that are offered would make of one cell."""

    probe: SentProbe
    measure: str
    at: list[Coordinate]
    mends: list[MendAsk] = Field(max_length=20)


class MendValue(BaseModel):
    """The cell as it is and as it would be; `error` says why it cannot be told."""

    now: Scalar
    then: Scalar
    dtype: str
    error: str


class MendValues(BaseModel):
    values: list[MendValue]


class Allowed(BaseModel):
    column: str
    values: list[Scalar]
    unmatched: bool
    count: int
    total: int


class FilterTold(BaseModel):
    table: str
    columns: list[Allowed]
    rows_filtered: bool
    origins: list[str]
    rows_kept: int
    rows_total: int
    unmatched: bool


class ChangeTold(BaseModel):
    column: str
    before: Allowed | None
    after: Allowed | None
    kind: Literal["added", "replaced", "cleared", "kept", "moved"]


class RowTold(BaseModel):
    key: int
    cells: list[Scalar]
    value: Scalar


class RowsTold(BaseModel):
    over: str
    rows_total: int
    columns: list[str]
    rows: list[RowTold]


class CutTold(BaseModel):
    """The rows of a table that pass its own filters before an edit and after it."""

    table: str
    rows_before: int
    rows_after: int


class EditTold(BaseModel):
    text: str
    model_config = ConfigDict(populate_by_name=True)

    kind: Literal["set", "keep", "clear", "reset", "via", "flow", "match", "shift", "stretch"]
    changes: list[ChangeTold]
    link: str | None
    instead_of: list[str] = []
    way: str | None = None
    way_before: str | None = None
    from_: str | None = Field(default=None, alias="from")
    to: str | None = None
    rows: RowsTold | None = None
    cut: CutTold | None = None
    children: list[TraceNode]


class FlowTold(BaseModel):
    model_config = ConfigDict(populate_by_name=True)

    link: str
    from_: str = Field(alias="from")
    to: str
    how: Literal["lookup", "up", "loose"]
    rows_from: int
    rows_before: int
    rows_after: int


class TableTold(BaseModel):
    table: str
    rows_kept: int
    rows_total: int


class Unreached(BaseModel):
    table: str
    nearest: Stop | None = None
    stops: list[Stop]
    mends: list[str] = []


class Arithmetic(BaseModel):
    function: str
    grain: str
    rows_visible: int
    rows_used: int
    rows_total: int
    columns: list[str]
    rows: list[list[Scalar]]
    lookups: dict[str, list[str]]
    values: list[Scalar] | None = None
    distinct: int | None = None
    rows_filled: int | None = None
    hint: str = ""


class CellFailure(BaseModel):
    error: str
    message: str


class TraceNode(BaseModel):
    kind: Literal["measure", "aggregate", "given", "iteration", "rank", "question", "row"]
    path: str
    name: str | None = None
    text: str
    dtype: str
    value: Scalar | CellFailure
    edits: list[EditTold]
    filters: list[FilterTold]
    flows: list[FlowTold]
    tables: list[TableTold] = []
    blocked: list[Stop]
    unreached: list[Unreached] = []
    arithmetic: Arithmetic | None = None
    iteration: RowsTold | None = None
    children: list[TraceNode]


class Into(Body):
    """A row of an iteration, by the path of its node and its key."""

    path: str
    key: int


class Within(BaseModel):
    path: str
    key: int
    row: RowTold


class TraceAnswer(BaseModel):
    measure: str
    coordinates: dict[str, Scalar]
    picks: list[dict[str, Any]]
    value: Scalar | CellFailure
    tree: TraceNode
    within: list[Within] = []
    emptied: Emptied | None
    milliseconds: float


class Emptied(BaseModel):
    """The step at which nothing was left."""

    path: str
    sentence: str


class RowsRequest(TraceRequest):
    """Rows that an aggregate of a trace used, by its node's path."""

    path: str
    start: int = Field(default=0, ge=0)
    count: int = Field(default=100, ge=1, le=1000)
    by: str = ""
    descending: bool = False


class UsedRows(BaseModel):
    grain: str
    text: str
    columns: list[str]
    rows: list[list[Scalar]]
    values: list[Scalar] | None
    total: int
    start: int


class TraceSide(Body):
    """One of two cells."""

    probe: SentProbe
    measure: str
    at: list[Coordinate]


class BesideRequest(Body):
    first: TraceSide
    second: TraceSide


class PartingStep(BaseModel):
    kind: Literal["coordinate", "formula", "edit", "filter", "flow", "rows", "value"]
    path: str
    what: str
    first: str
    second: str


class TracesBeside(BaseModel):
    first: Scalar | CellFailure
    second: Scalar | CellFailure
    steps: list[PartingStep]


class FormulaRequest(Body):
    """A formula as it is being written, under the name it has or will have."""

    name: Annotated[str, Field(min_length=1)]
    formula: str
    arriving: dict[str, str] = {}
    page: dict[str, str] = {}


class LedgerLine(BaseModel):
    """What becomes of the filter on a column in a `given`."""

    given: str
    column: str
    arriving: str
    edit: str
    leaving: str
    kind: Literal["kept", "replaced", "cleared", "added", "moved", "carried"]


class AssistRequest(Body):
    """A formula and a place in it, in code points."""

    formula: str
    at: int = Field(ge=0)


class Suggestion(BaseModel):
    kind: str
    label: str
    insert: str
    detail: str


class Completion(BaseModel):
    """What can stand at a place: it replaces the code points from `start` to `end`."""

    start: int
    end: int
    items: list[Suggestion]


class Hover(BaseModel):
    """What stands at a place; empty where nothing is known of it."""

    start: int
    end: int
    title: str
    text: str


class ReachRequest(Body):
    given: str = ""


class ReachPair(BaseModel):
    model_config = ConfigDict(populate_by_name=True)

    from_: str = Field(alias="from")
    to: str
    path: list[str] | None = None
    blocked: list[str] | None = None
    stops: list[dict[str, str]] = []
    none: bool = False


class ReachAnswer(BaseModel):
    tables: list[str]
    pairs: list[ReachPair]


class FormulaAnswer(BaseModel):
    """`formula` is what was asked about, so that an answer can be told from the next one's."""

    formula: str
    errors: list[ErrorItem]
    dtype: str | None
    value: Scalar | CellFailure
    scans: list[ScanInfo]
    tables: list[str]
    reading: str
    ledger: list[LedgerLine]
    tree: list[str]
    plan: list[str]


class PatternInfo(BaseModel):
    """A formula to begin from; without one, what the model lacks for it."""

    key: str
    title: str
    teaches: str
    name: str
    formula: str
    lacks: str


class Patterns(BaseModel):
    patterns: list[PatternInfo]


class Added(BaseModel):
    """A formula of a probe's own; an empty one stands for the measure of this name."""

    name: str
    formula: str
    format: str


class ComparisonInfo(BaseModel):
    """What a measure can be held against; the first of `adds` is what it is held against."""

    key: Literal["earlier", "page", "measure"]
    label: str
    detail: str
    adds: list[Added]


class Comparisons(BaseModel):
    comparisons: list[ComparisonInfo]


class PatternsQuery(BaseModel):
    measure: str = ""


class UsesQuery(BaseModel):
    kind: Literal["measure", "column", "table"]
    name: str


class Use(BaseModel):
    """A place that names something; `start` and `end` count code points of `formula`."""

    kind: Literal["measure", "column", "table", "probe", "folio"]
    owner: str
    formula: str
    start: int
    end: int


class Uses(BaseModel):
    uses: list[Use]


class DefinitionRequest(Body):
    """A place in a formula that is being written."""

    name: str
    formula: str
    at: int = Field(ge=0)


class Definition(BaseModel):
    """What a place names; both empty where it names nothing."""

    kind: Literal["measure", "column", "table", "link", ""]
    name: str


class DifferencePiece(BaseModel):
    kind: Literal["same", "gone", "new"]
    text: str


class Promotion(BaseModel):
    """What making a trial official would change."""

    trial: str
    official: str | None
    difference: list[DifferencePiece]
    errors: list[ErrorItem]


class SheetRequest(Body):
    text: str


class ChangedPart(BaseModel):
    part: str
    before: str
    after: str


class SheetItem(BaseModel):
    name: str
    line: int
    state: Literal["new", "changed", "same", "clash"]
    changes: list[ChangedPart]
    difference: list[DifferencePiece]
    errors: list[ErrorItem]


class SheetPreview(BaseModel):
    items: list[SheetItem]
    errors: list[ErrorItem]


class SheetText(BaseModel):
    text: str
