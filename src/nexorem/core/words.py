"""Numbers and lists in sentences."""

from __future__ import annotations

from collections.abc import Sequence


def counted(number: int, one: str, many: str = "") -> str:
    """A number with its noun: `1 row`, `2 rows`, `1,000 rows`."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def verb(number: int, one: str, many: str) -> str:
    """The form of a verb that goes with so many."""
    return one if number == 1 else many


def listed(names: Sequence[str], word: str = "and", most: int = 6) -> str:
    """`a`, `a and b`, `a, b and c`; of many the first few and how many more there are."""
    if len(names) > most:
        return f"{', '.join(names[:most])} {word} {len(names) - most:,} more"
    return f" {word} ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else list(names))


def an(noun: str) -> str:
    """A noun with its article: `an integer`, `a text`."""
    return f"{'an' if noun[:1].lower() in 'aeiou' else 'a'} {noun}"
