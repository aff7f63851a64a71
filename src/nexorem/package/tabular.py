"""The CSV and Parquet of a package to columns, a block at a time."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv
import pyarrow.parquet as pq

from nexorem.core.columns import Column, compact
from nexorem.core.diagnostics import Diagnostic, Refused, refuse
from nexorem.core.functions.convert import PARSERS, checked
from nexorem.core.values import STORAGE, Value, Vector, stored_value
from nexorem.package.arrow import from_arrow
from nexorem.package.grown import Blocks, Growable, Growing, GrownTexts, GrownValues, GrownWritten, grown
from nexorem.package.numerals import MANY
from nexorem.package.quotes import refuse_open_quote

MOST_PLACES = 10
MOST_TEXT = 64 * 1024**2  # bytes of one text
BLOCK = 8 * 1024**2  # bytes of a CSV that are read at a time
BATCH = 1 << 18  # rows of a Parquet file
FIELD_TYPES = {
    "integer": "integer",
    "year": "integer",
    "number": "number",
    "string": "text",
    "boolean": "boolean",
    "date": "date",
    "datetime": "datetime",
}
GUESSED = ("integer", "number", "boolean", "date", "datetime")


@dataclass(frozen=True, slots=True)
class Field:
    """A field of a Table Schema. `dtype` None is guessed from all rows."""

    name: str
    dtype: str | None
    missing: tuple[str, ...] = ("",)
    options: Mapping[str, Any] = field(default_factory=dict)


class CsvFile:
    """A delimited file of a package. `names` are those of its header; refuses one that names a column twice."""

    def __init__(self, source: Any, place: str, dialect: Mapping[str, Any], encoding: str) -> None:
        self.source, self.place, self.dialect, self.block = source, place, dialect, BLOCK
        if encoding.lower().replace("_", "-") not in ("utf-8", "utf8"):
            try:
                self.source = pa.BufferReader(source.read().decode(encoding).encode())
            except (LookupError, UnicodeDecodeError) as error:
                raise refuse("bad_encoding", f"The file is not {encoding}: {error}.", place=place) from None
        head = self.source.read(BLOCK)
        if not head:
            raise refuse("bad_csv", "The CSV cannot be read: it is empty.", "It is to be UTF-8, with one header row.", place)
        self.many = self.source.size() > BLOCK or head.count(b"\n") >= MANY
        self.has_header = dialect.get("header", True)
        first = _header(head, dialect)
        self.names = first if self.has_header else [f"f{i}" for i in range(len(first))]
        repeated = {n for n in self.names if self.names.count(n) > 1}
        if repeated:
            raise refuse(
                "repeated_column", f"The header names {', '.join(sorted(repeated))} twice.", "Give every column a name of its own.", place
            )

    def blocks(self, names: list[str]) -> Iterator[pa.RecordBatch]:
        """The rows of some columns as texts, a block of the file at a time. Refuses with the rows whose number of fields is off."""
        broken: list[tuple[int, int, int]] = []

        def note(row: Any) -> str:
            broken.append((row.number, row.expected_columns, row.actual_columns))
            return "skip"

        quote = self.dialect.get("quoteChar", '"')
        parse = pacsv.ParseOptions(
            delimiter=self.dialect.get("delimiter", ","),
            quote_char=quote,
            newlines_in_values=True,
            ignore_empty_lines=False,
            invalid_row_handler=note,
        )
        read = pacsv.ReadOptions(use_threads=False, column_names=None if self.has_header else self.names, block_size=self.block)
        kinds = {n: pa.string() for n in self.names}
        convert = pacsv.ConvertOptions(column_types=kinds, include_columns=names, strings_can_be_null=False, check_utf8=True)
        self.source.seek(0)
        rows, last = int(self.has_header), None
        try:
            for batch in pacsv.open_csv(self.source, read, parse, convert):
                rows, last = rows + batch.num_rows, batch if batch.num_rows else last
                yield batch
        except pa.ArrowInvalid as error:
            if "straddling" in str(error) and self.block < self.source.size():
                raise _LongRow from None
            raise refuse("bad_csv", f"The CSV cannot be read: {error}.", "It is to be UTF-8, with one header row.", self.place) from None
        if broken:
            raise Refused([_broken_row(self.place, self.names, *line) for line in broken[:MOST_PLACES]])
        if quote and last is not None:
            refuse_open_quote(self.source, quote, rows, self.place, last)


def read_csv(files: Sequence[CsvFile], fields: Sequence[Field]) -> tuple[dict[str, Column], int]:
    """The columns of files, one under the other, by their fields, and the number of rows; refuses with what is wrong with any. Cost: each
    file once, a block at a time; those columns once more in which texts come after numbers."""
    try:
        return _read_csv(files, fields)
    except _LongRow:  # it does not fit a block: each file is one
        for file in files:
            file.block = max(BLOCK, file.source.size())
        return _read_csv(files, fields)


class _LongRow(Exception):
    """A row is longer than a block."""


def _read_csv(files: Sequence[CsvFile], fields: Sequence[Field]) -> tuple[dict[str, Column], int]:
    place = files[0].place
    many = any(f.many for f in files)
    columns = {f.name: GrownWritten(f.name, _kinds(f) if many else (), 1, place, MOST_TEXT) for f in fields}
    rows = _grow(files, fields, columns)
    again = [f for f in fields if columns[f.name].again]
    texts = {f.name: GrownTexts() for f in again}
    if again:
        _grow(files, again, texts)
    wrong: list[Diagnostic] = []
    made: dict[str, Column] = {}
    with ThreadPoolExecutor(2) as pool:
        jobs = [(f.name, pool.submit(_finished, texts.get(f.name) or columns[f.name], f, place)) for f in fields]
    for name, job in jobs:
        try:
            made[name] = job.result()
        except Refused as refused:
            wrong += refused.diagnostics
    if wrong:
        raise Refused(wrong)
    return made, rows


def _kinds(field: Field) -> tuple[str, ...]:
    """The types of numbers that a field's texts are tried as, all at once."""
    plain = not field.options.get("groupChar") and field.options.get("decimalChar", ".") == "."
    kinds = ("integer", "number") if field.dtype is None else (field.dtype,)
    return kinds if plain and kinds[0] in ("integer", "number") else ()


def _grow(files: Sequence[CsvFile], fields: Sequence[Field], columns: Mapping[str, Growable]) -> int:
    """Gives the blocks of all files to columns; the number of rows."""
    growing = Growing(_Emptied(columns[f.name], f.missing) for f in fields)
    rows = 0
    try:
        for file in files:
            for block in file.blocks([f.name for f in fields]):
                growing.add(block)
                rows += block.num_rows
        growing.wait()
    finally:
        growing.close()
    return rows


class _Emptied:
    """A column that takes blocks of texts, in which some words mean that there is no value."""

    def __init__(self, column: Growable, missing: tuple[str, ...]) -> None:
        self.column, self.missing = column, missing

    def add(self, block: Any) -> None:
        """Takes a block."""
        if set(self.missing) - {""} or (self.missing and pc.min(pc.binary_length(block)).as_py() == 0):
            missing = pc.is_in(block, value_set=pa.array(list(self.missing), pa.string()))
            block = pc.if_else(missing, pa.scalar(None, pa.string()), block)
        self.column.add(block)


def _finished(column: GrownTexts | GrownWritten, field: Field, place: str) -> Column:
    read = column.finished()
    return read if isinstance(read, Column) else typed_words(read, field, place)


def _header(head: bytes, dialect: Mapping[str, Any]) -> list[str]:
    text = head[: 1 << 20].decode("utf-8-sig", errors="replace")
    return next(csv.reader(io.StringIO(text), delimiter=dialect.get("delimiter", ","), quotechar=dialect.get("quoteChar", '"')), [])


def _broken_row(place: str, names: Sequence[str], row: int | None, expected: int, actual: int) -> Diagnostic:
    at = f"row {row}" if row is not None else "a row"
    if actual < expected and actual < len(names):
        where = f"it ends before column {names[actual]!r}"
    else:
        where = f"it goes on after the last column, {names[-1]!r}" if names else "it does not fit the header"
    return Diagnostic(
        "broken_row",
        f"In {at} there are {actual} fields where {expected} are expected: {where}.",
        place=place,
        hint="A field with the delimiter in it stands in quotes.",
    )


def typed_words(words: Vector, field: Field, place: str) -> Column:
    """Texts as a column of the field's type, each word read once; refuses with the first ten places that do not fit."""
    dtype = field.dtype or _guessed(words, field)
    if dtype == "text":
        return compact(words)
    read = _reader(dtype, field)
    parsed: list[Value] = [read(str(w)) for w in words.words]
    bad = [i for i, v in enumerate(parsed) if v is None]
    if bad:
        raise Refused(_misfits(words, bad, dtype, field, place))
    raw = np.array([stored_value(dtype, v) for v in parsed] or [0], dtype=STORAGE[dtype])
    return compact(checked(dtype, raw[words.data], words.valid))


def _misfits(words: Vector, bad: Sequence[int], dtype: str, field: Field, place: str) -> list[Diagnostic]:
    rows = np.flatnonzero(np.isin(words.data, bad) & words.valid)
    some, are = (f"{len(rows):,} values", "are") if len(rows) > 1 else ("A value", "is")
    what = f"{some} of {field.name} {are} not of the type {dtype}"
    listed = [f"row {r + 2}: {str(words.words[words.data[r]])[:60]!r}" for r in rows[:MOST_PLACES]]
    return [Diagnostic("bad_value", f"{what}: {'; '.join(listed)}.", place=place, hint="Mend the values, or make the field a string.")]


def _guessed(words: Vector, field: Field) -> str:
    """The narrowest type that every value fits; text for a column without values."""
    if not len(words.words):
        return "text"
    for dtype in GUESSED:
        read = _reader(dtype, field)
        if all(read(str(w)) is not None for w in words.words):
            return dtype
    return "text"


def _reader(dtype: str, field: Field) -> Callable[[str], Value]:
    plain = PARSERS[dtype]
    options = field.options
    group, decimal = options.get("groupChar", ""), options.get("decimalChar", ".")
    pattern = options.get("format", "default")
    if dtype in ("integer", "number") and (group or decimal != "."):
        return lambda text: plain((text.replace(group, "") if group else text).replace(decimal, "."))
    if dtype == "boolean":
        true, false = options.get("trueValues", ["true", "True", "TRUE", "1"]), options.get("falseValues", ["false", "False", "FALSE", "0"])
        return lambda text: True if text in true else False if text in false else None
    if dtype in ("date", "datetime") and "%" in pattern:
        return lambda text: _by_pattern(text, pattern, dtype)
    if dtype == "datetime":
        return lambda text: plain(text[:-1] if text.endswith("Z") else text)
    return plain


def _by_pattern(text: str, pattern: str, dtype: str) -> Value:
    try:
        moment = dt.datetime.strptime(text.strip(), pattern)
    except ValueError:
        return None
    return moment.date() if dtype == "date" else moment


def read_parquet(source: Any, place: str) -> tuple[dict[str, Column], int]:
    """A Parquet file's columns and rows. Cost: one pass, a block of rows at a time."""
    try:
        file = pq.ParquetFile(source, pre_buffer=False)  # or all of the file is in memory beside what is read of it
        schema = file.schema_arrow
        columns = [grown(f.type) for f in schema]
        growing = Growing(columns)
        try:
            for block in file.iter_batches(BATCH):
                block.validate(full=True)  # places of texts may lie outside of what a broken file holds
                growing.add(block)
            growing.wait()
        finally:
            growing.close()
    except (pa.ArrowException, OSError, UnicodeError) as error:
        raise refuse("bad_parquet", f"The Parquet file cannot be read: {error}.", place=place) from None
    with ThreadPoolExecutor(2) as pool:
        return dict(zip(schema.names, pool.map(_of_blocks, columns), strict=True)), file.metadata.num_rows


def _of_blocks(column: GrownTexts | GrownValues | Blocks) -> Column:
    if isinstance(column, GrownValues):
        return column.finished()
    return compact(from_arrow(column.finished())[0] if isinstance(column, Blocks) else column.finished())
