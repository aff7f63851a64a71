"""What was derived once and is kept until something newer needs the room; shared between threads."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar, cast

from cachetools import LRUCache

Made = TypeVar("Made")


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
