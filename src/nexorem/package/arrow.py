"""Arrow columns to vectors and back."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nexorem.core.functions.convert import checked
from nexorem.core.values import STORAGE, Array, Vector
from nexorem.package.words import recoded

EXACT = 2**53  # whole numbers up to here are doubles
MOST_TENS = 22  # the powers of ten up to here are doubles
ARROW = {
    "integer": pa.int64(),
    "number": pa.float64(),
    "text": pa.string(),
    "boolean": pa.bool_(),
    "date": pa.date32(),
    "datetime": pa.timestamp("us"),
}


def coded(texts: Any, missing: tuple[str, ...] | list[str] = ()) -> Vector:
    """An Arrow column of strings as a text vector; these words, and nulls, become empty."""
    array = texts.combine_chunks() if isinstance(texts, pa.ChunkedArray) else texts
    encoded = array.dictionary_encode()
    words = encoded.dictionary.cast(pa.large_string())
    valid = np.asarray(pc.is_valid(encoded.indices).to_numpy(zero_copy_only=False), dtype=bool)
    codes = encoded.indices.fill_null(0).to_numpy(zero_copy_only=False)
    if missing:
        words = pc.if_else(pc.is_in(words, value_set=pa.array(list(missing), words.type)), pa.scalar(None, words.type), words)
    return recoded(codes, valid, words)


def from_arrow(column: Any) -> tuple[Vector, str]:
    """An Arrow column, chunked or not, of whatever type, as a vector; and what was done to it that a person should know, or nothing.

    Decimals become the nearest doubles of their digits, those of scale 0 whole numbers where 64 bits hold all of them. What no column of
    a table holds (bytes, times, lists, …) becomes text. Cost: one pass; decimals beyond 2^53 go through their texts.
    """
    column, kind = _plain(column)
    types = pa.types
    if types.is_decimal(kind):
        return _decimals(column, kind)
    if kind == pa.uint64():
        most = pc.max(column).as_py()
        if most is not None and most >= 2**63:
            return _stored("number", column, pa.float64()), f"{kind} with values beyond 64 bits; kept as number, with about 15 digits"
    if types.is_boolean(kind):
        return _stored("boolean", column, pa.bool_()), ""
    if types.is_integer(kind):
        return _stored("integer", column, pa.int64()), ""
    if types.is_floating(kind):
        return _stored("number", column, pa.float64()), ""
    if types.is_date(kind):
        return _stored("date", column, pa.date32()), ""
    if types.is_timestamp(kind):
        done = f"moments in the zone {kind.tz}; kept as the clock of UTC shows them" if kind.tz else ""
        return _stored("datetime", column, pa.timestamp("us")), done
    if types.is_string(kind) or types.is_large_string(kind) or types.is_null(kind):
        return coded(column.cast(pa.string() if types.is_null(kind) else kind)), ""
    if types.is_string_view(kind):
        return coded(column.cast(pa.large_string())), ""
    return _as_text(column, kind)


def _plain(column: Any) -> tuple[Any, Any]:
    """A column without the wrappings of its type: dictionaries, runs, extensions."""
    column = column if isinstance(column, pa.ChunkedArray) else pa.chunked_array([column])
    while True:
        kind = column.type
        if pa.types.is_dictionary(kind):
            column = pa.chunked_array([c.dictionary_decode() for c in column.chunks], kind.value_type)
        elif pa.types.is_run_end_encoded(kind):
            column = pa.chunked_array([pc.run_end_decode(c) for c in column.chunks], kind.value_type)
        elif isinstance(kind, pa.BaseExtensionType):
            if kind.extension_name == "arrow.uuid":
                return pa.chunked_array([pa.array([None if x is None else str(x) for x in column.to_pylist()], pa.string())]), pa.string()
            column = pa.chunked_array([c.storage for c in column.chunks], kind.storage_type)
        else:
            return column, kind


def _stored(dtype: str, column: Any, target: Any) -> Vector:
    valid = np.asarray(pc.is_valid(column).to_numpy(), dtype=bool)
    filled = column.cast(target, safe=False)
    if dtype in ("date", "datetime"):
        filled = filled.cast(pa.int32() if dtype == "date" else pa.int64())
    raw = pc.fill_null(filled, False if dtype == "boolean" else 0).to_numpy()
    return checked(dtype, raw.astype(STORAGE[dtype]), valid)


def _decimals(column: Any, kind: Any) -> tuple[Vector, str]:
    valid = np.asarray(pc.is_valid(column).to_numpy(), dtype=bool)
    digits = _digits(column, kind)
    if kind.scale == 0 and digits is not None:
        return Vector("integer", np.where(valid, digits, 0), valid), f"{kind}; kept as integer"
    note = f"{kind}; kept as number, the nearest of 15 to 17 digits"
    if digits is not None and kind.scale <= MOST_TENS and (np.abs(digits[valid]) <= EXACT).all():
        # Both sides are doubles, so the quotient is the double nearest to the decimal.
        return Vector("number", np.where(valid, digits, 0) / 10.0**kind.scale, valid), note
    # By their texts: `float` reads the nearest double.
    values = [0.0 if x is None else float(x) for x in column.to_pylist()]
    return checked("number", np.array(values, np.float64), valid), note


def _digits(column: Any, kind: Any) -> Array | None:
    """int64[n]: decimals without their points; None where one does not fit."""
    if kind.scale < 0 or kind.precision > 38:
        return None
    if kind.bit_width != 128:
        column = column.cast(pa.decimal128(kind.precision, kind.scale))
    digits = [np.zeros(0, np.int64)]
    for chunk in column.chunks:
        buffer = chunk.buffers()[1]
        if buffer is None or not len(chunk):
            digits.append(np.zeros(len(chunk), np.int64))
            continue
        halves = np.frombuffer(buffer, "<i8", 2 * (chunk.offset + len(chunk))).reshape(-1, 2)[chunk.offset :]
        valid = np.asarray(chunk.is_valid().to_numpy(zero_copy_only=False), bool)
        low, high = np.where(valid, halves[:, 0], 0), np.where(valid, halves[:, 1], 0)
        if ((low >> 63) != high).any() or (low == np.iinfo(np.int64).min).any():
            return None
        digits.append(low)
    return np.concatenate(digits)


def _as_text(column: Any, kind: Any) -> tuple[Vector, str]:
    """What no column of a table holds: nested values as JSON, bytes as the text they spell or in hexadecimal, the rest as it is written."""
    values = column.to_pylist()
    if pa.types.is_nested(kind):
        texts = [None if x is None else json.dumps(x, default=str, ensure_ascii=False) for x in values]
        return _text_vector(texts), f"{str(kind)[:80]}; each value is kept as a JSON text"
    if any(isinstance(x, bytes) for x in values):
        try:
            return _text_vector([None if x is None else x.decode() for x in values]), f"{kind}; its bytes are UTF-8, and it is kept as text"
        except UnicodeDecodeError:
            return _text_vector([None if x is None else x.hex() for x in values]), f"{kind}; its bytes are kept as hexadecimal text"
    return _text_vector([None if x is None else str(x) for x in values]), f"{kind}; it is kept as text"


def _text_vector(texts: list[str | None]) -> Vector:
    return coded(pa.array(texts, pa.large_string()))


def to_arrow(v: Vector) -> Any:
    """A vector as an Arrow array."""
    if v.dtype == "text":
        codes = pa.array(v.data.astype(np.int32), mask=~v.valid)
        words = pa.array(v.words.tolist(), type=pa.string())
        return pa.DictionaryArray.from_arrays(codes, words).cast(pa.string()) if len(v.words) else pa.nulls(len(v), pa.string())
    if v.dtype == "date":
        return pa.array(v.data.astype(np.int32), mask=~v.valid).cast(pa.date32())
    if v.dtype == "datetime":
        return pa.array(v.data, mask=~v.valid).cast(pa.timestamp("us"))
    return pa.array(v.data, type=ARROW[v.dtype], mask=~v.valid)
