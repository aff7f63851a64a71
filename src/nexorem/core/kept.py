"""What was derived once and is kept until something newer needs the room; shared between threads."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar, cast

from cachetools import LRUCache

from nexorem.core.values import Array

Made = TypeVar("Made")
MOST_ASKED = 10_000


class Kept:
    """The `most` entries that were used last, by key."""

    def __init__(self, most: int) -> None:
        self._entries: LRUCache[Hashable, Any] = LRUCache(most)
        self._lock = threading.Lock()

    def kept(self, key: Hashable, make: Callable[[], Made]) -> Made:
        """The entry of a key, made where there is none. Two threads may both make it; one of the two is kept."""
        entry = self.get(key)
        if entry is None:
            entry = self.put(key, make())
        return cast(Made, entry)

    def get(self, key: Hashable) -> Any:
        """The entry of a key, or None."""
        with self._lock:
            return self._entries.get(key)

    def put(self, key: Hashable, entry: Made) -> Made:
        """Keeps an entry."""
        with self._lock:
            self._entries[key] = entry
        return entry


class Again:
    """Arrays that are worth their room only to those who ask again, made when they are asked for the second time: by table and key. Each
    table keeps the few that were used last."""

    def __init__(self, most: int) -> None:
        self._most, self._lock = most, threading.Lock()
        self._kept: dict[str, dict[object, Array]] = {}
        self._asked: set[object] = set()

    def get(self, table: str, key: object, make: Callable[[], Array] | None = None) -> Array | None:
        """What is kept for a key; what `make` makes where it was asked to before; else None."""
        with self._lock:
            kept = self._kept.setdefault(table, {})
            array = kept.pop(key, None)
            again = make is not None and (table, key) in self._asked
            if array is None and make is not None:
                if len(self._asked) > MOST_ASKED:
                    self._asked.clear()
                self._asked.add((table, key))
        # Others go on meanwhile, and two who want the same at once both make it.
        if array is None and make is not None and again:
            array = make()
        if array is not None:
            with self._lock:
                kept[key] = array
                while len(kept) > self._most:
                    del kept[next(iter(kept))]
        return array

    def forget(self) -> None:
        """Lets go of all."""
        with self._lock:
            self._kept.clear()

    def bytes(self, table: str | None = None) -> int:
        """What is kept of a table, or of all."""
        of = list(self._kept.values()) if table is None else [self._kept.get(table, {})]
        return sum(array.nbytes for kept in of for array in list(kept.values()))
