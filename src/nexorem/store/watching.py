"""Looking at something now and then, beside what is done."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager


@contextmanager
def watched(look: Callable[[], bool], seconds: float, name: str) -> Iterator[None]:
    """While it is entered, `look` is called every so many seconds in a thread of its own, until it says that it has seen enough."""
    over = threading.Event()

    def watch() -> None:
        while not over.wait(seconds):
            if look():
                return

    thread = threading.Thread(target=watch, name=name, daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()
