"""The one character that the store's texts cannot hold."""

from __future__ import annotations

from typing import Any

SHOWN = "␀"


def without_nul(found: Any) -> Any:
    """The same JSON with a sign in its place."""
    if isinstance(found, dict):
        return {str(k).replace("\0", SHOWN): without_nul(v) for k, v in found.items()}
    if isinstance(found, list | tuple):
        return [without_nul(x) for x in found]
    return found.replace("\0", SHOWN) if isinstance(found, str) else found
