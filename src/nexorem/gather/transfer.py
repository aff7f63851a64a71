"""A frame as files in a folder, narrow and quick to read: how rows come from the process that reads files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from nexorem.core.columns import narrow
from nexorem.core.values import STORAGE, Vector
from nexorem.gather.frame import Frame
from nexorem.package.words import object_words


def write_frame(frame: Frame, folder: Path) -> list[dict[str, Any]]:
    """Writes each column; gives what `read_frame` needs to know of them."""
    folder.mkdir(parents=True)
    columns_told = []
    for number, (name, v) in enumerate(frame.columns.items()):
        whole = v.dtype not in ("number", "boolean")
        np.save(folder / f"{number}.data.npy", narrow(np.where(v.valid, v.data, 0)) if whole else v.data)
        full = bool(v.valid.all())
        if not full:
            np.save(folder / f"{number}.valid.npy", v.valid)
        if v.dtype == "text":
            batch = pa.record_batch({"words": pa.array(v.words.tolist(), type=pa.large_string())})
            with pa.ipc.new_file(str(folder / f"{number}.words"), batch.schema) as writer:
                writer.write_batch(batch)
        columns_told.append({"name": name, "dtype": v.dtype, "full": full})
    return columns_told


def read_frame(size: int, columns: Sequence[Mapping[str, Any]], folder: Path) -> Frame:
    """What `write_frame` wrote."""
    columns_read = {}
    for number, described in enumerate(columns):
        data = np.load(folder / f"{number}.data.npy").astype(STORAGE[described["dtype"]], copy=False)
        valid = np.ones(size, bool) if described["full"] else np.load(folder / f"{number}.valid.npy")
        if described["dtype"] == "text":
            with pa.ipc.open_file(str(folder / f"{number}.words")) as reader:
                columns_read[described["name"]] = Vector("text", data, valid, object_words(reader.get_batch(0).column(0)))
        else:
            columns_read[described["name"]] = Vector(described["dtype"], data, valid)
    return Frame(size, columns_read)
