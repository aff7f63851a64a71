"""What a model holds its numbers to: checks as they are written. Frozen values, read once from JSON, as the other specs are."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Discriminator, Field, Tag

from nexorem.core.model.specs import MOST_ITEMS, Member, Name, ProbeSpec, Spec, Text, named
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


@dataclass(frozen=True, slots=True)
class AsInMust(Spec):
    """The same probe gives the same numbers on a release: by its number or its name, or on the latest."""

    as_in: Text


@dataclass(frozen=True, slots=True)
class Query(Spec):
    """A SELECT that its author wrote, asked over a connection of the model."""

    connection: Name
    sql: Annotated[Text, Field(min_length=1, max_length=100_000)]


@dataclass(frozen=True, slots=True)
class QueryMust(Spec):
    """The same with the table that a database gives: its columns are named as those of the probe's axes and its measures."""

    query: Query
    tolerance: Tolerance = field(default_factory=Tolerance)
    whole: bool = False


@dataclass(frozen=True, slots=True)
class Freshness(Spec):
    """How old the newest load may be, in days, and by which share its rows may differ from those of the load before."""

    days: Annotated[float, Field(gt=0)] | None = None
    rows_within: NotBelowZero | None = None


@dataclass(frozen=True, slots=True)
class FreshMust(Spec):
    """A table's load is young enough, and about as long as the one before."""

    fresh: Freshness


ListMust = TableMust | FileMust | QueryMust
Must = HoldMust | ListMust | AddUpMust | AsInMust | CountMust | NoneMust | FreshMust
KINDS: dict[type, str] = {
    HoldMust: "hold",
    TableMust: "table",
    FileMust: "file",
    QueryMust: "query",
    AddUpMust: "add_up",
    AsInMust: "as_in",
    CountMust: "count",
    NoneMust: "none",
    FreshMust: "fresh",
}


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
    | Annotated[QueryMust, Tag("query check")]
    | Annotated[AddUpMust, Tag("add_up check")]
    | Annotated[AsInMust, Tag("as_in check")]
    | Annotated[CountMust, Tag("count check")]
    | Annotated[NoneMust, Tag("none check")]
    | Annotated[FreshMust, Tag("fresh check")],
    Discriminator(_which),
]
SUBJECTS = dict.fromkeys(KINDS.values(), "probe") | {"count": "rows", "none": "about", "fresh": "table"}


def _day(text: str) -> str:
    try:
        dt.date.fromisoformat(text)
    except ValueError:
        raise ValueError("is not a day, as in 2031-12-31") from None
    return text


@dataclass(frozen=True, slots=True)
class Silence(Spec):
    """A check that fails and is known to, up to a day and that day too: it runs on, and nothing waits for it."""

    until: Annotated[str, AfterValidator(_day)]
    reason: Name


@dataclass(frozen=True, slots=True)
class TileOf(Spec):
    """A tile of a folio, by its place from 1 on: the probe that it shows, under the folio's picks."""

    folio: Text
    tile: Annotated[int, Field(ge=1, le=1_000)]


def _whose(data: Any) -> str:
    if isinstance(data, str):
        return "probe's name"
    return "tile's probe" if isinstance(data, TileOf) or (isinstance(data, Mapping) and "folio" in data) else "own probe"


AnyProbe = Annotated[
    Annotated[Text, Tag("probe's name")] | Annotated[TileOf, Tag("tile's probe")] | Annotated[ProbeSpec, Tag("own probe")],
    Discriminator(_whose),
]


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckSpec(Spec):
    """What must hold, of what. It is about a probe (one of the model by its name, its own, or a folio's tile), rows (a table expression), a
    table's loads, or findings (`about` a table, link or measure; of all where it is left out). It may guard loads and releases: one after
    which it fails is held, or needs a reason."""

    name: Text = ""
    must: AnyMust
    description: Text = ""
    folder: Text = ""
    probe: AnyProbe | None = None
    rows: Text | None = None
    table: Text | None = None
    about: Text | None = None
    guards: Annotated[tuple[Literal["loads", "releases"], ...], Field(max_length=2)] = ()
    silenced: Silence | None = None

    def __post_init__(self) -> None:
        kind = kind_of(self.must)
        subject = SUBJECTS[kind]
        given = [name for name in ("probe", "rows", "table", "about") if getattr(self, name) is not None]
        if given != [subject] and not (given == [] and subject == "about"):
            raise ValueError(f"says what `{kind}` must be, and so needs `{subject}`" + (f" alone, not {listed(given)}" if given else ""))


NamedCheck = Annotated[CheckSpec, AfterValidator(named)]
