"""CSV and Parquet to vectors and back."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv
import pyarrow.parquet as pq

from nexorem.core.diagnostics import Diagnostic, Refused, refuse
from nexorem.core.functions.convert import PARSERS, checked, number_text
from nexorem.core.values import STORAGE, Array, Value, Vector, iso, stored_value
from nexorem.package.arrow import coded, from_arrow, to_arrow

MOST_PLACES = 10
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


def read_csv(data: bytes, place: str, dialect: Mapping[str, Any], encoding: str) -> dict[str, Any]:
    """Columns of strings, as Arrow arrays. Refuses with the rows whose number of fields is off."""
    if encoding.lower().replace("_", "-") not in ("utf-8", "utf8"):
        try:
            data = data.decode(encoding).encode()
        except (LookupError, UnicodeDecodeError) as error:
            raise refuse("bad_encoding", f"The file is not {encoding}: {error}.", place=place) from None
    broken: list[tuple[int, int, int]] = []

    def note(row: Any) -> str:
        broken.append((row.number, row.expected_columns, row.actual_columns))
        return "skip"

    header = dialect.get("header", True)
    parse = pacsv.ParseOptions(
        delimiter=dialect.get("delimiter", ","),
        quote_char=dialect.get("quoteChar", '"'),
        newlines_in_values=True,
        ignore_empty_lines=False,
        invalid_row_handler=note,
    )
    read = pacsv.ReadOptions(use_threads=False, autogenerate_column_names=not header, block_size=max(len(data), 1 << 20))
    names = _header(data, dialect) if header else []
    repeated = {n for n in names if names.count(n) > 1}
    if repeated:
        raise refuse(
            "repeated_column", f"The header names {', '.join(sorted(repeated))} twice.", "Give every column a name of its own.", place
        )
    convert = pacsv.ConvertOptions(column_types={n: pa.string() for n in names}, strings_can_be_null=False, check_utf8=True)
    try:
        table = pacsv.read_csv(io.BytesIO(data), read, parse, convert)
    except pa.ArrowInvalid as error:
        raise refuse("bad_csv", f"The CSV cannot be read: {error}.", "It is to be UTF-8, with one header row.", place) from None
    if broken:
        raise Refused([_broken_row(place, names, *line) for line in broken[:MOST_PLACES]])
    return {n: table.column(n).cast(pa.string()) for n in table.column_names}


def _header(data: bytes, dialect: Mapping[str, Any]) -> list[str]:
    first = data[: 1 << 20].decode("utf-8-sig", errors="replace")
    return next(csv.reader(io.StringIO(first), delimiter=dialect.get("delimiter", ","), quotechar=dialect.get("quoteChar", '"')), [])


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


MANY = 10_000  # rows that are worth a way of their own


def to_vector(texts: Any, field: Field, place: str) -> Vector:
    """An Arrow column of strings as a vector of the field's type; refuses with the first ten places that do not fit."""
    quick = quick_numbers(texts, field)
    if quick is not None:
        return quick
    words = coded(texts, field.missing)
    valid = words.valid
    dtype = field.dtype or _guessed(words, field)
    if dtype == "text":
        return words
    read = _reader(dtype, field)
    parsed: list[Value] = [read(str(w)) for w in words.words]
    bad = [i for i, v in enumerate(parsed) if v is None]
    if bad:
        raise Refused(_misfits(words, bad, dtype, field, place))
    raw = np.array([stored_value(dtype, v) for v in parsed] or [0], dtype=STORAGE[dtype])
    return checked(dtype, raw[words.data], valid)


def quick_numbers(texts: Any, field: Field) -> Vector | None:
    """Numbers as Arrow reads them at once, where that is what reading them one by one would give; else None."""
    if field.dtype not in (None, "integer", "number") or field.options.get("groupChar") or field.options.get("decimalChar", ".") != ".":
        return None
    array = texts.combine_chunks() if isinstance(texts, pa.ChunkedArray) else texts
    if len(array) < MANY:
        return None
    if array.null_count or not set(field.missing) <= {""} or pc.min(pc.binary_length(array)).as_py() == 0:
        empty = pc.or_kleene(pc.is_null(array), pc.is_in(array, value_set=pa.array(list(field.missing), pa.string())))
        array = pc.if_else(empty, pa.scalar(None, pa.string()), array)
        if array.null_count == len(array):
            return None
    for kind in ("integer", "number") if field.dtype is None else (field.dtype,):
        part = None if kind == "number" and field.dtype is None and whole_beyond(array) else written_numbers(array, kind)
        if part is not None:
            data, filled = part
            return Vector(kind, data, np.ones(len(data), bool) if filled is None else filled)
        if kind == "integer" and written_numbers(array, kind, False) is not None:
            return None
    return None


def written_numbers(texts: Any, kind: str, strictly: bool = True) -> tuple[Array, Array | None] | None:
    """int64[n] or float64[n] with filled bool[n], None where nothing is empty, of texts that are all whole numbers (`kind` is
    integer) or all numbers; else None. Nulls are empty.

    Arrow takes more for a whole number than a person writes (`0x1F`, leading zeros): `strictly` a text counts only when it is as
    long as the number written out.
    """
    target = pa.int64() if kind == "integer" else pa.float64()
    # A cast that fails is slow, for every row is told: the first rows are asked before all.
    numbers = _cast(texts, target) if _cast(texts[:1000], target) is not None else None
    if numbers is None:
        return None
    filled = None if texts.null_count == 0 else np.asarray(pc.is_valid(texts).to_numpy(zero_copy_only=False), dtype=bool)
    data = (numbers if filled is None else pc.fill_null(numbers, 0)).to_numpy(zero_copy_only=False)
    if kind == "number":
        # With a sign before it, a whole number is one still.
        return (data, filled) if np.isfinite(data).all() and not (_bytes(texts)[0] == ord("+")).any() else None
    return (data, filled) if not strictly or _as_written(texts) else None


def _as_written(texts: Any) -> bool:
    """Whether texts that are whole numbers to Arrow are so to a person: digits alone, and no zeros before them."""
    written, ends = _bytes(texts)
    if not len(written):
        return True
    lengths, starts = np.diff(ends), np.minimum(ends[:-1], len(written) - 1)
    first = written[starts]
    signed = (first == ord("-")) & (lengths > 0)
    if signed.any():
        lengths = lengths - 2 * signed  # so that a zero with a sign counts as two digits
        first = written[starts + signed]
        lengths[signed] += 1 + (first[signed] == ord("0"))
    return not ((first == ord("0")) & (lengths > 1)).any() and int(written.max()) <= ord("9")


def _bytes(texts: Any) -> tuple[Array, Array]:
    """uint8[k]: all texts, one behind the other; int[n+1]: where each begins, and the end."""
    _, places, data = texts.buffers()
    if data is None or not len(texts):
        return np.zeros(0, np.uint8), np.zeros(len(texts) + 1, np.int32)
    ends = np.frombuffer(places, np.int64 if pa.types.is_large_string(texts.type) else np.int32, len(texts) + 1 + texts.offset)
    ends = ends[texts.offset :]
    return np.frombuffer(data, np.uint8)[ends[0] : ends[-1]], ends - ends[0]


def whole_beyond(texts: Any) -> bool:
    """Whether a text is a whole number of nineteen digits or more, of which a double would keep fifteen."""
    longest = pc.max(pc.binary_length(texts)).as_py() or 0
    return longest >= 19 and bool(pc.any(pc.match_substring_regex(texts, r"^[+-]?[0-9]{19,}$")).as_py())


def _cast(array: Any, target: Any) -> Any | None:
    try:
        return array.cast(target)
    except pa.ArrowInvalid:
        return None


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


def read_parquet(data: bytes, place: str) -> dict[str, Vector]:
    """A Parquet file's columns."""
    try:
        table = pq.read_table(pa.BufferReader(data))
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError, OSError) as error:
        raise refuse("bad_parquet", f"The Parquet file cannot be read: {error}.", place=place) from None
    return {name: from_arrow(table.column(name))[0] for name in table.column_names}


def write_parquet(columns: Mapping[str, Vector]) -> bytes:
    """Vectors as a Parquet file."""
    out = io.BytesIO()
    pq.write_table(pa.table({name: to_arrow(v) for name, v in columns.items()}), out)
    return out.getvalue()


def missing_word(v: Vector) -> str:
    """What stands for empty in a CSV: nothing, unless the column holds empty texts as well."""
    if v.dtype != "text" or "" not in v.words:
        return ""
    word = "NULL"
    while word in v.words:
        word += "_"
    return word


def cell_text(value: Value) -> str:
    """A value as a CSV holds it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    return number_text(value) if isinstance(value, float) else str(iso(value))


def write_csv(columns: Mapping[str, Vector]) -> bytes:
    """Vectors as a CSV with a header, UTF-8, lines ended by a line feed."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    texts = []
    for v in columns.values():
        word = missing_word(v)
        texts.append([word if x is None else cell_text(x) for x in v.tolist()])
    writer.writerows(zip(*texts, strict=True))
    return out.getvalue().encode()
