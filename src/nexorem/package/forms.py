"""What a model stores, as strict types: a text is a text, and nothing is unknown. Probes, folios and hierarchies are `core.model.specs`."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from nexorem.core.model.check_specs import NamedCheck
from nexorem.core.model.specs import (
    MOST_NAME,
    Accepted,
    Damage,
    FormerName,
    Name,
    NamedClearance,
    NamedFolio,
    NamedHierarchy,
    NamedProbe,
    Place,
    Text,
)
from nexorem.core.values import COLUMN_TYPES
from nexorem.package.schema import LinkProperty, MeasureProperty, SaidProperty


class Form(BaseModel):
    """No unknown parts, and no value taken for one of another type."""

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, populate_by_name=True)


ColumnName = Annotated[str, Field(min_length=1, max_length=MOST_NAME)]
At = Annotated[int, Field(ge=0)] | None
Json = dict[str, Any]


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
    stays: bool = False


class ModelForm(Form):
    """A whole model as the store keeps it."""

    name: Text
    title: Text = ""
    tables: list[TableForm] = []
    links: list[LinkForm] = []
    measures: list[MeasureForm] = []
    probes: list[NamedProbe] = []
    hierarchies: list[NamedHierarchy] = []
    checks: list[NamedCheck] = []
    folios: list[NamedFolio] = []
    places: dict[Text, Place] = {}
    damage: list[Damage] = []
    accepted: list[Accepted] = []
    renamed: list[FormerName] = []
    clearances: list[NamedClearance] = []
    language: Literal[1, 2] = 1


MODEL: TypeAdapter[Any] = TypeAdapter(ModelForm)


def parts_of(form: type[BaseModel], nullable: bool = False) -> Iterator[tuple[str, Any]]:
    """The fields of a form with their types, for another in which each may be left out; with `nullable` null takes a part back to what it
    is when nothing is said."""
    for name, field in form.model_fields.items():
        kind: Any = Annotated[(field.annotation, *field.metadata)] if field.metadata else field.annotation
        yield name, (kind | None if nullable else kind, Field(default=None, alias=field.alias))
