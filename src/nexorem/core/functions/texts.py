"""Functions and operators of text. Each runs once for a distinct combination of its arguments."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import lru_cache

import numpy as np

from nexorem.core.diagnostics import CellError
from nexorem.core.functions.convert import can_cast, cast
from nexorem.core.functions.registry import Function, ResultRule, register, takes
from nexorem.core.limits import SPENT, TEXT_BYTES
from nexorem.core.values import COLUMN_TYPES, Value, Vector, by_distinct

MOST_COMPARED = 10**8  # characters of a part of a pattern with `_`, times those of the text


def bounded(size: int) -> None:
    """Fails where a text would grow beyond its bound."""
    if size > TEXT_BYTES.get():
        raise CellError("limit_text_bytes")


def joined(a: str, b: str) -> str:
    """`||`."""
    bounded(len(a) + len(b))
    return a + b


def like(text: str, pattern: str, escape: str = "") -> Value:
    """LIKE: `%` any run, `_` any one character, `escape` takes the next as it is.

    A pattern that ends in its escape gives empty, as the standard calls it an error of the data. What stands between two `%` is looked for
    behind what was found before, the leftmost each time: linear in text and pattern, but for parts with `_`, whose product is bounded.
    """
    return _matcher(pattern, escape)(text)


@lru_cache(maxsize=256)
def _matcher(pattern: str, escape: str = "") -> Callable[[str], Value]:
    """What says of a text whether it is like a pattern."""
    runs = _runs(pattern, escape)
    if runs is None:
        return lambda _: None
    first, *others = runs
    if not others:
        return lambda text: first.size == len(text) and first.at(text, 0)
    *middle, last = others
    if any(run.text is None for run in runs):
        return lambda text: _in_runs(text, first, middle, last)
    head, parts, tail = str(first.text), [str(run.text) for run in middle], str(last.text)

    def plain(text: str) -> bool:
        end, place = len(text) - len(tail), len(head)
        if end < place or not text.startswith(head) or not text.endswith(tail):
            return False
        for part in parts:
            place = text.find(part, place, end)
            if place < 0:
                return False
            place += len(part)
        return True

    return plain


def _in_runs(text: str, first: _Run, middle: Sequence[_Run], last: _Run) -> bool:
    end = len(text) - last.size
    if end < first.size or not first.at(text, 0) or not last.at(text, end):
        return False
    place = first.size
    for run in middle:
        place = run.find(text, place, end)
        if place < 0:
            return False
        place += run.size
    return True


def _like_all(texts: Vector, pattern: Vector, escape: Vector | None = None) -> Vector:
    """LIKE of vectors: texts that begin alike stand together among the words, which ascend; else each word is looked at once."""
    given = [pattern, *([escape] if escape is not None else [])]
    if len(texts) and all(v.valid.all() and (v.data == v.data[0]).all() for v in given):
        with suppress(CellError):  # a pattern too long fails where there is a text
            runs = _runs(*(str(v.at(0)) for v in given))
            if runs and len(runs) < 3 and runs[0].text is not None and (len(runs) == 1 or not runs[1].size):
                head, size = runs[0].text, runs[0].size if len(runs) == 2 else None
                low = bisect_left(texts.words, head, key=lambda word: word[:size])
                high = bisect_right(texts.words, head, key=lambda word: word[:size])
                return Vector("boolean", (texts.data >= low) & (texts.data < high) & texts.valid, texts.valid)
            if runs and len(texts.words) and all(run.text is not None for run in runs):
                longest = max((str(run.text) for run in runs), key=len)
                return _each_word(texts, longest, _matcher(*(str(v.at(0)) for v in given)))
    return by_distinct("boolean", like, (texts, *given))


WORDS_AT_ONCE = 2_048
CHARACTERS_AT_ONCE = 1_000_000  # of words that are looked at between two looks at the budget
FEW_WORDS = 32  # that are, where they have more


def _each_word(texts: Vector, part: str, is_like: Callable[[str], Value]) -> Vector:
    """What a test that cannot fail says of each text; only those that hold `part` may pass it. Cost: that of the words that occur, and a
    pass over the entries."""
    occurs, passes = np.zeros(len(texts.words), bool), np.zeros(len(texts.words), bool)
    occurs[texts.data[texts.valid]] = True
    places, budget = np.flatnonzero(occurs), SPENT.get()
    for start in range(0, len(places), WORDS_AT_ONCE):
        some = places[start : start + WORDS_AT_ONCE]
        words = texts.words[some].tolist()
        step = len(words) if sum(map(len, words)) <= CHARACTERS_AT_ONCE else FEW_WORDS
        for first in range(0, len(words), step):
            if budget:
                budget.check()
            holding = [i for i, word in enumerate(words[first : first + step], first) if part in word]
            passes[some[[i for i in holding if is_like(words[i])]]] = True
    return Vector("boolean", passes[texts.data] & texts.valid, texts.valid)


class _Run:
    """What stands between two `%` of a pattern: characters, None for any one."""

    def __init__(self, characters: list[str | None]) -> None:
        self.size = len(characters)
        self.text = None if None in characters else "".join(characters)  # type: ignore[arg-type]
        if self.text is None:
            self.matcher = re.compile("".join("." if c is None else re.escape(c) for c in characters), re.DOTALL)

    def at(self, text: str, place: int) -> bool:
        """Whether it stands at a place."""
        return text.startswith(self.text, place) if self.text is not None else self.matcher.match(text, place) is not None

    def find(self, text: str, start: int, end: int) -> int:
        """The leftmost place of it in a part of a text, -1 where there is none."""
        if self.text is not None:
            return text.find(self.text, start, end)
        if self.size * (end - start) > MOST_COMPARED:
            raise CellError("limit_text_bytes")
        found = self.matcher.search(text, start, end)
        return found.start() if found else -1


def _runs(pattern: str, escape: str = "") -> list[_Run] | None:
    """The parts of a LIKE pattern; None where it ends in its escape."""
    bounded(len(pattern))
    runs: list[list[str | None]] = [[]]
    i = 0
    while i < len(pattern):
        ch = pattern[i]
        if escape and ch == escape:
            if i + 1 == len(pattern):
                return None
            runs[-1].append(pattern[i + 1])
            i += 1
        elif ch == "%":
            runs.append([])
        else:
            runs[-1].append(None if ch == "_" else ch)
        i += 1
    return [_Run(run) for i, run in enumerate(runs) if run or i in (0, len(runs) - 1)]


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
    whole: Callable[..., Vector] | None = None,
) -> None:
    """`whole` does for vectors what `function` does for values, where there is a better way than value by value."""
    dtype = result(["null"] * arity[0])
    assert dtype

    def each(*vectors: Vector) -> Vector:
        return by_distinct(dtype, function, vectors)

    kernel = whole or each
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
    _like_all,
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
