"""Where a table's rows come from, as types. A source is JSON with a `kind`; a file is named as it is in the folder of files."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from nexorem.gather.validate import validated

TYPES = Literal["integer", "number", "text", "boolean", "date", "datetime"]


class Base(BaseModel):
    """No unknown properties: a misspelt one is told, not ignored."""

    model_config = ConfigDict(extra="forbid")


class ColumnReads(Base):
    """How a column is read, in place of what its values suggest."""

    type: TYPES
    pattern: str = ""
    decimal: Literal[".", ","] = "."
    group: Literal["", ".", ",", " ", "'"] = ""
    language: str = "en"
    misfits: Literal["text", "empty", "refuse"] = "refuse"


class Typed(Base):
    """What all sources share: texts that mean empty, and columns that are read as said; and the rows that stay out of a broken file."""

    missing: list[str] = [""]
    columns: dict[str, ColumnReads] = {}


class CsvSource(Typed):
    """Delimited text. Empty settings are guessed from the file. `header` counts heading rows, below `skip` rows that are left out."""

    kind: Literal["csv"]
    file: str
    encoding: str = ""
    delimiter: str = ""
    quote: str = '"'
    header: int | None = Field(default=None, ge=0, le=5)
    skip: int | None = Field(default=None, ge=0, le=1000)
    broken_rows: Literal["refuse", "leave out"] = "refuse"


class SheetSource(Typed):
    """A sheet of an XLSX or ODS file, or a `range` of it such as B3:F40; or several sheets of one shape, one under the other, with a column
    that names the sheet. Merged cells have their value in the first cell, or in all."""

    kind: Literal["sheet"]
    file: str
    sheet: str = ""
    sheets: list[str] = []
    sheet_column: str = "sheet"
    range: str = ""
    header: int | None = Field(default=None, ge=0, le=5)
    skip: int | None = Field(default=None, ge=0, le=1000)
    merged: Literal["first", "all"] = "first"


class Nested(Typed):
    """A file whose columns may hold lists or structures: they become JSON texts, or are left out."""

    file: str
    nested: Literal["text", "leave out"] = "text"


class ParquetSource(Nested):
    """A Parquet file."""

    kind: Literal["parquet"]


class ArrowSource(Nested):
    """An Arrow file or stream."""

    kind: Literal["arrow"]


class LinesSource(Nested):
    """JSON Lines: an object a line, its keys the columns."""

    kind: Literal["json_lines"]


class ResourceSource(Base):
    """A resource of a data package in a .zip."""

    kind: Literal["resource"]
    file: str
    resource: str


class Reference(Base):
    """A foreign key as a database declares it: `columns` name a row of another table by its `key`."""

    columns: list[str]
    table: str
    table_schema: str = "public"
    key: list[str]


class DatabaseSource(Base):
    """A table or view of a PostgreSQL database, or what a SELECT gives. The connection is kept apart, by its name. `only` some columns are
    read where they are named; `references` are what the database declares, written here by every reading."""

    kind: Literal["database"]
    connection: str
    table: str = ""
    table_schema: str = "public"
    query: str = ""
    only: list[str] = []
    references: list[Reference] = []


Source = Annotated[
    CsvSource | SheetSource | ParquetSource | ArrowSource | LinesSource | ResourceSource | DatabaseSource, Field(discriminator="kind")
]
SOURCE: TypeAdapter[Any] = TypeAdapter(Source)


def read_source(data: Any) -> Any:
    """A source from JSON; refuses with all that is wrong with it."""
    return validated(SOURCE, data, "bad_source", "The source's")


def source_words(data: dict[str, Any]) -> str:
    """A source in a few words."""
    match data.get("kind"):
        case "sheet":
            named = f"sheets {', '.join(data['sheets'])}" if data.get("sheets") else f"sheet {data.get('sheet')}"
            return f"{data.get('file')}, {named}{' ' + str(data['range']) if data.get('range') else ''}"
        case "resource":
            return f"{data.get('file')}, resource {data.get('resource')}"
        case "database":
            return f"{data.get('connection')}: " + (
                f"{data.get('table_schema', 'public')}.{data['table']}" if data.get("table") else "a SELECT"
            )
        case "calendar" | "bands" | "list" | "parameter":
            return f"made here: {data['kind']}"
        case "role":
            return f"the rows of {data.get('table')}, in another role"
        case "past":
            return f"{source_words(dict(data.get('source') or {})) or 'the package'}, by way of a package"
        case _:
            return str(data.get("file", ""))
