"""Functions and operators of text. Each runs once for a distinct combination of its arguments."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Any

import re2

from nexorem.core.diagnostics import CellError
from nexorem.core.functions.convert import can_cast, cast
from nexorem.core.functions.registry import Function, ResultRule, register, takes
from nexorem.core.limits import TEXT_BYTES
from nexorem.core.values import COLUMN_TYPES, Value, Vector, by_distinct

MATCHER_BYTES = 64 * 1024**2  # that the expression of one pattern may take


def bounded(size: int) -> None:
    """Fails where a text would grow beyond its bound."""
    if size > TEXT_BYTES.get():
        raise CellError("limit_text_bytes")


def joined(a: str, b: str) -> str:
    """`||`."""
    bounded(len(a) + len(b))
    return a + b


def like(text: str, pattern: str, escape: str = "") -> Value:
    """LIKE: `%` any run, `_` any one character, `escape` takes the next as it is. Linear in the text, whatever the pattern (RE2).

    A pattern that ends in its escape gives empty, as the standard calls it an error of the data.
    """
    matcher = _matcher(pattern, escape)
    try:
        return None if matcher is None else matcher.fullmatch(text) is not None
    except UnicodeEncodeError:  # half of a pair of code units is no character
        return False


@lru_cache(maxsize=256)
def _matcher(pattern: str, escape: str) -> Any:
    """The expression of a LIKE pattern; None where it ends in its escape."""
    parts, i = [], 0
    while i < len(pattern):
        ch = pattern[i]
        if escape and ch == escape:
            if i + 1 == len(pattern):
                return None
            parts.append(re2.escape(pattern[i + 1]))
            i += 1
        else:
            parts.append({"%": ".*", "_": "."}.get(ch) or re2.escape(ch))
        i += 1
    options = re2.Options()
    options.dot_nl, options.log_errors, options.max_mem = True, False, MATCHER_BYTES
    try:
        return re2.compile("".join(parts), options)
    except (re2.error, UnicodeEncodeError):
        raise CellError("limit_text_bytes") from None


def substring(text: str, start: int, length: int | None = None) -> Value:
    """SUBSTRING: places count from 1; what lies outside the text is left out; a negative length gives empty."""
    if length is not None and length < 0:
        return None
    end = len(text) + 1 if length is None else start + length
    return text[max(start - 1, 0) : max(end - 1, 0)]


def position(part: str, text: str) -> int:
    """POSITION: from 1, 0 where it does not occur."""
    return text.find(part) + 1


def trimmed(side: str) -> Callable[..., Value]:
    """TRIM of one character, the space unless another is named."""

    def function(text: str, character: str = " ") -> Value:
        if len(character) != 1:
            return None
        if side == "LEADING":
            return text.lstrip(character)
        return text.rstrip(character) if side == "TRAILING" else text.strip(character)

    return function


def replaced(text: str, old: str, new: str) -> str:
    """REPLACE: every occurrence; an empty part replaces nothing."""
    if not old:
        return text
    bounded(len(text) + text.count(old) * (len(new) - len(old)))
    return text.replace(old, new)


def _register(
    name: str,
    arity: tuple[int, int],
    result: ResultRule,
    function: Callable[..., Value],
    signature: str,
    help_: str,
    example: str,
    operator: bool = False,
) -> None:
    dtype = result(["null"] * arity[0])
    assert dtype

    def kernel(*vectors: Vector) -> Vector:
        return by_distinct(dtype, function, vectors)

    register(Function(name, *arity, result, kernel, signature, help_, example, operator))


_register("||", (2, 2), takes("text", "text"), joined, "x || y", "Joins two texts.", "'a' || 'b'", True)
_register(
    "LIKE",
    (2, 3),
    takes("boolean", "text"),
    like,
    "x LIKE pattern [ESCAPE c]",
    "% stands for any run, _ for one character.",
    "'Heron' LIKE 'H%'",
    True,
)
_register("UPPER", (1, 1), takes("text", "text"), str.upper, "UPPER(x)", "In capitals.", "UPPER('tern')")
_register("LOWER", (1, 1), takes("text", "text"), str.lower, "LOWER(x)", "In small letters.", "LOWER('Tern')")
_register(
    "SUBSTRING",
    (2, 3),
    takes("text", "text", "integer"),
    substring,
    "SUBSTRING(x FROM start [FOR length])",
    "Part of a text; places count from 1.",
    "SUBSTRING('ferry' FROM 2 FOR 3)",
)
_register(
    "POSITION",
    (2, 2),
    takes("integer", "text"),
    position,
    "POSITION(part IN x)",
    "Where a part first stands; 0 where it does not.",
    "POSITION('r' IN 'ferry')",
)
_register("CHAR_LENGTH", (1, 1), takes("integer", "text"), len, "CHAR_LENGTH(x)", "The number of characters.", "CHAR_LENGTH('ferry')")
_register(
    "REPLACE",
    (3, 3),
    takes("text", "text"),
    replaced,
    "REPLACE(x, old, new)",
    "With every occurrence replaced.",
    "REPLACE('a-b', '-', ' ')",
)
for _side in ("BOTH", "LEADING", "TRAILING"):
    _register(
        f"TRIM {_side}",
        (1, 2),
        takes("text", "text"),
        trimmed(_side),
        f"TRIM({_side} c FROM x)",
        "Without the spaces, or another character, at its ends.",
        f"TRIM({_side} ' ' FROM ' a ')",
    )


def _register_cast(target: str) -> None:
    def kernel(v: Vector) -> Vector:
        return cast(v, target)

    def result(dtypes: Sequence[str]) -> str | None:
        return target if can_cast(dtypes[0], target) else None

    register(
        Function(
            f"CAST {target}",
            1,
            1,
            result,
            kernel,
            f"CAST(x AS {target})",
            "In another type; what cannot be read is empty.",
            "CAST('12' AS integer)" if target == "integer" else "",
        )
    )


for _target in COLUMN_TYPES:
    _register_cast(_target)
