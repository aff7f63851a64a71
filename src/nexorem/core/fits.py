"""What does not fit a type, said in our words: every place at once, without the wording of the library that looked."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from pydantic import TypeAdapter, ValidationError

from nexorem.core.diagnostics import Diagnostic, Refused

DEEPEST = 60  # levels of lists and objects
LARGEST = 2**63  # beyond any whole number that travels
MOST_TOLD = 20
# Of unions whose members have no name of their own; no part of a place.
CHECKS = ("hold", "table", "file", "query", "add_up", "as_in", "count", "none", "fresh")
TAGS = ("in-list", "condition", "probe's name", "tile's probe", "own probe", *(f"{kind} check" for kind in CHECKS))

# By the library's word for a fault: what is said of it. In braces the bounds that were not kept.
SAYINGS = {
    "missing": "is missing",
    "extra_forbidden": "is not known here",
    "unexpected_keyword_argument": "is not known here",
    "string_type": "is not a text",
    "string_unicode": "is not a text of whole characters",
    "bool_type": "is neither true nor false",
    "bool_parsing": "is neither true nor false",
    "int_type": "is not a whole number",
    "int_from_float": "is not a whole number",
    "int_parsing": "is not a whole number",
    "int_parsing_size": "is too large a number",
    "float_type": "is not a number",
    "float_parsing": "is not a number",
    "finite_number": "is not a finite number",
    "list_type": "is not a list",
    "tuple_type": "is not a list",
    "dict_type": "is not an object",
    "model_type": "is not an object",
    "model_attributes_type": "is not an object",
    "dataclass_type": "is not an object",
    "literal_error": "is not one of {expected}",
    "enum": "is not one of {expected}",
    "union_tag_invalid": "is not one of {expected_tags}",
    "union_tag_not_found": "does not say which kind it is",
    "string_too_short": "is empty",
    "string_too_long": "is longer than {max_length} characters",
    "string_pattern_mismatch": "is not written as it has to be",
    "too_short": "has too few entries (at least {min_length})",
    "too_long": "has too many entries (at most {max_length})",
    "greater_than": "is not above {gt}",
    "greater_than_equal": "is below {ge}",
    "less_than": "is not below {lt}",
    "less_than_equal": "is above {le}",
    "json_invalid": "is not JSON",
    "json_type": "is not JSON",
    "none_required": "has to be empty",
}


def saying(kind: str, bounds: Mapping[str, Any]) -> str:
    """What is wrong, in a few words that follow the name of the place."""
    if kind in ("value_error", "assertion_error") and bounds.get("error"):
        return str(bounds["error"])
    if kind == "too_short" and bounds.get("min_length") == 1:
        return "is empty: name at least one"
    text = SAYINGS.get(kind) or ("is not a date (write it as 2031-04-30)" if kind.startswith("date") else "is not of the right kind")
    try:
        return text.format(**bounds)
    except (KeyError, IndexError):
        return text.split(" {")[0]


def misfits(error: ValidationError, skip: int = 0) -> list[tuple[str, str]]:
    """Each place that does not fit, dotted, and what is wrong there; `skip` leaves out so many first parts of a place."""
    places = []
    for e in error.errors(include_url=False, include_input=False):
        parts = [str(x) for x in e["loc"][skip:] if x not in TAGS]
        places.append((".".join(parts), saying(e["type"], e.get("ctx", {}))))
    return list(dict.fromkeys(places))


def misfit_diagnostics(places: Sequence[tuple[str, str]], code: str, what: str, place: str = "", whole: str = "kind") -> list[Diagnostic]:
    """Diagnostics of misfits; `whole` names the place that has no name of its own."""
    return [Diagnostic(code, f"{what}{where or whole} {said}.", place=place or where or whole) for where, said in places[:MOST_TOLD]]


def fitted(adapter: TypeAdapter[Any], data: Any, code: str, what: str, place: str = "", skip: int = 0) -> Any:
    """A value of a type; refuses with a diagnostic for each place that does not fit."""
    try:
        return adapter.validate_json(json.dumps(data))
    except ValidationError as error:
        raise Refused(misfit_diagnostics(misfits(error, skip), code, what, place)) from None


def unclean(data: Any, place: str = "", depth: int = 0) -> Iterator[tuple[str, str]]:
    """Places of some JSON that neither the store nor a package can hold: NUL, half characters, numbers without end, nesting without end."""
    if depth > DEEPEST:
        yield place, f"is nested deeper than {DEEPEST} levels"
    elif isinstance(data, Mapping):
        for key, value in data.items():
            yield from _unclean_text(str(key), f"{place}.{_shown(str(key))}".lstrip("."))
            yield from unclean(value, f"{place}.{_shown(str(key))}".lstrip("."), depth + 1)
    elif isinstance(data, list | tuple):
        for number, value in enumerate(data):
            yield from unclean(value, f"{place}.{number}".lstrip("."), depth + 1)
    elif isinstance(data, str):
        yield from _unclean_text(data, place)
    elif isinstance(data, float) and not math.isfinite(data):
        yield place, "is not a finite number"
    elif isinstance(data, int) and abs(data) >= LARGEST:
        yield place, "is too large a number"


def _unclean_text(text: str, place: str) -> Iterator[tuple[str, str]]:
    if "\0" in text:
        yield place, "holds the character NUL, which no text here has"
    if any("\ud800" <= c <= "\udfff" for c in text):
        yield place, "is not a text of whole characters"


def _shown(text: str) -> str:
    """A text that can be told whatever it holds."""
    return "".join(c if c.isprintable() else "�" for c in text[:60])


def mended(adapter: TypeAdapter[Any], data: Any) -> tuple[Any, list[dict[str, str]]]:
    """Some JSON brought to a type by the least that does it, and what was changed: `place` and `was` (JSON, cut). A single value where a
    text is due becomes its text; what else does not fit is left out, an item of a list with it where it cannot do without."""
    changes: list[dict[str, str]] = []
    data = json.loads(json.dumps(data), parse_constant=lambda _: None)
    for _ in range(1000):
        try:
            adapter.validate_json(json.dumps(data))
            return data, changes
        except ValidationError as error:
            fault = error.errors(include_url=False, include_input=False)[0]
        way = _way(data, fault["loc"])
        if not way:  # nothing of it can stay
            changes.append({"place": "", "was": json.dumps(data)[:2000]})
            return None, changes
        at = _at(data, way[:-1])
        was = at[way[-1]]
        changes.append({"place": ".".join(map(str, way)), "was": json.dumps(was)[:2000]})
        if fault["type"] == "string_type" and isinstance(was, bool | int | float):
            at[way[-1]] = json.dumps(was)
        else:
            del at[way[-1]]
    raise ValueError("the mends of a stored value did not come to an end")


def _at(data: Any, way: Sequence[Any]) -> Any:
    for part in way:
        data = data[part]
    return data


def _way(data: Any, loc: Sequence[Any]) -> list[Any]:
    """The way in the data to what has to go: parts of a place that are no keys (tags of unions) are passed over. Of what is missing it is
    the item that misses it."""
    way: list[Any] = []
    for part in loc:
        if (isinstance(data, Mapping) and part in data) or (isinstance(data, list) and isinstance(part, int) and part < len(data)):
            way.append(part)
            data = data[part]
    return way
