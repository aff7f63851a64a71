"""What a model holds its numbers to: checks as they are written. Frozen values, read once from JSON, as the other specs are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Discriminator, Field, Tag

from nexorem.core.model.specs import MOST_ITEMS, Member, ProbeSpec, Spec, Text, named
from nexorem.core.words import listed

NotBelowZero = Annotated[float, Field(ge=0)]


@dataclass(frozen=True, slots=True)
class Tolerance(Spec):
    """How far a number may be off: by so much, or by this share of the number it should be; the wider of the two."""

    absolute: NotBelowZero = 0.0
    relative: NotBelowZero = 0.0


@dataclass(frozen=True, slots=True)
class ListedTable(Spec):
    """Cells with what they should hold: `columns` are columns of the probe's axes and its measures, a row has a value for each of them.
    Over an axis' column that is not listed the cells are totals."""

    columns: Annotated[tuple[Text, ...], Field(min_length=1, max_length=1_000)]
    rows: Annotated[tuple[tuple[Member, ...], ...], Field(max_length=MOST_ITEMS)]


@dataclass(frozen=True, slots=True)
class HoldMust(Spec):
    """A formula over the probe's measures is true in each cell that has a value: of lines, of totals, or of both. Where it comes to empty
    it fails, unless it is said to hold."""

    hold: Text
    in_: Literal["lines", "totals", "all"] = "all"
    empty: Literal["fails", "holds"] = "fails"


@dataclass(frozen=True, slots=True)
class TableMust(Spec):
    """Each listed cell has the listed value; with `whole` the probe has no other line."""

    table: ListedTable
    tolerance: Tolerance = field(default_factory=Tolerance)
    whole: bool = False


@dataclass(frozen=True, slots=True)
class FileMust(Spec):
    """The same with the table in a CSV file beside the model."""

    file: Text
    tolerance: Tolerance = field(default_factory=Tolerance)
    whole: bool = False


@dataclass(frozen=True, slots=True)
class AddUpMust(Spec):
    """Every total over these columns is the sum of its parts."""

    add_up: Annotated[tuple[Text, ...], Field(min_length=1)]


@dataclass(frozen=True, slots=True)
class Bounds(Spec):
    """How many; a bound that is left out does not hold anything."""

    at_least: Annotated[int, Field(ge=0)] | None = None
    at_most: Annotated[int, Field(ge=0)] | None = None


@dataclass(frozen=True, slots=True)
class CountMust(Spec):
    """The number of rows is within bounds."""

    count: Bounds


@dataclass(frozen=True, slots=True)
class NoneMust(Spec):
    """There is no finding of these codes."""

    none: Annotated[tuple[Text, ...], Field(min_length=1)]


Must = HoldMust | TableMust | FileMust | AddUpMust | CountMust | NoneMust
KINDS: dict[type, str] = {HoldMust: "hold", TableMust: "table", FileMust: "file", AddUpMust: "add_up", CountMust: "count", NoneMust: "none"}


def kind_of(must: Must) -> str:
    """Which kind of check it is, by the part that no other kind has."""
    return KINDS[type(must)]


def _which(data: Any) -> str:
    if isinstance(data, Mapping):
        return next((f"{kind} check" for kind in KINDS.values() if kind in data), "hold check")
    return f"{KINDS.get(type(data), 'hold')} check"


AnyMust = Annotated[
    Annotated[HoldMust, Tag("hold check")]
    | Annotated[TableMust, Tag("table check")]
    | Annotated[FileMust, Tag("file check")]
    | Annotated[AddUpMust, Tag("add_up check")]
    | Annotated[CountMust, Tag("count check")]
    | Annotated[NoneMust, Tag("none check")],
    Discriminator(_which),
]
SUBJECTS = {"hold": "probe", "table": "probe", "file": "probe", "add_up": "probe", "count": "rows", "none": "about"}


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckSpec(Spec):
    """What must hold, of what. It is about a probe (one of the model by its name, or its own), rows (a table expression), or findings
    (`about` a table, link or measure; of all where it is left out)."""

    name: Text = ""
    must: AnyMust
    description: Text = ""
    folder: Text = ""
    probe: Text | ProbeSpec | None = None
    rows: Text | None = None
    about: Text | None = None

    def __post_init__(self) -> None:
        kind = kind_of(self.must)
        subject = SUBJECTS[kind]
        given = [name for name in ("probe", "rows", "about") if getattr(self, name) is not None]
        if given != [subject] and not (given == [] and subject == "about"):
            raise ValueError(f"says what `{kind}` must be, and so needs `{subject}`" + (f" alone, not {listed(given)}" if given else ""))


NamedCheck = Annotated[CheckSpec, AfterValidator(named)]
