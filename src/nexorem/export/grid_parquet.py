"""A grid as Parquet: tidy, one line a cell."""

from __future__ import annotations

import io

import pyarrow as pa
import pyarrow.parquet as pq

from nexorem.core.engine.grid import Grid
from nexorem.core.limits import Budget
from nexorem.export.grids import EMPTY, TOTALLED
from nexorem.package.arrow import ARROW


def parquet_bytes(grid: Grid, budget: Budget) -> bytes:
    """The tidy answer with typed columns. An axis column is text where it has members that are no value: totals, (empty), (unmatched)."""
    tidy = list(grid.tidy())
    fields: dict[str, pa.Array] = {}
    for table, column in (*grid.probe.rows, *grid.probe.columns):
        name = f"{table}.{column}"
        texts = [TOTALLED if name not in cell else EMPTY if cell[name] is None else str(cell[name]) for cell in tidy]
        fields[name] = pa.array(texts, pa.string())
    for name, dtype, vector in zip(grid.probe.measures, grid.dtypes, grid.values, strict=True):
        fields[name] = pa.array(vector.tolist(), ARROW.get(dtype, pa.string()))
    out = io.BytesIO()
    pq.write_table(pa.table(fields), out, compression="zstd")
    return out.getvalue()
