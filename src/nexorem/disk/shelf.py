"""Rows and whole stars on disk, by what they were made from. All of it is made again from the store or the package where it is gone: the
folder may be thrown away at any time.
"""

from __future__ import annotations

import hashlib
import os
import shutil
from array import array
from collections.abc import Iterable, Mapping
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

import nexorem
from nexorem.core.model.derived import Derived
from nexorem.core.model.model import Link, model_from_json, model_json
from nexorem.core.model.proven import LinkFacts
from nexorem.core.model.rows import Chosen, TableRows
from nexorem.core.model.star import Star
from nexorem.core.values import Array
from nexorem.disk.arrays import Arrays, Unreadable, write_arrays
from nexorem.disk.rows import read_rows, write_rows

MOST_BYTES = 16 * 1024**3
FREE_SHARE = 4  # of what the disk has free, one part of so many at most
ROWS, STAR = ".rows", ".star"


class Shelf:
    """A folder of rows and stars by key; those used longest ago go first where `most` bytes are reached. What cannot be written is not
    kept, and what cannot be read is not there. Several processes may share a folder."""

    def __init__(self, folder: Path, most: int = MOST_BYTES) -> None:
        self.folder, self.most = folder, most

    def rows(self, key: str) -> TableRows | None:
        """The rows that were put under a key."""
        path = self._path(key, ROWS)
        with suppress(OSError, Unreadable, KeyError, ValueError):
            rows = read_rows(path)
            os.utime(path)
            return rows
        return None

    def put_rows(self, key: str, rows: TableRows) -> None:
        """Keeps rows."""
        path = self._path(key, ROWS)
        with suppress(OSError):
            if not path.exists() and self._has_room(_bytes(rows)):
                write_rows(path, rows)
                self._make_room()

    def star(self, key: str) -> Star | None:
        """The star that was put under a key, with what its rows prove of its links."""
        path = self._path(key, STAR)
        with suppress(OSError, Unreadable, KeyError, ValueError):
            kept = Arrays(path)
            os.utime(path)
            rows = {}
            for name, said in kept.said["tables"].items():
                parts = [self.rows(part) for part in said["parts"]]
                if any(part is None or part.size != said["size"] for part in parts):
                    return None
                columns = {c: part.columns for part in parts if part for c in part.columns}
                rows[name] = TableRows(said["size"], Chosen(columns, said["columns"]))
            model = model_from_json(kept.said["model"], later=True)
            derived = Derived(rows)
            for said in kept.said["facts"]:
                repeated, from_repeated = (array("q", kept[i].tobytes()) for i in said["repeated"])
                facts = LinkFacts(said["matched"], said["orphans"], said["empty"], repeated, from_repeated, said["key_empty"])
                derived.know(said["from"][0], tuple(said["from"][1]), said["to"][0], tuple(said["to"][1]), facts)
            return Star(model, rows, derived)
        return None

    def put_star(self, key: str, star: Star, stored: Mapping[str, str] | None = None) -> None:
        """Keeps a star. Of a table in `stored` the rows under that key are kept by themselves, and only the columns that are not among
        them are written here."""
        path = self._path(key, STAR)
        if star.stay or path.exists():
            return
        tables: dict[str, Any] = {}
        for name, rows in star.rows.items():
            apart = (stored or {}).get(name)
            there = self.rows(apart) if apart else None
            parts = [apart] if apart and there else []
            own = [c for c in rows.columns if not there or c not in there.columns]
            if own or not parts:
                parts.append(f"{key} {name}")
                self.put_rows(parts[-1], TableRows(rows.size, Chosen.of(rows.columns, own)))
            tables[name] = {"size": rows.size, "parts": parts, "columns": list(rows.columns)}
        arrays: list[Array] = []
        facts = [_facts_json(link, star.facts(link), arrays) for link in star.model.links]
        with suppress(OSError):
            self.folder.mkdir(parents=True, exist_ok=True)
            write_arrays(path, {"model": model_json(star.model), "tables": tables, "facts": facts}, arrays)

    def _path(self, key: str, ending: str) -> Path:
        return self.folder / (hashlib.sha256(f"{program()}\n{key}".encode()).hexdigest()[:40] + ending)

    def _has_room(self, more: int) -> bool:
        """Whether some bytes more can be kept at all."""
        self.folder.mkdir(parents=True, exist_ok=True)
        return more <= min(self.most, shutil.disk_usage(self.folder).free // FREE_SHARE)

    def _make_room(self) -> None:
        """Lets go of what was used longest ago, beyond the bound."""
        taken = 0
        for path, about in sorted(self._files(), key=lambda x: x[1].st_mtime_ns, reverse=True):
            taken += about.st_size
            if taken > self.most:
                with suppress(OSError):
                    path.unlink()

    def _files(self) -> Iterable[tuple[Path, os.stat_result]]:
        for entry in os.scandir(self.folder):
            with suppress(OSError):
                yield Path(entry.path), entry.stat()


@cache
def program() -> str:
    """What tells one state of the program from another: what an older one made is made anew."""
    root = Path(nexorem.__file__).parent
    files = sorted((str(p.relative_to(root)), p.stat().st_size, p.stat().st_mtime_ns) for p in root.rglob("*.py"))
    return f"{nexorem.__version__} {hashlib.sha256(repr(files).encode()).hexdigest()}"


def _bytes(rows: TableRows) -> int:
    return sum(c.bytes() for c in rows.columns.values())


def _facts_json(link: Link, facts: LinkFacts, arrays: list[Array]) -> dict[str, Any]:
    places = []
    for repeated in (facts.repeated, facts.from_repeated):
        places.append(len(arrays))
        arrays.append(np.frombuffer(repeated, np.int64) if repeated else np.zeros(0, np.int64))
    said = {"matched": facts.matched, "orphans": facts.orphans, "empty": facts.empty, "key_empty": facts.key_empty, "repeated": places}
    return said | {"from": [link.from_table, link.from_columns], "to": [link.to_table, link.to_columns]}
