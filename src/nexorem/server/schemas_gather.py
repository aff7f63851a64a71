"""What travels about sources, readings, loads and steps."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from nexorem.core.engine.profile import Profile
from nexorem.server.schemas import Body, ErrorItem, Scalar
from nexorem.work.checking import CheckMoved


class NewModel(Body):
    title: str = Field(min_length=1, max_length=200)


class FileInfo(BaseModel):
    name: str
    bytes: int
    changed_at: str


class Files(BaseModel):
    folder: str
    files: list[FileInfo]


class FileQuery(BaseModel):
    name: str


class ReadItem(Body):
    """A source to read; `table` is the one whose rows it may replace."""

    name: str
    source: dict[str, Any]
    table: str | None = None


class ReadingRequest(Body):
    """Files to look into, sources to read, tables to load again; passwords of connections that keep none."""

    files: list[str] = []
    items: list[ReadItem] = []
    tables: list[str] = []
    passwords: dict[str, str] = {}


class Misfit(BaseModel):
    row: int
    text: str


class MisfitsInfo(BaseModel):
    count: int
    rows: list[Misfit]


class ReadsInfo(BaseModel):
    """A type that a column could have."""

    type: str
    pattern: str
    decimal: str
    group: str
    language: str
    misfits: MisfitsInfo
    note: str


class MissingInfo(BaseModel):
    """Texts of a text column that mean no value, in how many rows they stand, and the type that the rest is of."""

    words: list[str]
    count: int
    type: str


class ReadColumn(ReadsInfo):
    """A column as it was read."""

    name: str
    empty: int
    choice: str
    others: list[ReadsInfo]
    missing: MissingInfo | None


class BrokenRow(BaseModel):
    row: int
    text: str
    message: str


class Report(BaseModel):
    rows: int
    columns: list[ReadColumn]
    notes: list[str]
    broken: int
    broken_rows: list[BrokenRow]
    sample: list[list[Scalar]]
    seconds: float


class ReadingItem(BaseModel):
    name: str
    source: dict[str, Any]
    state: Literal["waiting", "reading", "read", "failed"]
    rows: int
    share: float
    seconds_left: float | None
    report: Report | None
    key: list[str]
    errors: list[ErrorItem]
    table: str | None


class Reading(BaseModel):
    id: str
    state: Literal["running", "done", "cancelled"]
    seconds: float
    items: list[ReadingItem]


class Choice(Body):
    """A table of a reading to take: under a new name, or in place of a table's rows."""

    place: int
    name: str | None = None
    table: str | None = None


class TakeRequest(Body):
    tables: list[Choice]
    base: int
    mends: list[dict[str, Any]] = []


class CompareRequest(Body):
    tables: list[Choice]
    mends: list[dict[str, Any]] = []


class NamedType(BaseModel):
    name: str
    type: str


class Retyped(BaseModel):
    name: str
    from_: str = Field(alias="from")
    to: str


class ColumnsChanged(BaseModel):
    gone: list[str]
    new: list[NamedType]
    retyped: list[Retyped]


class KeyChanged(BaseModel):
    key: list[str]
    broken: list[int]


class TableChanged(BaseModel):
    table: str
    rows: list[int]
    columns: ColumnsChanged
    key: KeyChanged


class LinkChanged(BaseModel):
    link: str
    matched: list[int]
    orphans: list[int]
    empty: list[int]
    firm: list[bool]


class MeasureChanged(BaseModel):
    measure: str
    before: Scalar
    after: Scalar
    format: str


class ProbeChanged(BaseModel):
    probe: str
    cells: int
    changed: int
    error: str | None


class Comparison(BaseModel):
    """What a load changes; `breaks` is what would no longer hold, `loosens` tells the links that are loose then, for their keys repeat."""

    tables: list[TableChanged]
    breaks: list[ErrorItem]
    loosens: list[ErrorItem]
    links: list[LinkChanged]
    measures: list[MeasureChanged]
    probes: list[ProbeChanged]
    checks: list[CheckMoved]


class LoadInfo(BaseModel):
    id: int
    table: str
    rows: int
    columns: int
    source: str
    seconds: float
    author: str
    state: Literal["kept", "held"]
    loaded_at: str
    live: bool
    stays: bool
    report: dict[str, Any]


class Loads(BaseModel):
    loads: list[LoadInfo]


class LoadsQuery(BaseModel):
    table: str | None = None


class GoRequest(Body):
    base: int
    mends: list[dict[str, Any]] = []


class ConnectionRequest(Body):
    """A way to a PostgreSQL database. The password is kept, encrypted, only when that is asked for."""

    name: str = Field(min_length=1, max_length=100)
    host: str = "127.0.0.1"
    port: int = Field(default=5432, ge=1, le=65535)
    database: str = Field(min_length=1)
    user: str = Field(min_length=1)
    password: str = ""
    sslmode: Literal["prefer", "require", "verify-full", "disable"] = "prefer"
    keep_password: bool = False


class ClusterRequest(Body):
    """A way to a cluster that speaks Spark Connect, at sc://host:port."""

    name: str = Field(min_length=1, max_length=100)
    address: str = Field(pattern=r"^sc://[^\s/]+(/.*)?$", max_length=500)


class ConnectionInfo(BaseModel):
    """A way to a database, or (`kind`) to a cluster at an address."""

    name: str
    kind: Literal["database", "cluster"] = "database"
    address: str = ""
    host: str = ""
    port: int = 0
    database: str = ""
    user: str = ""
    sslmode: str = ""
    keeps_password: bool


class Connections(BaseModel):
    connections: list[ConnectionInfo]


class LookRequest(Body):
    name: str
    password: str | None = None


class DatabaseTable(BaseModel):
    """`title` is what it is to be called in the model, as a file of that name would be."""

    schema_: str = Field(alias="schema")
    name: str
    title: str
    columns: list[str]
    kind: Literal["table", "view"]
    rows: int | None


class DatabaseTables(BaseModel):
    tables: list[DatabaseTable]


class ScheduleRequest(Body):
    """Every so many minutes; 0 ends it. The table `*` stands for all."""

    table: str
    minutes: int = Field(ge=0, le=527_040)


class ScheduleInfo(BaseModel):
    model_id: int
    table: str
    minutes: int
    next_at: str
    last_at: str | None
    last_result: str


class Schedules(BaseModel):
    schedules: list[ScheduleInfo]


class ShapeRequest(Body):
    """Steps as they are being written; some rows after step `at`: 0 is before the first, none the last."""

    steps: list[dict[str, Any]]
    at: int | None = Field(default=None, ge=0)
    start: int = Field(default=0, ge=0)
    count: int = Field(default=100, ge=0, le=1000)


class StepSample(BaseModel):
    what: str
    count: int
    columns: list[str]
    rows: list[int]
    before: list[list[Scalar]]
    after: list[list[Scalar]]


class StepOutcome(BaseModel):
    words: str
    state: Literal["done", "off", "wrong", "waits"]
    rows_before: int
    rows_after: int
    columns_before: int
    columns_after: int
    milliseconds: float
    errors: list[ErrorItem]
    sample: StepSample | None


class ShapeColumn(BaseModel):
    name: str
    dtype: str


class ShapeStart(BaseModel):
    rows: int
    columns: list[ShapeColumn]


class ShapeAnswer(BaseModel):
    start: ShapeStart
    steps: list[StepOutcome]
    size: int
    columns: list[ShapeColumn]
    rows: list[list[Scalar]]
    from_: int = Field(alias="from")


class ShapeProfiles(BaseModel):
    profiles: list[Profile]


class KeySide(Body):
    table: str
    columns: list[str] = Field(min_length=1)


class MismatchRequest(Body):
    left: KeySide
    right: KeySide
    amount: str = ""


class KeyListed(BaseModel):
    key: list[Scalar]
    rows: int
    first_row: int


class KeyCounts(BaseModel):
    keys: int
    rows: int
    amount: float | None
    listed: list[KeyListed] = []


class NearMatch(BaseModel):
    left: list[Scalar]
    right: list[Scalar]
    reason: str
    choices: int
    rows: int
    amount: float | None


class Mismatch(BaseModel):
    matched: KeyCounts
    only_left: KeyCounts
    only_right: KeyCounts
    empty_left: int
    empty_right: int
    rows_left: int
    rows_right: int
    keys_right: int
    repeated_right: int
    repeated: list[KeyListed]
    amount: str
    amount_total: float | None
    amount_matched: float | None
    near: list[NearMatch]
    near_keys: int
    near_rows: int
    near_skipped: bool


class MadeRequest(Body):
    origin: dict[str, Any]


class ComputedRequest(Body):
    """A formula to be looked at: of a table's rows, or of the column of a table."""

    formula: str
    table: str | None = None
    column: str = "value"


class MadeAnswer(BaseModel):
    size: int
    columns: list[ShapeColumn]
    rows: list[list[Scalar]]
    means: str


class StoryQuery(BaseModel):
    kind: Literal["source", "table", "column", "link", "measure", "probe", "hierarchy", "check"]
    name: str


class Story(BaseModel):
    """Where a thing comes from and what is built on it; things are pairs of kind and name."""

    thing: list[str]
    before: list[list[str]]
    after: list[list[str]]
    edges: list[list[list[str]]]


class ConsequencesRequest(Body):
    edit: dict[str, Any]


class Touched(BaseModel):
    kind: str
    name: str


class Consequences(BaseModel):
    touches: list[Touched]
    breaks: list[ErrorItem]
    checks: list[CheckMoved]


class Done(BaseModel):
    done: bool
