"""What travels over HTTP about formulas: traces, readings, completion, reach."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, Field, RootModel

from nexorem.core.design.comparisons import Counterpart
from nexorem.core.design.patterns import Pattern
from nexorem.core.engine.traced import CellFailure, PartingStep, Trace, UsedRows
from nexorem.core.language.assist import Completion, Hover
from nexorem.core.language.uses import Use
from nexorem.core.plan.ledger import LedgerLine
from nexorem.core.plan.reach import ReachTable
from nexorem.server.schemas import Body, Coordinate, ErrorItem, Scalar, ScanInfo, SentProbe


class TraceRequest(Body):
    """`release`: as of this one, in place of the draft."""

    probe: SentProbe
    measure: str
    at: list[Coordinate]
    into: list[Into] = []
    release: int | None = None


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


class Into(Body):
    """A row of an iteration, by the path of its node and its key."""

    path: str
    key: int


@dataclass(frozen=True, slots=True)
class TimedTrace(Trace):
    """A trace, and how long it took."""

    milliseconds: float


class TraceAnswer(RootModel[TimedTrace]):
    pass


class UsedRowsAnswer(RootModel[UsedRows]):
    pass


class RowsRequest(TraceRequest):
    """Rows that an aggregate of a trace used, by its node's path."""

    path: str
    start: int = Field(default=0, ge=0)
    count: int = Field(default=100, ge=1, le=1000)
    by: str = ""
    descending: bool = False


class TraceSide(Body):
    """One of two cells."""

    probe: SentProbe
    measure: str
    at: list[Coordinate]


class BesideRequest(Body):
    first: TraceSide
    second: TraceSide


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


class AssistRequest(Body):
    """A formula and a place in it, in code points."""

    formula: str
    at: int = Field(ge=0)


class CompletionAnswer(RootModel[Completion]):
    pass


class HoverAnswer(RootModel[Hover]):
    pass


class ReachRequest(Body):
    given: str = ""


class ReachAnswer(RootModel[ReachTable]):
    pass


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


class Patterns(BaseModel):
    patterns: list[Pattern]


class Comparisons(BaseModel):
    comparisons: list[Counterpart]


class PatternsQuery(BaseModel):
    measure: str = ""


class UsesQuery(BaseModel):
    kind: Literal["measure", "column", "table"]
    name: str


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
