"""One entry a scalar function or operator: its types, kernel, help and example.

Binder, executor, completion and the documentation read this registry and nothing else.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from nexorem.core.values import INTERVALS, NUMERIC, Vector

Kernel = Callable[..., Vector]
ResultRule = Callable[[Sequence[str]], str | None]


@dataclass(frozen=True, slots=True)
class Function:
    """A scalar function. `result` gives the dtype for argument dtypes, or None where they do not fit.

    `kernel` takes vectors of equal length, the arguments already brought to the types that `result` accepts, and
    returns one of that length. `signature` is how it is written; `help` says what it gives for empties too.
    """

    name: str
    least: int
    most: int
    result: ResultRule
    kernel: Kernel
    signature: str
    help: str
    example: str = ""
    operator: bool = False


FUNCTIONS: dict[str, Function] = {}


def register(function: Function) -> None:
    """Adds an entry; a name stands once."""
    assert function.name not in FUNCTIONS, function.name
    FUNCTIONS[function.name] = function


def common_type(dtypes: Sequence[str]) -> str | None:
    """The one type that values of all these types can be brought to, or None."""
    kinds = {d for d in dtypes if d != "null"}
    if not kinds:
        return "null"
    if len(kinds) == 1:
        return kinds.pop()
    if kinds <= set(NUMERIC):
        return "number"
    return "datetime" if kinds == {"date", "datetime"} else None


def numeric(dtypes: Sequence[str]) -> str | None:
    """integer when all are, number when some are, null when all are null; else None."""
    kind = common_type(dtypes)
    return kind if kind in (*NUMERIC, "null") else None


def always_number(dtypes: Sequence[str]) -> str | None:
    """number, for numeric arguments."""
    return "number" if numeric(dtypes) else None


def takes(result: str, *kinds: str) -> ResultRule:
    """A rule for fixed argument types; the last kind stands for all further arguments too."""

    def rule(dtypes: Sequence[str]) -> str | None:
        wanted = [kinds[min(i, len(kinds) - 1)] for i in range(len(dtypes))]
        return result if all(d in ("null", *w.split("|")) for d, w in zip(dtypes, wanted, strict=True)) else None

    return rule


def comparable(dtypes: Sequence[str]) -> str | None:
    """boolean, when the arguments can be compared with one another."""
    kind = common_type(dtypes)
    return "boolean" if kind and kind not in INTERVALS else None
