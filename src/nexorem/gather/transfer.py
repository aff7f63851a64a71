"""A frame as a file: how rows come from the process that reads files."""

from __future__ import annotations

from pathlib import Path

from nexorem.disk.rows import read_rows, write_rows
from nexorem.gather.frame import Frame


def write_frame(frame: Frame, path: Path) -> None:
    """Writes rows, narrow as a star keeps them."""
    write_rows(path, frame.rows(), lasting=False)


def read_frame(path: Path) -> Frame:
    """What `write_frame` wrote, mapped: a column is read when somebody looks at it. Raises ValueError, or OSError."""
    return Frame.of(read_rows(path))
