"""Vectors: typed NumPy columns with empties.

A `Vector` has one entry a row or a cell. `data` holds, by dtype:

    integer int64 · number float64 · boolean bool · date int64 days since 1970-01-01
    datetime int64 microseconds since 1970-01-01 · text int32 places in `words`
    months, days, microseconds int64 (the three kinds of interval) · null int64 zeros

`valid` is False where the entry is empty; what `data` holds there means nothing (for text it is 0 or a place).
`words` is the dictionary of a text vector: distinct strings ascending by code point, so places compare as the texts do.
`failed` uint8[n] is None, or has for each entry whose computation failed its place in FAULTS, and 0 for the others; a failed entry is not
valid. Whatever is computed from it has failed too.
Arrays are never written to after a Vector is made.
"""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from nexorem.core.diagnostics import CellError
from nexorem.core.limits import SPENT
from nexorem.core.numbering import distinct_any, firsts_of, is_ascending, numbered, numbered_ascending, numbered_floats

Array = npt.NDArray[Any]
Value = None | bool | int | float | str | dt.date | dt.datetime
Cell = bool | int | float | str | None | dict[str, str]  # a cell as it is sent: a value, or `error` with the fault's code
Json = bool | int | float | str | None  # a value as it is sent: dates and times as texts of ISO 8601

COLUMN_TYPES = ("integer", "number", "text", "boolean", "date", "datetime")
INTERVALS = ("months", "days", "microseconds")
NUMERIC = ("integer", "number")
STORAGE: dict[str, type[np.generic]] = {
    "integer": np.int64,
    "number": np.float64,
    "boolean": np.bool_,
    "date": np.int64,
    "datetime": np.int64,
    "text": np.int32,
    "months": np.int64,
    "days": np.int64,
    "microseconds": np.int64,
    "null": np.int64,
}
FAULTS = (
    ("", ""),
    ("overflow", "A whole number grew beyond 64 bits."),
    ("limit_text_bytes", "A text grew beyond the characters that are allowed."),
)
FAULT_CODES = [code for code, _ in FAULTS]
EPOCH = dt.date(1970, 1, 1)
EPOCH_TIME = dt.datetime(1970, 1, 1)
NO_WORDS = np.empty(0, dtype=object)


@dataclass(frozen=True, slots=True, eq=False)
class Vector:
    """A typed column; see the module's text for the contract of its arrays."""

    dtype: str
    data: Array
    valid: Array
    words: Array = field(default_factory=lambda: NO_WORDS)
    failed: Array | None = None

    def __len__(self) -> int:
        return len(self.data)

    @property
    def nbytes(self) -> int:
        """The bytes of its arrays, words aside, which vectors share."""
        return int(self.data.nbytes + self.valid.nbytes + (self.failed.nbytes if self.failed is not None else 0))

    def take(self, places: Array) -> Vector:
        """The entries at `places`, in that order."""
        failed = None if self.failed is None else self.failed[places]
        return Vector(self.dtype, self.data[places], self.valid[places], self.words, failed)

    def failing(self, *failed: Array | None) -> Vector:
        """The vector with the entries of some more arrays failed, as `failed` tells them."""
        worst_of = worst(self.failed, *failed)
        return self if worst_of is self.failed or worst_of is None else replace(self, valid=self.valid & (worst_of == 0), failed=worst_of)

    def fault(self, place: int) -> tuple[str, str] | None:
        """Why an entry failed, as a code and a sentence."""
        code = int(self.failed[place]) if self.failed is not None else 0
        return FAULTS[code] if code else None

    def fault_code(self) -> str | None:
        """The code of what failed in the vector, if anything did."""
        worst_of_all = int(self.failed.max(initial=0)) if self.failed is not None else 0
        return FAULT_CODES[worst_of_all] if worst_of_all else None

    def as_json(self) -> list[Cell]:
        """All entries as JSON holds them: null where empty, {"error": code} where failed."""
        cells: list[Any] = self.tolist() if self.dtype in ("integer", "number", "boolean", "text") else [iso(v) for v in self.tolist()]
        if self.failed is not None:
            for place in np.flatnonzero(self.failed):
                cells[place] = {"error": FAULT_CODES[self.failed[place]]}
        return cells

    def true(self) -> Array:
        """For a boolean vector: where it is TRUE (empty is not)."""
        return np.asarray(self.data.astype(bool) & self.valid)

    def at(self, place: int) -> Value:
        """One entry as a Python value; empty is None."""
        return python_value(self.dtype, self.data[place], self.words) if self.valid[place] else None

    def tolist(self) -> list[Value]:
        """All entries as Python values."""
        if self.dtype in ("integer", "number", "boolean"):
            return [v if ok else None for v, ok in zip(self.data.tolist(), self.valid.tolist(), strict=True)]
        if self.dtype == "text" and len(self.words):
            return [str(v) if ok else None for v, ok in zip(self.words[self.data].tolist(), self.valid.tolist(), strict=True)]
        return [self.at(i) for i in range(len(self.data))]

    def codes(self) -> tuple[Array, int]:
        """Dense places of the distinct values, ascending, `size` where empty; and the number of distinct values."""
        if self.dtype == "text":
            return np.where(self.valid, self.data, len(self.words)).astype(np.int64), len(self.words)
        filled = self.data[self.valid]
        found, places = numbered(filled) if filled.dtype == np.int64 else numbered_floats(filled)
        count = len(found)
        codes = np.full(len(self.data), count, dtype=np.int64)
        codes[self.valid] = places
        return codes, count


def worst(*failed: Array | None) -> Array | None:
    """What failed in any of several arrays of faults; None where nothing did."""
    some = [f for f in failed if f is not None and f.any()]
    return np.maximum.reduce(some) if len(some) > 1 else some[0] if some else None


def faults(code: str, where: Array) -> Array | None:
    """An array of faults: this one at some places. None where there are none."""
    return np.where(where, FAULT_CODES.index(code), 0).astype(np.uint8) if where.any() else None


def python_value(dtype: str, raw: Any, words: Array) -> Value:
    """A stored entry as the Python value it stands for."""
    if dtype == "text":
        return str(words[raw])
    if dtype == "date":
        return EPOCH + dt.timedelta(days=int(raw))
    if dtype == "datetime":
        return EPOCH_TIME + dt.timedelta(microseconds=int(raw))
    if dtype == "boolean":
        return bool(raw)
    return float(raw) if dtype == "number" else int(raw)


def stored_value(dtype: str, value: Any) -> Any:
    """A Python value as it is stored in `data`; text is not handled here."""
    if dtype == "date":
        return (value - EPOCH).days
    if dtype == "datetime":
        return (value - EPOCH_TIME) // dt.timedelta(microseconds=1)
    return value


def vector(dtype: str, values: Iterable[Value]) -> Vector:
    """A vector from Python values, None for empty. A number that is no finite number becomes empty."""
    listed = list(values)
    valid = np.array([v is not None and not (isinstance(v, float) and not math.isfinite(v)) for v in listed], bool)
    if dtype == "text":
        return encode(np.array([v if v is not None else "" for v in listed], dtype=object), valid)
    zero = dt.date(1970, 1, 1) if dtype == "date" else EPOCH_TIME if dtype == "datetime" else 0
    raw = [stored_value(dtype, v if ok else zero) for v, ok in zip(listed, valid, strict=True)]
    return Vector(dtype, np.array(raw, dtype=STORAGE[dtype]), valid)


def encode(texts: Array, valid: Array) -> Vector:
    """Dictionary-codes an object array of strings."""
    words, places = np.unique(texts[valid], return_inverse=True) if valid.any() else (NO_WORDS, NO_WORDS)
    data = np.zeros(len(texts), dtype=np.int32)
    data[valid] = places
    return Vector("text", data, valid, words)


def constant(dtype: str, value: Value, size: int) -> Vector:
    """`size` times the same value."""
    if value is None:
        return empties(dtype, size)
    if dtype == "text":
        return Vector("text", np.zeros(size, np.int32), np.ones(size, bool), np.array([value], dtype=object))
    return Vector(dtype, np.full(size, stored_value(dtype, value), dtype=STORAGE[dtype]), np.ones(size, bool))


def empties(dtype: str, size: int) -> Vector:
    """`size` empties."""
    return Vector(dtype, np.zeros(size, STORAGE[dtype]), np.zeros(size, bool))


def same_words(vectors: Sequence[Vector]) -> list[Vector]:
    """Text vectors recoded to one common dictionary, so that their places compare."""
    first = vectors[0].words
    if all(v.words is first for v in vectors):
        return list(vectors)
    filled = [v.words for v in vectors if len(v.words)]
    words = distinct_any(np.concatenate(filled)) if filled else NO_WORDS
    recoded = []
    for v in vectors:
        places = np.searchsorted(words, v.words).astype(np.int32) if len(v.words) else np.zeros(1, np.int32)
        recoded.append(Vector("text", places[v.data], v.valid, words, v.failed))
    return recoded


CALLS_AT_ONCE = 32  # of a function, between two looks at the budget
BYTES_A_CHARACTER = 3  # of a text that is made, kept and numbered


def by_distinct(dtype: str, function: Callable[..., Value], arguments: Sequence[Vector]) -> Vector:
    """Calls a Python function once for each distinct combination of non-empty arguments.

    An empty argument, and a None from the function, give empty; a `CellError` from it fails the entries of the combination. This is how
    functions of text stay cheap on long columns: their cost follows the number of distinct values.
    """
    size = len(arguments[0])
    valid = np.logical_and.reduce([a.valid for a in arguments])
    live = [a.take(valid.nonzero()[0]) for a in arguments]
    groups, firsts = combine([a.codes() for a in live])
    results: list[Value] = []
    broken = np.zeros(len(firsts), np.uint8)
    budget, made = SPENT.get(), 0
    for place, given in enumerate(zip(*(a.take(firsts).tolist() for a in live), strict=True)):
        if budget and place % CALLS_AT_ONCE == 0:
            made += sum(len(x) for x in results[-CALLS_AT_ONCE:] if isinstance(x, str))
            budget.take(made, BYTES_A_CHARACTER, "Texts that a function makes")
        try:
            results.append(function(*given))
        except CellError as error:
            results.append(None)
            broken[place] = FAULT_CODES.index(error.code)
    part = vector(dtype, results).failing(broken).take(groups)
    data = np.zeros(size, dtype=part.data.dtype)
    data[valid] = part.data
    filled = np.zeros(size, bool)
    filled[valid] = part.valid
    failed = None
    if part.failed is not None:
        failed = np.zeros(size, np.uint8)
        failed[valid] = part.failed
    return Vector(dtype, data, filled, part.words, failed)


def combine(coded: Sequence[tuple[Array, int]]) -> tuple[Array, Array]:
    """Numbers the distinct combinations of several code columns, ascending by the first, then the second, …

    Each item is (codes of any whole type, size), codes from 0 to size inclusive. Returns the combination's number for each row
    (int64) and, for each combination, the first row that shows it. Cost: a pass where they lie close together or are ascending
    already, else one sort.
    """
    key = keys_of(coded)
    span = math.prod(size + 1 for _, size in coded)
    if key is not None and span <= 4 * len(key) + 65_536:
        # A small key space is counted instead of sorted: one pass, and the first row wins by writing backwards.
        first_of = np.full(span, -1, dtype=np.int64)
        first_of[key[::-1]] = np.arange(len(key) - 1, -1, -1)
        seen = first_of >= 0
        return (np.cumsum(seen) - 1)[key], first_of[seen]
    if key is not None and is_ascending(key):
        return numbered_ascending(key)
    return firsts_of(key if key is not None and span < _room(len(key)) else _narrowed(coded))


def keys_of(coded: Sequence[tuple[Array, int]]) -> Array | None:
    """int64: one whole number for the codes of each row, in the order of the first, then the second, …; None where none is large enough."""
    if math.prod(size + 1 for _, size in coded) >= 2**62:
        return None
    key: Array | None = None
    for codes, size in coded:
        key = codes.astype(np.int64, copy=False) if key is None else key * (size + 1) + codes.astype(np.int64, copy=False)
    assert key is not None
    return key


def _room(count: int) -> int:
    """How large numbers may be that carry their places along when they are sorted."""
    return int(2 ** (62 - count.bit_length()))


def _narrowed(coded: Sequence[tuple[Array, int]]) -> Array:
    """`keys_of`, numbered anew where they would be too large to be sorted."""
    key, span = coded[0][0].astype(np.int64, copy=False), coded[0][1] + 1
    for codes, size in coded[1:]:
        if span * (size + 1) >= _room(len(key)):
            key = numbered(key)[1]
            span = int(key.max(initial=0)) + 1
        key, span = key * (size + 1) + codes.astype(np.int64, copy=False), span * (size + 1)
    return key


def iso(value: Value) -> Json:
    """A value as JSON holds it: dates after ISO 8601, the rest as it is."""
    if isinstance(value, dt.datetime):
        return value.isoformat()
    return value.isoformat() if isinstance(value, dt.date) else value
