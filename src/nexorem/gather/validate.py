"""JSON to a type, with everything that is wrong with it at once."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter, ValidationError

from nexorem.core.diagnostics import Diagnostic, Refused


def validated(adapter: TypeAdapter[Any], data: Any, code: str, what: str, place: str = "") -> Any:
    """A value of one of several types told apart by `kind`; refuses with a diagnostic for each thing that is wrong."""
    try:
        return adapter.validate_python(data)
    except ValidationError as error:
        # The first part of a place is the kind itself.
        places = [(".".join(str(x) for x in e["loc"][1:]) or "kind", e["msg"]) for e in error.errors()]
        raise Refused([Diagnostic(code, f"{what} {where}: {said}.", place=place) for where, said in places]) from None
