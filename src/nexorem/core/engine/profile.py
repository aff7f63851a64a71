"""What a column holds: type, distinct, empty, extremes, commonest values and a small histogram."""

from __future__ import annotations

from typing import Any

import numpy as np

from nexorem.core.model.star import Star
from nexorem.core.values import iso

BINS = 16
COMMONEST = 5


def profile(star: Star, table: str, column: str) -> dict[str, Any]:
    """The profile of one column. `histogram` counts equal steps from the smallest to the largest, or the first
    members of a text; empty for a column without values."""
    size = star.size(table)
    vector = star.column(table, column).take(np.arange(size))
    domain = star.domain(table, (column,))
    counts = np.bincount(domain.codes[:-1], minlength=domain.size)[:-1]
    members = star.column(table, column).take(domain.firsts[:-1])
    filled = np.flatnonzero(members.valid)
    most = filled[np.argsort(-counts[filled], kind="stable")][:COMMONEST]
    return {
        "column": column,
        "dtype": vector.dtype,
        "rows": size,
        "distinct": len(filled),
        "empty": int((~vector.valid).sum()),
        "smallest": iso(members.at(int(filled[0]))) if len(filled) else None,
        "largest": iso(members.at(int(filled[-1]))) if len(filled) else None,
        "commonest": [{"value": iso(members.at(int(m))), "count": int(counts[m])} for m in most],
        "histogram": _histogram(vector.dtype, vector.data[vector.valid], counts[filled]),
        "unique": bool(len(filled) == size and size > 0),
    }


def _histogram(dtype: str, data: Any, counts: Any) -> list[int]:
    if not len(data):
        return []
    if dtype in ("text", "boolean"):
        return [int(x) for x in np.sort(counts)[::-1][:BINS]]
    low, high = float(data.min()), float(data.max())
    if low == high:
        return [len(data)]
    places = ((data.astype(np.float64) - low) / (high - low) * BINS).astype(np.int64)
    return [int(x) for x in np.bincount(np.minimum(places, BINS - 1), minlength=BINS)]
