"""A package opened again: what was read of it is kept on disk, and taken from there as long as no file of it has changed."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

from nexorem.core.model.star import Star
from nexorem.disk.shelf import Shelf

DESCRIPTOR = "datapackage.json"


def own_shelf() -> Shelf:
    """Where a person's packages are kept: `nexorem/packages` in the folder that is theirs for what can be made again."""
    home = os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache"
    return Shelf(Path(home) / "nexorem" / "packages")


def opened(path: Path, shelf: Shelf | None = None) -> Star:
    """The model and rows of a package, as `open_package` reads and checks them; refuses as it does. Cost: where it was opened before and
    none of its files has changed, that of looking at their dates; a column is read from the disk when it is asked for."""
    shelf = shelf or own_shelf()
    key = _key(path)
    star = shelf.star(key) if key else None
    if star is None:
        from nexorem.package.read import open_package  # with all that reads files, which a package that is kept does not need

        star = open_package(path)
        if key:
            shelf.put_star(key, star)
    return star


def _key(path: Path) -> str | None:
    """What a package's star depends on: its files by place, size and times; None where they are not to be told."""
    with suppress(OSError, ValueError, TypeError, AttributeError, KeyError, RecursionError):
        root = path.resolve()
        if root.is_file():
            return json.dumps([str(root), _about(root)])
        return json.dumps([str(root), *([str(file), _about(file)] for file in _files(root))])
    return None


def _files(root: Path) -> Iterator[Path]:
    yield root / DESCRIPTOR
    for resource in json.loads((root / DESCRIPTOR).read_text("utf-8-sig"))["resources"]:
        paths = resource["path"]
        for name in [paths] if isinstance(paths, str) else paths:
            yield root / name


def _about(file: Path) -> list[int]:
    about = file.stat()
    return [about.st_ino, about.st_size, about.st_mtime_ns, about.st_ctime_ns]
