"""Waiting for something to be so, as short as it takes."""

import threading


def until(so, seconds=180.0, every=0.02):
    """Waits until `so()` gives something true, and gives that; fails where it never does."""
    for _ in range(int(seconds / every)):
        found = so()
        if found:
            return found
        threading.Event().wait(every)
    raise AssertionError(f"not within {seconds} s")
