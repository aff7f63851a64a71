"""Column data in the store: Arrow with lz4, in parts."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa
from sqlalchemy import Connection, insert, select

from nexorem.core.model.star import Star, TableRows, table_rows
from nexorem.core.values import STORAGE, Vector
from nexorem.store import tables

PART_ROWS = 1_000_000


def pack(v: Vector) -> bytes:
    """A vector as two Arrow streams: data with valid, then words."""
    entries = pa.record_batch({"data": pa.array(v.data), "valid": pa.array(v.valid)})
    words = pa.record_batch({"words": pa.array(v.words.tolist(), type=pa.large_string())})
    sink = pa.BufferOutputStream()
    for batch in (entries, words):
        with pa.ipc.new_stream(sink, batch.schema, options=pa.ipc.IpcWriteOptions(compression="lz4")) as writer:
            writer.write_batch(batch)
    return bytes(sink.getvalue())


def unpack(dtype: str, data: bytes) -> Vector:
    """What `pack` wrote."""
    source = pa.BufferReader(data)
    parts = pa.ipc.open_stream(source).read_all()
    words = pa.ipc.open_stream(source).read_all().column("words").to_pylist()
    raw = parts.column("data").to_numpy()
    valid = parts.column("valid").to_numpy()
    return Vector(dtype, raw.astype(STORAGE[dtype]), valid.astype(bool), np.array(words, dtype=object))


def save_rows(connection: Connection, model_id: int, star: Star) -> None:
    """Writes every stored column of every stored table; what is computed is computed again."""
    for table in (x for x in star.model.tables if not x.formula):
        name, rows = table.name, star.rows[table.name]
        computed = {c.name for c in table.columns if c.formula}
        connection.execute(insert(tables.table_rows).values(model_id=model_id, table_name=name, size=rows.size))
        for column, kept in rows.columns.items():
            if column in computed:
                continue
            vector = kept.rows()
            for item in _parts(vector, rows.size):
                connection.execute(
                    insert(tables.column_part).values(model_id=model_id, table_name=name, column_name=column, dtype=vector.dtype, **item)
                )


def _parts(vector: Vector, size: int) -> Iterator[dict[str, object]]:
    starts = range(0, max(size, 1), PART_ROWS)
    for part, start in enumerate(starts):
        piece = vector.take(np.arange(start, min(start + PART_ROWS, size)))
        if part:  # the dictionary travels once
            piece = Vector(piece.dtype, piece.data, piece.valid)
        yield {"part": part, "last": part == len(starts) - 1, "data": pack(piece)}


def load_rows(connection: Connection, model_id: int) -> dict[str, TableRows]:
    """The rows of every table of a model."""
    sizes = {r.table_name: r.size for r in connection.execute(select(tables.table_rows).where(tables.table_rows.c.model_id == model_id))}
    part = tables.column_part
    query = select(part).where(part.c.model_id == model_id).order_by(part.c.table_name, part.c.column_name, part.c.part)
    found: dict[str, dict[str, list[Vector]]] = {name: {} for name in sizes}
    for row in connection.execute(query):
        found[row.table_name].setdefault(row.column_name, []).append(unpack(row.dtype, row.data))
    return {name: table_rows(sizes[name], {c: _joined(v) for c, v in columns.items()}) for name, columns in found.items()}


def _joined(parts: list[Vector]) -> Vector:
    if len(parts) == 1:
        return parts[0]
    data, valid = np.concatenate([p.data for p in parts]), np.concatenate([p.valid for p in parts])
    return Vector(parts[0].dtype, data, valid, parts[0].words)
