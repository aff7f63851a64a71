"""Numbers as people write them, read all at once where that gives what reading them one by one would."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nexorem.core.values import Array

MANY = 10_000  # rows that are worth a way of their own


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
    filled = None
    if texts.null_count:
        filled = np.asarray(pc.is_valid(texts).to_numpy(zero_copy_only=False), dtype=bool)
        texts = pc.fill_null(texts, "")  # under an empty one there may be what it was made from
    data = (numbers if filled is None else pc.fill_null(numbers, 0)).to_numpy(zero_copy_only=False)
    if kind == "number":
        # With a sign before it, a whole number is one still.
        return (data, filled) if np.isfinite(data).all() and not (bytes_of(texts)[0] == ord("+")).any() else None
    return (data, filled) if not strictly or _as_written(texts) else None


def _as_written(texts: Any) -> bool:
    """Whether texts that are whole numbers to Arrow are so to a person: digits alone, and no zeros before them."""
    written, ends = bytes_of(texts)
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


def bytes_of(texts: Any) -> tuple[Array, Array]:
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
