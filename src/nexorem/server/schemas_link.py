"""What travels over HTTP while links are designed."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, RootModel

from nexorem.core.design.begin import Beginning
from nexorem.core.design.change import Double, PairReached
from nexorem.core.design.hold import Held
from nexorem.core.design.layout import SHAPE, Shown, StarLayout
from nexorem.core.design.opening import Opening, ReachOf
from nexorem.core.design.roles import GrainTest, HierarchyFault
from nexorem.core.design.suggest import LinkSuggestion
from nexorem.core.lint.finding import RankedFinding
from nexorem.server.schemas import AxisAnswer, Body, ErrorItem, Scalar, SentProbe
from nexorem.work.checking import CheckMoved

Cardinality = Literal["many-to-one", "one-to-one", "many-to-many"]
Edits = list[dict[str, Any]]


class LinkRequest(Body):
    """A link that is thought of, in place of the one called `name` if there is one, after `edits`; without a cardinality the one that
    the data prove. A new one is put the way round that they prove."""

    link: dict[str, Any]
    name: str | None = None
    edits: Edits = []


class LinkPreview(BaseModel):
    """`rows`, `matched`, `orphans`, `empty` count rows of the `from` table; `repeated` and `key_empty` keys and rows of the `to` table."""

    link: dict[str, Any]
    text: str
    from_table: str
    from_columns: list[str]
    to_table: str
    to_columns: list[str]
    proven: Cardinality
    allowed: list[Cardinality]
    firm: bool
    why_loose: str
    matched: int
    orphans: int
    empty: int
    rows: int
    key_empty: int
    repeated: int
    doubles: list[Double]
    yields: list[str]


class TrialRequest(Body):
    """Edits of links that are not made, and the probe that is open."""

    edits: Edits
    probe: SentProbe | None = None


class BesideMeasure(BaseModel):
    name: str
    dtype: str
    format: str
    now_unreached: list[str]
    then_unreached: list[str]


class Beside(BaseModel):
    """One probe under two states, on the lines of both. `changed` are places of lines; `more` lines are left out."""

    rows: AxisAnswer
    columns: AxisAnswer
    measures: list[BesideMeasure]
    now: list[list[list[Scalar]]]
    then: list[list[list[Scalar]]]
    differs: int
    changed: list[int]
    more: int


class StatesCompared(BaseModel):
    """Two states of a model."""

    newly: list[PairReached]
    no_longer: list[PairReached]
    moved: list[PairReached]
    appear: list[RankedFinding]
    go: list[RankedFinding]
    grid: Beside | None
    grid_error: str
    checks: list[CheckMoved]


class Trial(BaseModel):
    """What edits would do, or what forbids them: then `yields` are links of which any one, made inactive, would allow them."""

    errors: list[ErrorItem]
    doubles: list[Double]
    yields: list[str]
    comparison: StatesCompared | None


class VariantRequest(Body):
    edits: Edits


class ProbeRequest(Body):
    """The probe that is open, if there is one."""

    probe: SentProbe | None = None


class GoToRequest(Body):
    """The edit to go back or forward to, 0 for before the first, and the newest one that the caller knows of."""

    number: int = Field(ge=0)
    expected: int


class Suggestions(BaseModel):
    suggestions: list[LinkSuggestion]


class ReachOfRequest(Body):
    """A table, or a measure."""

    table: str | None = None
    measure: str | None = None


class OpeningRequest(Body):
    model_config = ConfigDict(extra="forbid", populate_by_name=True)

    from_: str = Field(alias="from")
    to: str
    measure: str | None = None


class ReachOfAnswer(RootModel[ReachOf]):
    pass


class OpeningAnswer(RootModel[Opening]):
    pass


class HeldAnswer(RootModel[Held]):
    pass


class BeginningAnswer(RootModel[Beginning]):
    pass


class StarAnswer(RootModel[StarLayout]):
    pass


class HeldRequest(Body):
    """A measure, or the edits of a given with the fact they are held over."""

    measure: str | None = None
    given: str | None = None
    fact: str = ""


class StarRequest(Body):
    """The fact in the middle, a second one beside it, where tables stood before (x and row) and how far rows were apart, how many times
    wider than high the window is, the cards that show columns, and the subjects whose tables are one card."""

    fact: str
    beside: str | None = None
    before: dict[str, tuple[float, int]] = {}
    rooms: dict[int, float] = {}
    shape: float = Field(default=SHAPE, gt=0, le=100)
    opened: dict[str, Shown] = {}
    folded: list[str] = []


class HierarchyInfo(BaseModel):
    name: str
    levels: list[str]
    faults: list[HierarchyFault]


class TableShape(BaseModel):
    table: str
    grain: GrainTest | None
    hierarchies: list[HierarchyInfo]


class GrainRequest(Body):
    """The columns whose combinations should tell rows apart; none to be told of hierarchies alone."""

    columns: list[str] = []


class DocumentQuery(BaseModel):
    """Which document, and of the star's picture its facts."""

    kind: Literal["ddl", "dictionary", "star-svg", "matrix-svg"]
    fact: str = ""
    beside: str = ""
    shape: float = Field(default=SHAPE, gt=0, le=100)


class HistoryItem(BaseModel):
    number: int
    title: str
    author: str
    made_at: str
    undone: bool
    moved: list[CheckWent]


class CheckWent(BaseModel):
    """A check that an edit moved from one state to another."""

    name: str
    before: str
    after: str


class History(BaseModel):
    edits: list[HistoryItem]
