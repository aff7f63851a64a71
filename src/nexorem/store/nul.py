"""The one character that the store's texts cannot hold."""

from __future__ import annotations

from typing import Any

SHOWN = "␀"


def without_nul(value: Any) -> Any:
    """The same JSON with a sign in its place."""
    if isinstance(value, dict):
        return {str(k).replace("\0", SHOWN): without_nul(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [without_nul(x) for x in value]
    return value.replace("\0", SHOWN) if isinstance(value, str) else value
