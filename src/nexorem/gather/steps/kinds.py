"""The steps that shape a table, as types: what each one needs. A step is JSON with a `kind`; `off` keeps it and leaves it out."""

from __future__ import annotations

from typing import Annotated, Any, Literal, assert_never

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from nexorem.gather.validate import validated

Name = Annotated[str, Field(min_length=1, max_length=200)]
Names = Annotated[list[Name], Field(min_length=1)]
Value = str | bool | int | float | None


class Base(BaseModel):
    """What all steps have."""

    model_config = ConfigDict(extra="forbid")

    off: bool = False
    note: str = ""


class ChooseColumns(Base):
    """Keeps these columns, in this order."""

    kind: Literal["choose_columns"]
    columns: Names


class Rename(Base):
    """New names for columns, by their old ones."""

    kind: Literal["rename"]
    names: dict[Name, Name]


class Retype(Base):
    """Another type. Texts are read by a pattern; what cannot be read stays text, becomes empty, or is refused."""

    kind: Literal["retype"]
    column: Name
    to: Literal["integer", "number", "text", "boolean", "date", "datetime"]
    pattern: str = ""
    decimal: Literal[".", ","] = "."
    group: Literal["", ".", ",", " ", "'"] = ""
    language: str = "en"
    misfits: Literal["refuse", "empty"] = "refuse"


class KeepRows(Base):
    """Keeps the rows for which a condition is true."""

    kind: Literal["keep_rows"]
    condition: str = Field(min_length=1)


class RemoveRepeats(Base):
    """Of rows that are equal in these columns (all of them, if none are named) the first or the last stays."""

    kind: Literal["remove_repeats"]
    columns: list[Name] = []
    keep: Literal["first", "last"] = "first"


class ColumnsToRows(Base):
    """A row for each of these columns. Their headings are split by `separator` into `parts`: each part goes into the column named for it;
    a part named `*` names the value column instead, so that several value columns come out."""

    kind: Literal["columns_to_rows"]
    columns: Names
    parts: list[Name] = Field(default=["name"], min_length=1)
    separator: str = ""
    value: Name = "value"
    skip_empty: bool = True


class RowsToColumns(Base):
    """A column for each value of `names_from`, holding `values_from`; the other columns say which rows come together."""

    kind: Literal["rows_to_columns"]
    names_from: Name
    values_from: Name
    several: Literal["refuse", "sum", "first", "last", "count", "smallest", "largest"] = "refuse"


class SplitText(Base):
    """Splits a text at a separator, or after a number of characters, into new columns; the last takes the rest."""

    kind: Literal["split_text"]
    column: Name
    separator: str = ""
    after: int | None = Field(default=None, ge=1, le=10_000)
    into: Names
    keep: bool = True


class JoinText(Base):
    """Columns as one text, empties left out."""

    kind: Literal["join_text"]
    columns: Names
    separator: str = " "
    into: Name
    keep: bool = True


class Trim(Base):
    """Spaces at both ends go; with `inner`, runs of spaces inside become one. A text of nothing but spaces becomes empty."""

    kind: Literal["trim"]
    columns: Names
    inner: bool = False


class ChangeCase(Base):
    """Letters in another case."""

    kind: Literal["change_case"]
    columns: Names
    to: Literal["upper", "lower", "title"]


class Pair(BaseModel):
    """One replacement: a value for each column. None is empty."""

    model_config = ConfigDict(extra="forbid")

    old: list[Value] = Field(alias="from", min_length=1)
    new: list[Value] = Field(alias="to", min_length=1)


class Replace(Base):
    """Replaces values by a list; with several columns, combinations of values. With `within`, parts of a text."""

    kind: Literal["replace"]
    columns: Names
    pairs: list[Pair] = Field(min_length=1, max_length=100_000)
    within: bool = False


class FillDown(Base):
    """An empty value takes that of the row above; with `up`, of the row below."""

    kind: Literal["fill_down"]
    columns: Names
    up: bool = False


class DatePart(Base):
    """A part of a date as a column of its own."""

    kind: Literal["date_part"]
    column: Name
    part: Literal["year", "quarter", "month", "week", "day", "isodow", "doy", "isoyear", "hour", "minute", "second", "date"]
    into: Name


class DateOfParts(Base):
    """A date of a year, a month and a day, or with an hour a datetime. Rows whose parts name no day, though none of them is empty, are
    refused or get an empty one."""

    kind: Literal["date_of_parts"]
    year: Name
    month: Name
    day: Name
    hour: str = ""
    minute: str = ""
    into: Name
    keep: bool = True
    misfits: Literal["refuse", "empty"] = "refuse"


class Compute(Base):
    """A column by a formula over the row's own columns."""

    kind: Literal["compute"]
    name: Name
    formula: str = Field(min_length=1)


class NumberRows(Base):
    """A column that numbers the rows from 1."""

    kind: Literal["number_rows"]
    into: Name


class Append(Base):
    """The rows of other tables beneath, columns by name. With `into`, a column that says which table a row is from, as `label` calls it."""

    kind: Literal["append"]
    tables: Names
    into: str = ""
    label: str = ""
    labels: list[str] = []


class Match(BaseModel):
    """A column of this table and the one of the other that it equals."""

    model_config = ConfigDict(extra="forbid")

    mine: Name
    theirs: Name


class LookUp(Base):
    """Columns of another table, from the one row whose key equals; rows without such a row get empties, or are refused."""

    kind: Literal["look_up"]
    table: Name
    on: list[Match] = Field(min_length=1)
    columns: dict[Name, Name] = Field(min_length=1)
    unmatched: Literal["empty", "refuse"] = "empty"


class Orphans(BaseModel):
    """A table and its columns that name the key."""

    model_config = ConfigDict(extra="forbid")

    table: Name
    columns: Names


class AddMissing(Base):
    """A row for every key that other tables name and this one does not have; its other columns are empty, and `into`, a column of true
    and false, says which rows were added."""

    kind: Literal["add_missing"]
    key: Names
    named_by: list[Orphans] = Field(min_length=1)
    into: Name = "added"


Step = Annotated[
    ChooseColumns
    | Rename
    | Retype
    | KeepRows
    | RemoveRepeats
    | ColumnsToRows
    | RowsToColumns
    | SplitText
    | JoinText
    | Trim
    | ChangeCase
    | Replace
    | FillDown
    | DatePart
    | DateOfParts
    | Compute
    | NumberRows
    | Append
    | LookUp
    | AddMissing,
    Field(discriminator="kind"),
]
STEP: TypeAdapter[Step] = TypeAdapter(Step)


def read_step(data: Any, place: str) -> Step:
    """A step from JSON; refuses with all that is wrong with it."""
    return validated(STEP, data, "bad_step", "The step's", place)


def step_words(step: Step) -> str:  # noqa: C901 - one short case a kind
    """A step in a few words, as lists of steps name it."""
    match step:
        case ChooseColumns():
            return f"choose {len(step.columns)} columns"
        case Rename():
            return "rename " + _few([f"{a} to {b}" for a, b in step.names.items()])
        case Retype():
            return f"read {step.column} as {step.to}"
        case KeepRows():
            return f"keep rows where {step.condition}"
        case RemoveRepeats():
            return f"remove repeats{' of ' + _few(step.columns) if step.columns else ''}"
        case ColumnsToRows():
            return f"turn {len(step.columns)} columns into rows"
        case RowsToColumns():
            return f"turn {step.names_from} into columns"
        case SplitText():
            return f"split {step.column} into {_few(step.into)}"
        case JoinText():
            return f"join {_few(step.columns)} into {step.into}"
        case Trim():
            return f"trim {_few(step.columns)}"
        case ChangeCase():
            return f"{step.to} case in {_few(step.columns)}"
        case Replace():
            return f"replace {len(step.pairs)} value{'s' if len(step.pairs) > 1 else ''} in {_few(step.columns)}"
        case FillDown():
            return f"fill {_few(step.columns)} {'up' if step.up else 'down'}"
        case DatePart():
            return f"{step.part} of {step.column}"
        case DateOfParts():
            return f"date of {_few([step.year, step.month, step.day])}"
        case AddMissing():
            return f"add missing members from {_few(tables_needed(step))}"
        case Compute():
            return f"compute {step.name}"
        case NumberRows():
            return f"number the rows in {step.into}"
        case Append():
            return f"append {_few(step.tables)}"
        case LookUp():
            return f"look up {_few(list(step.columns))} from {step.table}"
    assert_never(step)


def _few(names: list[str]) -> str:
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def tables_needed(step: Any) -> list[str]:
    """The other tables whose rows a step takes."""
    if isinstance(step, Append):
        return list(step.tables)
    if isinstance(step, AddMissing):
        return list(dict.fromkeys(x.table for x in step.named_by))
    return [step.table] if isinstance(step, LookUp) else []
