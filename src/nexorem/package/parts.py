"""A vector as bytes and back: two Arrow streams, its data with where it is filled, then its words."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from nexorem.core.values import STORAGE, Vector


def pack(v: Vector, compression: str | None = "lz4") -> bytes:
    """A vector as two Arrow streams: data with valid, then words. Whole numbers and places may be narrower than a vector has them."""
    entries = pa.record_batch({"data": pa.array(v.data), "valid": pa.array(v.valid)})
    words = pa.record_batch({"words": pa.array(v.words.tolist(), type=pa.large_string())})
    sink = pa.BufferOutputStream()
    for batch in (entries, words):
        with pa.ipc.new_stream(sink, batch.schema, options=pa.ipc.IpcWriteOptions(compression=compression)) as writer:
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
