"""What travels over HTTP, as types: OpenAPI and the front end's types are made from these."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from nexorem.core.design.matrix import Matrix
from nexorem.core.design.truth.mark import Mark, Sums
from nexorem.core.engine.cleared import Cleared
from nexorem.core.engine.profile import Profile
from nexorem.core.language.vocabulary import Word
from nexorem.core.lint.finding import RankedFinding
from nexorem.core.model.check_specs import CheckSpec
from nexorem.core.model.specs import Clearance, FolioSpec, FormerName, Hierarchy, PickSpec, ProbeSpec, as_stored
from nexorem.core.plan.reach import Current

Scalar = bool | int | float | str | None
SentProbe = Annotated[ProbeSpec, as_stored(ProbeSpec, "bad_probe")]
SentPicks = Annotated[tuple[PickSpec, ...], as_stored(tuple[PickSpec, ...], "bad_pick")]
SentNames = Annotated[tuple[FormerName, ...], as_stored(tuple[FormerName, ...], "bad_request")]


class Body(BaseModel):
    """A request: unknown properties are an error."""

    model_config = ConfigDict(extra="forbid")


class Mend(BaseModel):
    label: str
    start: int
    end: int
    text: str


class ErrorItem(BaseModel):
    """One diagnostic; offsets are code points of the formula `in`."""

    model_config = ConfigDict(populate_by_name=True)

    code: str
    in_: str = Field(alias="in")
    start: int
    end: int
    text: str
    message: str
    mend: str
    mends: list[Mend]


class ChangeItem(BaseModel):
    title: str
    author: str


class Problem(BaseModel):
    """Problem details after RFC 9457; `request` is the id that the log has it under."""

    type: str
    title: str
    status: int
    detail: str
    errors: list[ErrorItem] = []
    changes: list[ChangeItem] = []
    version: int | None = None
    request: str = ""


class ModelItem(BaseModel):
    id: int
    name: str
    title: str
    version: int
    tables: int


class CopyRequest(Body):
    """The title of the copy."""

    title: str = Field(min_length=1, max_length=200)


class ModelList(BaseModel):
    """`removed` are those that were removed some days ago at most, and can be brought back by whoever asks."""

    models: list[ModelItem]
    removed: list[ModelItem]


Role = Literal["fact", "dimension", "outrigger", "bridge", "calendar", "disconnected"]


class ColumnInfo(BaseModel):
    name: str
    dtype: str
    hidden: bool
    description: str
    formula: str
    order_by: str


class TableInfo(BaseModel):
    name: str
    role: Role
    apparent_role: Role
    grain: str
    grain_columns: list[str]
    hidden: bool
    subject: str
    rows: int
    columns: list[ColumnInfo]
    key: list[str]
    source: str | None
    description: str
    calendar: str | None
    unmatched: bool
    origin: dict[str, Any]
    steps: list[dict[str, Any]]
    formula: str
    load: int | None
    stays: bool
    from_text: str


class LinkInfo(BaseModel):
    name: str
    from_table: str
    from_columns: list[str]
    to_table: str
    to_columns: list[str]
    cardinality: Literal["many-to-one", "one-to-one", "many-to-many"]
    flow: Literal["one-way", "two-way"]
    active: bool
    firm: bool
    why_loose: str
    description: str
    text: str
    matched: int
    orphans: int
    empty: int
    role_name: str


class MeasureInfo(BaseModel):
    name: str
    formula: str
    home: str
    format: str
    description: str
    folder: str
    trial: bool
    variant_of: str
    dtype: str | None
    broken: str | None
    builds_on: list[str]
    columns: list[str]
    switches_on: list[str]


class StepInfo(BaseModel):
    number: int
    title: str
    author: str


class Place(BaseModel):
    x: float
    y: float


class ModelDocument(BaseModel):
    id: int
    name: str
    title: str
    version: int
    edits: int
    undo: StepInfo | None
    redo: StepInfo | None
    tables: list[TableInfo]
    links: list[LinkInfo]
    measures: list[MeasureInfo]
    probes: Annotated[tuple[ProbeSpec, ...], as_stored(tuple[ProbeSpec, ...], "defect")]
    folios: Annotated[tuple[FolioSpec, ...], as_stored(tuple[FolioSpec, ...], "defect")]
    hierarchies: Annotated[tuple[Hierarchy, ...], as_stored(tuple[Hierarchy, ...], "defect")]
    clearances: Annotated[tuple[Clearance, ...], as_stored(tuple[Clearance, ...], "defect")]
    cleared: Cleared | None
    checks: Annotated[tuple[CheckSpec, ...], as_stored(tuple[CheckSpec, ...], "defect")]
    places: dict[str, Place]
    renamed: SentNames
    put_aside: list[str]


class Analysis(BaseModel):
    """What is found in a version of a model as a whole."""

    version: int
    findings: list[RankedFinding]
    matrix: Matrix
    currents: list[Current]
    candidate_keys: dict[str, list[str]] | None


class WholeTable(TableInfo):
    """A table with what could be its keys; null as long as that is looked for."""

    candidate_keys: list[str] | None


class WholeModel(ModelDocument):
    """A model with what is found in it."""

    tables: list[WholeTable]  # type: ignore[assignment]
    findings: list[RankedFinding]
    matrix: Matrix
    currents: list[Current]


class EditRequest(Body):
    """An edit made on version `base`."""

    edit: dict[str, Any]
    base: int


class RenameRequest(Body):
    what: Literal["table", "column", "link", "hierarchy", "probe", "folio"]
    name: str
    to: str


class WrittenAnew(BaseModel):
    """One thing that a new name is written into; of a formula its text before and after."""

    kind: Literal["table", "column", "steps", "link", "measure", "probe", "folio", "hierarchy", "check", "place"]
    owner: str
    before: str
    after: str


class PresentRequest(Body):
    """`undone` are renamings that were taken back: their new names lead to the old ones again."""

    probe: dict[str, Any]
    undone: SentNames = ()


class Presented(BaseModel):
    probe: dict[str, Any]


class RenamePreview(BaseModel):
    name: str
    to: str
    touched: list[WrittenAnew]


class StepRequest(Body):
    """Undo or redo of the edit with this number."""

    expected: int


class GridRequest(Body):
    """`release`: as of this one, in place of the draft."""

    probe: SentProbe
    release: int | None = None


class Member(BaseModel):
    kind: Literal["value", "empty", "unmatched", "total"]
    value: Scalar = None


class AxisAnswer(BaseModel):
    columns: list[str]
    lines: list[list[Member]]


class ScanInfo(BaseModel):
    grain: str
    text: str
    tables: dict[str, list[str]]


class FailedCell(BaseModel):
    """A cell whose value cannot be computed, by the places of its lines, and why."""

    row: int
    column: int
    error: str
    message: str


class GridMeasure(BaseModel):
    name: str
    dtype: str
    format: str
    unreached: list[str]
    overrides: list[str]
    scans: list[ScanInfo]
    failed: list[FailedCell]
    marks: list[Mark]
    sums: Sums


class PageCondition(BaseModel):
    """A condition of the page as it was written, the table and columns it filters, and its reading."""

    where: str
    table: str
    columns: list[str]
    words: str


class GridAnswer(BaseModel):
    rows: AxisAnswer
    columns: AxisAnswer
    measures: list[GridMeasure]
    values: list[list[list[Scalar]]]
    cells: int
    unmatched: list[Mark]
    left_out: int
    notes: list[str]
    said: list[str]
    conditions: list[PageCondition]
    milliseconds: float
    version: int


class Coordinate(Body):
    column: str
    member: Member


class TableRowsAnswer(BaseModel):
    table: str
    size: int
    start: int
    columns: list[str]
    rows: list[list[Scalar]]


class AnalysisQuery(BaseModel):
    """Without findings, nobody is waited for."""

    findings: bool = True


class Counting(BaseModel):
    """How many columns of tables that stay are counted exactly, of how many; `words` which one, or what came of it."""

    running: bool
    done: int
    total: int
    words: str


class Profiles(BaseModel):
    table: str
    profiles: list[Profile]
    counting: Counting


class RowsQuery(BaseModel):
    start: int = Field(default=0, ge=0)
    count: int = Field(default=100, ge=1, le=1000)


class MembersRequest(Body):
    """The members of a column, counted under a page's other picks in the rows of `counted`."""

    column: str
    search: str = ""
    picks: SentPicks = ()
    counted: str = ""
    by_rows: bool = False


class MemberCount(BaseModel):
    member: Member
    rows: int


class Members(BaseModel):
    column: str
    counted: str
    members: list[MemberCount]
    total: int
    more: int


class Language(BaseModel):
    words: list[Word]


class PackageQuery(BaseModel):
    data: Literal["csv", "parquet"] = "csv"


class Created(BaseModel):
    id: int
