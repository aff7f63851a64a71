"""What travels over HTTP about checks, blame, coverage and releases."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from nexorem.core.checks.compared import NumbersMoved
from nexorem.core.checks.coverage import Covered
from nexorem.core.checks.outcome import Outcome
from nexorem.core.design.change import ReachChange
from nexorem.core.design.changed import PartChanged
from nexorem.core.engine.traced import CellFailure, PartingStep
from nexorem.core.model.check_specs import CheckSpec
from nexorem.core.model.specs import as_stored
from nexorem.server.schemas import Body, Coordinate, Scalar, SentProbe
from nexorem.server.schemas_link import Beside

SentCheck = Annotated[CheckSpec, as_stored(CheckSpec, "bad_check")]
TaskKind = Literal["checks", "coverage", "proofs", "counts"]
CheckState = Literal["holds", "fails", "cannot", "not run"]
Value = Scalar | CellFailure | dict[str, str]


class WorstCell(BaseModel):
    """A cell of a check's probe: `at` by `Table.column`, totals left out."""

    measure: str
    at: dict[str, Any]


class CheckRow(BaseModel):
    """How a check stands. `old`: for an earlier version, and not known yet to be the same; `silenced`: today."""

    name: str
    state: CheckState
    sentence: str
    old: bool
    silenced: bool
    tested: int
    failed: int
    tables: list[str]
    links: list[str]
    measures: list[str]
    at: WorstCell | None
    made_at: str | None


class Checks(BaseModel):
    """All checks of a model, and how far the present run is."""

    version: int
    checks: list[CheckRow]
    done: int
    total: int
    running: bool


class RunRequest(Body):
    """`again`: what asks a database is asked anew."""

    again: bool = True


class TaskRequest(Body):
    kind: TaskKind


class NamedRequest(Body):
    name: str


class TryRequest(Body):
    """A check that is not made."""

    check: SentCheck


class EditRow(BaseModel):
    number: int
    title: str
    author: str
    made_at: str


class BlameAnswer(BaseModel):
    """Since which edit a check fails; `held_at` is the state before it, `undo` the edit that takes it back alone."""

    check: str
    version: int
    edit: EditRow | None
    held_at: int | None
    looked: int
    undo: dict[str, Any] | None
    sentence: str


class CellRequest(Body):
    probe: SentProbe
    measure: str
    at: list[Coordinate]


class ThenRequest(Body):
    """A cell as it stood after the edit `number`, or as of a release."""

    probe: SentProbe
    measure: str
    at: list[Coordinate]
    number: int = 0
    release: int | None = None


class ValueMoved(BaseModel):
    """An edit that moved a number."""

    edit: EditRow
    before: Value
    after: Value
    undo: dict[str, Any] | None


class CellMoves(BaseModel):
    """The newest first; `gone`: the rows of before are no longer kept; `more`: there are others before."""

    moves: list[ValueMoved]
    gone: bool
    more: bool


class ThenAnswer(BaseModel):
    """A cell then and now, and where their traces part."""

    then: Value
    now: Value
    steps: list[PartingStep]


class AloneRequest(Body):
    number: int
    base: int


class CoverageAnswer(BaseModel):
    """The newest coverage; `old` where the model has changed since."""

    changes: list[Covered]
    old: bool
    made_at: str | None
    done: int
    total: int
    running: bool
    words: str


class OutcomeAnswer(BaseModel):
    """What came of a check."""

    outcome: Outcome


class Evidenced(BaseModel):
    """A check as it stood when a release was made."""

    name: str
    folder: str
    state: CheckState
    sentence: str
    guards: list[str]
    silenced: bool


class CoverageSum(BaseModel):
    """Of `changes`, `of` move a number, and `noticed` of these are noticed."""

    noticed: int
    of: int
    changes: int


class GridProven(BaseModel):
    """A grid as PostgreSQL had it when a release was made."""

    about: str
    state: Literal["proven", "differs", "cannot"]
    sentence: str
    cells: int
    by: str
    made_at: str


class ReleaseProof(BaseModel):
    """What was proven; in a release also what had changed since the one before. `proofs` are those grids that SQL had been asked about."""

    checks: list[Evidenced]
    coverage: CoverageSum | None
    proofs: list[GridProven] = []
    changes: list[PartChanged] = []
    moved: list[NumbersMoved] = []
    reach: ReachChange | None = None


class ReleasePreview(BaseModel):
    """A release that might be made: `stops` are the checks that guard releases and do not hold."""

    number: int
    last: int | None
    version: int
    changes: list[PartChanged]
    moved: list[NumbersMoved]
    reach: ReachChange | None
    evidence: ReleaseProof
    stops: list[str]


class ReleaseRow(BaseModel):
    number: int
    name: str
    notes: str
    author: str
    reason: str
    position: int
    made_at: str
    evidence: ReleaseProof


class Releases(BaseModel):
    releases: list[ReleaseRow]


class ReleaseRequest(Body):
    """A release of the model at version `base`; `reason` says why, where a guarding check fails."""

    name: str = Field(default="", max_length=1_000)
    notes: str = Field(default="", max_length=20_000)
    reason: str = Field(default="", max_length=20_000)
    base: int


class ReleaseMade(BaseModel):
    number: int


class BaseRequest(Body):
    base: int


class ReleasesCompared(BaseModel):
    """What is written, who filters whom, and the numbers of checks and of probes and folios."""

    changes: list[PartChanged]
    reach: ReachChange
    checked: list[NumbersMoved]
    looked: list[NumbersMoved]


class BesideAnswer(BaseModel):
    grid: Beside
