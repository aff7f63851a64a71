"""Models in memory under one bound: what is derived goes first, then whole models, those used longest ago before others. On disk stands
what they are opened from again.
"""

from __future__ import annotations

import json
import logging
import os
import threading
import time
import weakref
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from nexorem.core.engine.computed import made_for
from nexorem.core.model.model import Model, Table, model_json
from nexorem.core.model.rows import Chosen, TableRows
from nexorem.core.model.star import Star
from nexorem.disk.rows import held_bytes
from nexorem.disk.shelf import Shelf
from nexorem.gather.shape import Frames
from nexorem.store.models import Stored

Signatures = dict[str, str]
Opened = tuple[Stored, Star, Signatures]
WORTH_KEEPING = 100_000  # rows of a table: fewer are made anew as fast
SHARE = 0.5  # of the machine's memory
IDLE = 30 * 60.0  # seconds after which a model that nobody uses leaves memory
EVERY = 5.0  # seconds between two looks at what is taken
SETTLED = 3.0  # seconds without another edit, after which a model's state is kept on disk
log = logging.getLogger(__name__)


@dataclass(slots=True)
class _Held:
    """A model in memory: when it was used last, and since when its state is not on disk (None: it is)."""

    opened: Opened
    key: str
    rows: Mapping[str, str]  # what the rows of its tables are kept under
    used: float
    unkept: float | None = field(default=None)


class Memory:
    """Safe to share between threads. `most` is the bound in bytes; `clock` tells seconds that never run back."""

    def __init__(self, folder: Path, frames: Frames, most: int | None = None, clock: Callable[[], float] = time.monotonic) -> None:
        self.shelf = Shelf(folder)
        self.frames, self.clock = frames, clock
        self.most = most or int(SHARE * os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES"))
        self._held: dict[int, _Held] = {}
        self._lock = threading.Lock()
        self._ended = threading.Event()
        self._process = 0  # in which somebody looks after it: threads are not taken along to a process that is forked
        self._writer: ThreadPoolExecutor | None = None
        self.opened: Callable[[Star], None] = lambda star: None  # told of every star that comes into memory

    def __len__(self) -> int:
        return len(self._held)

    def get(self, model_id: int) -> Opened | None:
        """A model as it was put, if it is here."""
        held = self._held.get(model_id)
        if held is None:
            return None
        held.used = self.clock()
        return held.opened

    def put(self, model_id: int, opened: Opened, keys: Mapping[str, str]) -> None:
        """Holds a model; `keys` are those that its tables' rows are kept under."""
        now, star = self.clock(), opened[1]
        many = not star.stay and any(rows.size >= WORTH_KEEPING for rows in star.rows.values())
        key = star_key(opened[0].model, keys) if many and all(opened[2].values()) else ""
        with self._lock:
            self._held[model_id] = _Held(opened, key, keys, now, now if key else None)
            if self._process != os.getpid():
                self._process = os.getpid()
                threading.Thread(target=_look_after, args=(weakref.ref(self), self._ended), name="nexorem-memory", daemon=True).start()
        self.opened(star)

    def forget(self, model_id: int) -> None:
        """Lets a model go."""
        with self._lock:
            self._held.pop(model_id, None)

    def bytes(self) -> int:
        """What all models take, of columns that stand on disk only what is derived of them."""
        return self.frames.nbytes + sum(_bytes(held.opened[1]) for held in list(self._held.values()))

    def keep_within(self) -> None:
        """Lets go of what is beyond the bound, and of models that nobody uses. Cost: nothing to speak of, while there is room."""
        now = self.clock()
        for model_id, held in list(self._held.items()):
            if now - held.used > IDLE:
                self._let_go(model_id, held)
        if self.bytes() <= self.most:
            return
        self.frames.clear()
        oldest = sorted(self._held.items(), key=lambda x: x[1].used)
        for _, held in oldest:
            if self.bytes() <= self.most:
                return
            held.opened[1].derived.forget()
        for model_id, held in oldest:
            if self.bytes() <= self.most:
                return
            self._let_go(model_id, held)

    def keep_on_disk(self, settled: float = SETTLED) -> None:
        """Writes the state of models that nobody has edited for some seconds."""
        for held in list(self._held.values()):
            if held.unkept is not None and self.clock() - held.unkept >= settled:
                self._keep(held)

    def close(self) -> None:
        """Writes what is not yet on disk."""
        self._ended.set()
        with self._lock:
            writer, self._writer = self._writer, None
        if writer:
            writer.shutdown()
        self.keep_on_disk(0.0)

    def star(self, model: Model, keys: Mapping[str, str]) -> Star | None:
        """The star of a model as it was kept, with what is computed."""
        kept = self.shelf.star(star_key(model, keys))
        return made_for(kept, model) if kept else None

    def rows(self, key: str, table: Table) -> TableRows | None:
        """Rows of a table that were kept, with the columns that it has now."""
        kept = self.shelf.rows(key)
        have = [c.name for c in table.columns if not c.formula]
        return TableRows(kept.size, Chosen.of(kept.columns, have)) if kept is not None and set(have) == set(kept.columns) else None

    def keep_rows(self, key: str, rows: TableRows) -> None:
        """Writes rows, later, where they are many."""
        if rows.size >= WORTH_KEEPING and not self._ended.is_set():
            with self._lock:
                self._writer = self._writer or ThreadPoolExecutor(1, "nexorem-shelf")
                self._writer.submit(self.shelf.put_rows, key, rows)

    def _let_go(self, model_id: int, held: _Held) -> None:
        if held.unkept is not None:
            self._keep(held)
        with self._lock:
            if self._held.get(model_id) is held:
                del self._held[model_id]

    def _keep(self, held: _Held) -> None:
        held.unkept = None
        self.shelf.put_star(held.key, held.opened[1], held.rows)


def _look_after(memory_of: weakref.ref[Memory], ended: threading.Event) -> None:
    while not ended.wait(EVERY):
        memory = memory_of()
        if memory is None:
            return
        try:
            memory.keep_on_disk()
            memory.keep_within()
        except Exception:
            log.exception("what is in memory could not be looked after")
        del memory


def row_keys(signatures: Signatures, times: Mapping[int, str]) -> dict[str, str]:
    """What the rows of each table are kept under: all that they are made of, with the moments at which its loads were made: a number
    alone may name other rows where a store was restored."""
    return {name: json.dumps([signature, sorted(times.items())]) for name, signature in signatures.items()}


def star_key(model: Model, keys: Mapping[str, str]) -> str:
    """What a star is kept under: its model's whole state, and what its rows are made of."""
    return json.dumps([model_json(model), dict(keys)], sort_keys=True)


def _bytes(star: Star) -> int:
    return star.derived.all_bytes() + sum(held_bytes(rows.columns) for rows in star.rows.values())
