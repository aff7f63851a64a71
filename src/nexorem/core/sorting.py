"""Rows in the order of their codes, by counting, in a compiled loop. Imported when it is needed: the compiler takes a while to load."""

from __future__ import annotations

import numpy as np
from numba import njit

from nexorem.core.values import Array


def rows_by_code(codes: Array, starts: Array) -> Array:
    """uint32[n]: the rows of each code, one code after the other and each in its order; code c has the places from starts[c] up to
    starts[c + 1]. Cost: one pass, a tenth of a sort's."""
    rows = np.empty(len(codes), np.uint32)
    _place(codes, starts[:-1].astype(np.int64), rows)
    return rows


@njit(nogil=True, cache=True, boundscheck=False)
def _place(codes: Array, free: Array, rows: Array) -> None:
    for row in range(len(codes)):
        code = codes[row]
        rows[free[code]] = row
        free[code] += 1
