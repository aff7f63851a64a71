"""Arrays in a file, with what is said of them: mapped into memory, so that what nobody looks at is never read.

A file is MAGIC, the length and the CRC-32 of its head (two uint64), the head as JSON, then the arrays, each at a multiple of 64 bytes. It
is written beside its place and moved there when all of it has reached the disk: a file is whole, or it is not there.
"""

from __future__ import annotations

import json
import mmap
import os
import struct
import tempfile
import zlib
from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np

from nexorem.core.values import Array

MAGIC = b"nexorem arrays 1"
AFTER = struct.Struct("<16sQQ")
ALIGNED = 64


class Unreadable(ValueError):
    """A file that is none of ours, or not all of one."""


def write_arrays(path: Path, said: Mapping[str, Any], arrays: Sequence[Array], lasting: bool = True) -> int:
    """Writes arrays of one dimension with what is said of them, as JSON. Gives the bytes that it takes; OSError where the disk has no
    room. Cost: what the disk takes for them; where they need not be `lasting`, nobody waits for it."""
    places: list[tuple[int, str, int]] = []
    at = 0
    for array in arrays:
        places.append((at, array.dtype.str, len(array)))
        at += -(-array.nbytes // ALIGNED) * ALIGNED
    head = json.dumps({"said": said, "arrays": places, "bytes": at}).encode()
    start = -(-(AFTER.size + len(head)) // ALIGNED) * ALIGNED
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=".writing-")
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(AFTER.pack(MAGIC, len(head), zlib.crc32(head)))
            out.write(head)
            for array, (place, _, _) in zip(arrays, places, strict=True):
                out.seek(start + place)
                out.write(np.ascontiguousarray(array).view(np.uint8).data if len(array) else b"")
            out.truncate(start + at)
            if lasting:
                out.flush()
                os.fsync(out.fileno())
        os.replace(name, path)
    except BaseException:
        with suppress(OSError):
            os.unlink(name)
        raise
    return start + at


class Arrays:
    """A file of arrays. What is `said` of them is read at once; an array is mapped when it is asked for, and may be written to without
    the file changing."""

    def __init__(self, path: Path) -> None:
        """Raises Unreadable, or OSError where there is no such file."""
        with path.open("rb") as file:
            first = file.read(AFTER.size)
            if len(first) < AFTER.size:
                raise Unreadable(f"{path.name} is too short.")
            magic, length, checksum = AFTER.unpack(first)
            size = os.fstat(file.fileno()).st_size
            head = file.read(length) if magic == MAGIC and length < size else b""
            if not head or zlib.crc32(head) != checksum:
                raise Unreadable(f"{path.name} is no file of arrays.")
            told = json.loads(head)
            start = -(-(AFTER.size + length) // ALIGNED) * ALIGNED
            if start + told["bytes"] != size:
                raise Unreadable(f"{path.name} is cut off.")
            # Private: compiled loops take arrays that may be written to, and would be compiled anew for others.
            self._map = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_COPY)
        self.said: dict[str, Any] = told["said"]
        self._places: list[tuple[int, str, int]] = [(start + at, dtype, size) for at, dtype, size in told["arrays"]]

    def __getitem__(self, number: int) -> Array:
        at, dtype, size = self._places[number]
        return np.frombuffer(self._map, np.dtype(dtype), size, at) if size else np.zeros(0, np.dtype(dtype))
