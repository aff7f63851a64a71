"""What the core answers with: frozen values with names, and the JSON that they are sent and printed as."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any, ClassVar


def json_name(name: str) -> str:
    """How a part is called in JSON: `from_` is `from`."""
    return name.rstrip("_")


class Result:
    """The base of what is answered. In JSON a trailing underscore is left out, and so are parts that are None when nothing is said."""

    __slots__ = ()
    # Read by whatever derives a schema from a type; nothing here needs it.
    __pydantic_config__: ClassVar[dict[str, Any]] = {"extra": "forbid", "alias_generator": json_name, "validate_by_name": True}


def as_json(value: Any) -> Any:
    """A value as plain JSON: dataclasses and mappings as objects, tuples as lists. Cost: one visit of each part."""
    if is_dataclass(value) and not isinstance(value, type):
        parts = ((f, getattr(value, f.name)) for f in fields(value))
        return {json_name(f.name): as_json(x) for f, x in parts if x is not None or f.default is not None}
    if isinstance(value, Mapping):
        return {key: as_json(x) for key, x in value.items()}
    if isinstance(value, list | tuple):
        return [as_json(x) for x in value]
    return value
