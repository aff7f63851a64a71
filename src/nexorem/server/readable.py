"""What a request says is looked at before anything else: that it is JSON, that what it holds can be held, and that no text of an address
has what no name has."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable
from typing import Any

from flask import request

from nexorem.core.diagnostics import Refused, refuse

MOST_LEVELS = 100
LEAST, MOST = -(2**63), 2**63 - 1
JSON = "application/json"


def check_address() -> None:
    """Refuses texts of an address with the character NUL or half a character, and whole numbers that no column holds."""
    texts = [*(str(x) for x in (request.view_args or {}).values()), *(x for pair in request.args.items(multi=True) for x in pair)]
    for text in texts:
        if "\0" in text or not _is_text(text):
            raise refuse("bad_request", "The address has a character that no name has.", "Leave it out.")
        if text.lstrip("-").isdecimal() and not LEAST <= int(text[:40]) <= MOST:
            raise refuse("bad_request", f"The number {text[:40]} is beyond 64 bits.", "Give a smaller one.")


def check_body() -> None:
    """Refuses a body that is not JSON, or holds what no type of ours does: a level too many, a number beyond 64 bits, half a character."""
    if not request.content_length:
        return
    if request.mimetype != JSON:
        said = f"The body is of the type {request.mimetype or 'unknown'}."
        raise refuse("bad_request", said, f"Send JSON, with Content-Type: {JSON}.")
    try:
        held = json.loads(request.get_data(), parse_constant=_no_number)
    except RecursionError:
        raise _too_deep() from None
    except ValueError as error:  # of the JSON, and of its encoding
        raise refuse("bad_json", f"The body is not JSON: {error}.", "Mend it there.") from None
    level: list[Any] = [held]
    for _ in range(MOST_LEVELS):
        level = [x for value in level for x in _parts(value)]
        if not level:
            return
    raise _too_deep()


def _parts(value: Any) -> Iterable[Any]:
    """What is in a value; refuses one that cannot be held."""
    if isinstance(value, dict):
        return [*value, *value.values()]
    if isinstance(value, list):
        return value
    if isinstance(value, str) and not _is_text(value):
        raise refuse("bad_request", "The body has half a character (a lone surrogate).", "Write the whole one.")
    if isinstance(value, int) and not LEAST <= value <= MOST:
        raise refuse("bad_request", f"The number {str(value)[:40]} is beyond 64 bits.", "Give a smaller one.")
    if isinstance(value, float) and not math.isfinite(value):
        raise refuse("bad_request", "The body has a number that is too large.", "Give a smaller one.")
    return ()


def _is_text(text: str) -> bool:
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def _no_number(word: str) -> Any:
    raise ValueError(f"{word} is no number of JSON")


def _too_deep() -> Refused:
    return refuse("bad_request", f"The body has more than {MOST_LEVELS} levels.", "Nest it less.")
