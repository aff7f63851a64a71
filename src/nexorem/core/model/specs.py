"""What a model keeps beside its tables, links and measures: probes, folios, hierarchies, places, and what is known of findings and former
names. Frozen values, read once from JSON; the schemas of the server, of packages and of the front end follow from them."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Annotated, Any, Literal, TypeVar

from pydantic import AfterValidator, BeforeValidator, ConfigDict, Discriminator, Field, Tag, TypeAdapter

from nexorem.core.fits import fitted

MOST_NAME = 1_000
MOST_TEXT = 1_000_000
MOST_ITEMS = 100_000


def _optional(schema: dict[str, Any]) -> None:
    """What has a default may be left out, of what is sent and of what is answered."""
    for part in schema.get("properties", {}).values():
        part.pop("default", None)


FORM = ConfigDict(
    extra="forbid",
    strict=True,
    allow_inf_nan=False,
    validate_by_name=True,
    alias_generator=lambda name: name.rstrip("_"),
    json_schema_extra=_optional,
)

Text = Annotated[str, Field(max_length=MOST_TEXT)]
Scalar = bool | int | float | Text | None


def _name(text: str) -> str:
    if not text.strip():
        raise ValueError("is empty")
    if any(unicodedata.category(c) == "Cc" for c in text):
        raise ValueError("holds a character that cannot be seen or typed, such as a line's end")
    return text


Name = Annotated[str, Field(max_length=MOST_NAME), AfterValidator(_name)]


class Spec:
    """What is stored: no unknown parts, and no value taken for one of another type. In JSON a trailing underscore is left out."""

    __slots__ = ()
    __pydantic_config__ = FORM


@dataclass(frozen=True, slots=True)
class Unmatched(Spec):
    """The member of a table's rows that a filter's rows find nothing in."""

    unmatched: Literal[True]


UNMATCHED = Unmatched(True)
Member = Scalar | Unmatched


@dataclass(frozen=True, slots=True)
class MemberPick(Spec):
    """The members of a column (`Table.column`) that the page lets through; None is `(empty)`."""

    column: Text
    in_: Annotated[tuple[Member, ...], Field(max_length=MOST_ITEMS)]


@dataclass(frozen=True, slots=True)
class ConditionPick(Spec):
    """A condition that the page's rows keep."""

    where: Text


def _which_pick(data: Any) -> str:
    return "condition" if isinstance(data, ConditionPick) or (isinstance(data, Mapping) and "where" in data) else "in-list"


PickSpec = Annotated[Annotated[MemberPick, Tag("in-list")] | Annotated[ConditionPick, Tag("condition")], Discriminator(_which_pick)]
Picks = Annotated[tuple[PickSpec, ...], Field(max_length=1_000)]


@dataclass(frozen=True, slots=True)
class OrderSpec(Spec):
    """What lines are ordered by: a measure or a column; a measure over all columns, or at the members `at` across."""

    by: Text
    desc: bool = False
    at: Mapping[Text, Member] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class TopSpec(Spec):
    """Only the lines with the largest values, or the smallest, of a level (a column; None: the last)."""

    count: Annotated[int, Field(ge=1)]
    by: Text
    asc: bool = False
    level: Text | None = None
    ties: bool = True


@dataclass(frozen=True, slots=True)
class HavingSpec(Spec):
    """A condition over measures on the lines of a level."""

    where: Text
    level: Text | None = None


@dataclass(frozen=True, slots=True)
class Look(Spec):
    """How a probe is shown; read by screens, not by the engine."""

    picture: Literal["grid", "bars", "lines", "columns", "stacked", "dots", "heat", "multiples"] = "grid"
    shade: tuple[Text, ...] = ()
    bars: tuple[Text, ...] = ()
    formats: Mapping[Text, Text] = field(default_factory=dict)
    folded: tuple[Text, ...] = ()
    pinned: tuple[Text, ...] = ()


@dataclass(frozen=True, slots=True)
class ProbeSpec(Spec):
    """A probe as it is written (formats.md, section 2): it may name what is not there, which is a finding. One in a tile, or of an
    address, may go without a name."""

    name: Text = ""
    description: Text = ""
    rows: tuple[Text, ...] = ()
    columns: tuple[Text, ...] = ()
    measures: tuple[Text, ...] = ()
    define: Mapping[Text, Text] = field(default_factory=dict)
    picks: Picks = ()
    totals: Literal["none", "grand", "all"] = "none"
    empty_lines: bool = False
    sort: tuple[OrderSpec, ...] = ()
    top: TopSpec | None = None
    having: Annotated[tuple[HavingSpec, ...], Field(max_length=100)] = ()
    limit: Annotated[int, Field(ge=1)] | None = None
    look: Look | None = None


Size = Annotated[int, Field(ge=1, le=8)]


@dataclass(frozen=True, slots=True)
class Tile(Spec):
    """A tile of a folio: a probe of the model by its name or one of its own, a number, or a text. It does `without` some of the folio's
    picks."""

    kind: Literal["probe", "number", "text"]
    title: Text = ""
    probe: Text | ProbeSpec | None = None
    text: Text = ""
    against: Text = ""
    without: tuple[Text, ...] = ()
    width: Size | None = None
    height: Size | None = None


@dataclass(frozen=True, slots=True)
class FolioSpec(Spec):
    """A page of tiles under picks that they share."""

    name: Text = ""
    description: Text = ""
    picks: Picks = ()
    tiles: Annotated[tuple[Tile, ...], Field(max_length=1_000)] = ()

    def own_probes(self) -> list[ProbeSpec]:
        """The probes written into its tiles."""
        return [t.probe for t in self.tiles if isinstance(t.probe, ProbeSpec)]

    def shared(self) -> ProbeSpec:
        """What it says for all its tiles, as a probe."""
        return ProbeSpec(picks=self.picks)


@dataclass(frozen=True, slots=True)
class Hierarchy(Spec):
    """Columns from wide to narrow, each `Table.column`."""

    name: Text
    levels: tuple[Text, ...]


@dataclass(frozen=True, slots=True)
class Clearance(Spec):
    """Which rows those may see who have it: each rule is a condition on a table, under every context."""

    name: Text
    rules: Annotated[tuple[Text, ...], Field(max_length=100)] = ()
    description: Text = ""


@dataclass(frozen=True, slots=True)
class Place(Spec):
    """Where a person has pulled a table to in a star."""

    x: float
    y: float


@dataclass(frozen=True, slots=True)
class Accepted(Spec):
    """A finding that its author knows of: the finding's code, what it is about and its key, and why it may stand."""

    code: Name
    about: Text
    key: Text = ""
    reason: Text = ""

    @property
    def finding(self) -> tuple[str, str, str]:
        """What tells findings apart."""
        return self.code, self.about, self.key


@dataclass(frozen=True, slots=True)
class FormerName(Spec):
    """A name that something had: addresses given away still find it."""

    kind: Literal["table", "column", "link", "hierarchy", "probe", "folio", "measure"]
    was: Text
    now: Text


@dataclass(frozen=True, slots=True)
class Damage(Spec):
    """What could not be read when the model was opened, and was put right: the part of what it is about, and what stood there."""

    about: Text
    part: Text
    was: Text


S = TypeVar("S")


def named(spec: Any) -> Any:
    """A spec that has a name people can see and type."""
    if not spec.name:
        raise ValueError("has no name")
    if len(spec.name) > MOST_NAME:
        raise ValueError(f"has a name longer than {MOST_NAME} characters")
    try:
        _name(spec.name)
    except ValueError as error:
        raise ValueError(f"has a name that {error}") from None
    return spec


NamedProbe = Annotated[ProbeSpec, AfterValidator(named)]
NamedFolio = Annotated[FolioSpec, AfterValidator(named)]
NamedHierarchy = Annotated[Hierarchy, AfterValidator(named)]
NamedClearance = Annotated[Clearance, AfterValidator(named)]


@cache
def adapter_of(kind: Any) -> TypeAdapter[Any]:
    """What reads and writes values of a type."""
    return TypeAdapter(kind)


def read_spec(kind: Callable[..., S], data: Any, code: str = "bad_form", what: str = "") -> S:
    """A value of a type from JSON; refuses with a diagnostic for each place that does not fit."""
    made: S = fitted(adapter_of(kind), data, code, what)
    return made


def spec_json(spec: Any) -> dict[str, Any]:
    """A value as JSON, without the parts that stand at their defaults."""
    kind: Any = type(spec)
    made: dict[str, Any] = adapter_of(kind).dump_python(spec, mode="json", by_alias=True, exclude_defaults=True)
    return made


def as_stored(kind: Any, code: str) -> BeforeValidator:
    """Marks a part of a request that is read as strictly as what is stored."""

    def read(data: Any) -> Any:
        return fitted(adapter_of(kind), data, code, "") if isinstance(data, Mapping | list) else data

    return BeforeValidator(read)
