"""What a model stores, as strict types: a text is a text, and nothing is unknown. Probes and folios may name what is not there (that is a
finding); they may not be of another form."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, TypeAdapter

from nexorem.core.values import COLUMN_TYPES
from nexorem.package.schema import LinkProperty, MeasureProperty, SaidProperty

MOST_NAME = 1_000
MOST_TEXT = 1_000_000
MOST_ITEMS = 100_000


class Form(BaseModel):
    """No unknown parts, and no value taken for one of another type."""

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, populate_by_name=True)


def _name(text: str) -> str:
    if not text.strip():
        raise ValueError("is empty")
    if any(unicodedata.category(c) == "Cc" for c in text):
        raise ValueError("holds a character that cannot be seen or typed, such as a line's end")
    return text


Text = Annotated[str, Field(max_length=MOST_TEXT)]
Name = Annotated[str, Field(max_length=MOST_NAME), AfterValidator(_name)]
ColumnName = Annotated[str, Field(min_length=1, max_length=MOST_NAME)]
At = Annotated[int, Field(ge=0)] | None
Scalar = bool | int | float | Text | None
Json = dict[str, Any]


# A pick, an order, a probe


class Unmatched(Form):
    unmatched: Literal[True]


Member = Scalar | Unmatched


class MemberPick(Form):
    column: Text
    in_: list[Member] = Field(alias="in", max_length=MOST_ITEMS)


class ConditionPick(Form):
    where: Text


Picks = Annotated[list[MemberPick | ConditionPick], Field(max_length=1_000)]


class OrderForm(Form):
    by: Text
    desc: bool = False
    at: dict[Text, Member] = {}


class TopForm(Form):
    count: Annotated[int, Field(ge=1)]
    by: Text
    asc: bool = False
    level: Text | None = None
    ties: bool = True


class HavingForm(Form):
    where: Text
    level: Text | None = None


class LookForm(Form):
    """How a probe is shown; read by screens, not by the engine."""

    picture: Literal["grid", "bars", "lines", "columns", "stacked", "dots", "heat", "multiples"] = "grid"
    shade: list[Text] = []
    bars: list[Text] = []
    formats: dict[Text, Text] = {}
    folded: list[Text] = []
    pinned: list[Text] = []


class TileProbe(Form):
    """A probe written into a tile: it may go without a name."""

    name: Text | None = None
    description: Text = ""
    rows: list[Text] = []
    columns: list[Text] = []
    measures: list[Text] = []
    define: dict[Text, Text] = {}
    picks: Picks = []
    totals: Literal["none", "grand", "all"] = "none"
    empty_lines: bool = False
    sort: list[OrderForm] = []
    top: TopForm | None = None
    having: Annotated[list[HavingForm], Field(max_length=100)] = []
    limit: Annotated[int, Field(ge=1)] | None = None
    look: LookForm | None = None


class ProbeForm(TileProbe):
    name: Name


Size = Annotated[int, Field(ge=1, le=8)]


class TileForm(Form):
    kind: Literal["probe", "number", "text"]
    title: Text = ""
    probe: Text | TileProbe | None = None
    text: Text = ""
    against: Text = ""
    without: list[Text] = []
    width: Size | None = None
    height: Size | None = None


class FolioForm(Form):
    name: Name
    description: Text = ""
    picks: Picks = []
    tiles: Annotated[list[TileForm], Field(max_length=1_000)] = []


class HierarchyForm(Form):
    name: Name
    levels: list[Text]


class PlaceForm(Form):
    x: float
    y: float


# Links, measures, tables


class LinkForm(LinkProperty):
    model_config = ConfigDict(extra="forbid", strict=True, populate_by_name=True)

    name: Name | None = None


class MeasureForm(MeasureProperty):
    model_config = ConfigDict(extra="forbid", strict=True)

    name: Name


class ColumnForm(Form):
    """A column as a model stores it; `dtype` is empty until a formula's is found."""

    name: ColumnName
    dtype: Literal[("", *COLUMN_TYPES)]  # type: ignore[valid-type]
    hidden: bool = False
    description: Text = ""
    formula: Text = ""
    order_by: Text = ""


class CalendarForm(Form):
    date: ColumnName
    year_starts_in: Annotated[int, Field(ge=1, le=12)] = 1


class TableForm(SaidProperty):
    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False)

    name: Name
    columns: list[ColumnForm] = []
    source: Text | None = None
    key: list[ColumnName] = []
    calendar: CalendarForm | None = None
    description: Text = ""
    formula: Text = ""
    origin: Json = {}
    steps: list[Json] = []
    load: int | None = None


class DamageForm(Form):
    """What an older version let through and was put right when the model was opened."""

    about: Text
    part: Text
    was: Text


class AcceptedForm(Form):
    """A finding that is known."""

    code: Name
    about: Text
    key: Text = ""
    reason: Text = ""


class RenamedForm(Form):
    kind: Literal["table", "column", "link", "hierarchy", "probe", "folio", "measure"]
    was: Text
    now: Text


class ModelForm(Form):
    """A whole model as the store keeps it."""

    name: Text
    title: Text = ""
    tables: list[TableForm] = []
    links: list[LinkForm] = []
    measures: list[MeasureForm] = []
    probes: list[ProbeForm] = []
    hierarchies: list[HierarchyForm] = []
    checks: list[Json] = []
    folios: list[FolioForm] = []
    places: dict[Text, PlaceForm] = {}
    damage: list[DamageForm] = []
    accepted: list[AcceptedForm] = []
    renamed: list[RenamedForm] = []
    language: Literal[1, 2] = 1


MODEL: TypeAdapter[Any] = TypeAdapter(ModelForm)


def parts_of(form: type[BaseModel], nullable: bool = False) -> Iterator[tuple[str, Any]]:
    """The fields of a form with their types, for another in which each may be left out; with `nullable` null takes a part back to what it
    is when nothing is said."""
    for name, field in form.model_fields.items():
        kind: Any = Annotated[(field.annotation, *field.metadata)] if field.metadata else field.annotation
        yield name, (kind | None if nullable else kind, Field(default=None, alias=field.alias))
