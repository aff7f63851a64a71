"""The `nexorem` property of a data package, as types. The project's JSON Schema of it is made from these."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from nexorem.core.model.check_specs import NamedCheck
from nexorem.core.model.specs import Accepted, FormerName, NamedClearance, NamedFolio, NamedHierarchy, NamedProbe, Place


class Strict(BaseModel):
    """No unknown properties: a misspelt one is told, not ignored."""

    model_config = ConfigDict(extra="forbid")


class ColumnProperty(Strict):
    """What a column has beside its field in the Table Schema."""

    hidden: bool = False
    description: str = ""
    formula: str | None = None
    type: str | None = None
    order_by: str = ""


class CalendarProperty(Strict):
    """Marks a table as a calendar."""

    date: str
    year_starts_in: int = Field(default=1, ge=1, le=12)


class OriginProperty(Strict):
    """Where a table's rows came from before they were in this package, and the steps that shaped them. The rows of a table that
    is made here, a calendar say, are made anew from it."""

    source: dict[str, Any] = {}
    steps: list[dict[str, Any]] = []


class SaidProperty(Strict):
    """What an author says of a table: its role, where it is not the one that is found; what one row of it is, in words and as the columns
    that tell rows apart; whether lists leave it out; and the subject it belongs to."""

    role: Literal["", "fact", "dimension", "outrigger", "bridge"] = ""
    grain: str = ""
    grain_columns: list[str] = []
    hidden: bool = False
    subject: str = ""


class TableProperty(SaidProperty):
    """A table of the model: a resource, or a formula."""

    name: str = Field(min_length=1)
    resource: str | None = None
    formula: str | None = None
    source: str | None = None
    calendar: CalendarProperty | None = None
    description: str = ""
    columns: dict[str, ColumnProperty] = {}
    origin: OriginProperty | None = None


class LinkProperty(Strict):
    """A link. In a many-to-one link `to` is the one side."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)

    name: str | None = None
    from_: str | list[str] = Field(alias="from")
    to: str | list[str]
    cardinality: Literal["many-to-one", "one-to-one", "many-to-many"] = "many-to-one"
    flow: Literal["one-way", "two-way"] = "one-way"
    active: bool = True
    firm: bool | None = None
    description: str = ""


class MeasureProperty(Strict):
    """A measure. `format` is a number pattern of UTS #35; `variant_of` the measure that a trial stands beside."""

    name: str = Field(min_length=1)
    formula: str
    home: str = ""
    format: str = ""
    description: str = ""
    folder: str = ""
    trial: bool = False
    variant_of: str = ""


class NexoremProperty(Strict):
    """What the standard has no place for."""

    version: Literal[1] = 1
    tables: list[TableProperty] = []
    links: list[LinkProperty] | None = None
    hierarchies: list[NamedHierarchy] = []
    measures: list[MeasureProperty] = []
    probes: list[NamedProbe] = []
    checks: list[NamedCheck] = []
    folios: list[NamedFolio] = []
    places: dict[str, Place] = {}
    accepted: list[Accepted] = []
    renamed: list[FormerName] = []
    clearances: list[NamedClearance] = []
    language: Literal[1, 2] = 1
