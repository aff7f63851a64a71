"""JSON to a type, with everything that is wrong with it at once."""

from __future__ import annotations

from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from nexorem.core.diagnostics import Refused
from nexorem.core.fits import misfit_diagnostics, misfits

Read = TypeVar("Read")


def validated(adapter: TypeAdapter[Read], data: Any, code: str, what: str, place: str = "") -> Read:
    """A value of one of several types told apart by `kind`; refuses with a diagnostic for each thing that is wrong."""
    try:
        return adapter.validate_python(data)
    except ValidationError as error:
        # The first part of a place is the kind itself.
        raise Refused(misfit_diagnostics(misfits(error, 1), code, f"{what} ", place)) from None
