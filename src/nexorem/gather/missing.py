"""Texts that people write where there is no value: recognised, and asked about once, never emptied unasked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from nexorem.core.values import Vector
from nexorem.core.words import counted, listed, verb
from nexorem.gather.typed import emptied, guesses

WORDS = frozenset("na n/a n.a. #n/a #na nan -nan null (null) #null! \\n none nil nul missing <na> <null> - -- — – . ? *".split())
LONGEST = max(map(len, WORDS))
MOST_DISTINCT = 1_000_000  # texts that are looked through


def missing_words(v: Vector) -> list[str]:
    """The texts of a column that mean no value, as they are written there."""
    if len(v.words) > MOST_DISTINCT:
        return []
    return [w for w in v.words.tolist() if means_nothing(w)]


def means_nothing(text: str) -> bool:
    """Whether a text is one of those that people write where there is no value."""
    return len(text) <= LONGEST + 2 and text.strip().lower() in WORDS


def missing_report(v: Vector) -> dict[str, Any] | None:
    """For a column that stays text: the `words` in it that mean no value, in how many rows (`count`) they stand, and the `type` that the
    rest is of. None where there are none."""
    words = missing_words(v)
    if not words:
        return None
    marked = np.isin(v.words, words)
    rest = emptied(v, tuple(words))
    guess = guesses(rest)[0]
    dtype = guess.reads.dtype if len(rest.words) else "text"
    return {"words": words, "count": int(marked[v.data[v.valid]].sum()), "type": dtype}


def missing_notes(columns: Sequence[Mapping[str, Any]]) -> list[str]:
    """One sentence on the columns of a table that are of another type but for such words."""
    with_missing = [c for c in columns if c.get("missing") and c["missing"]["type"] != "text"]
    if not with_missing:
        return []
    words = list(dict.fromkeys(w for c in with_missing for w in c["missing"]["words"]))
    rows = sum(c["missing"]["count"] for c in with_missing)
    kinds = listed(list(dict.fromkeys(PLURALS[c["missing"]["type"]] for c in with_missing)), "or")
    columns_are = f"{counted(len(with_missing), 'column')} {verb(len(with_missing), 'is', 'are')}"
    said = f"{columns_are} {kinds} but for {listed(words)} ({counted(rows, 'value')})"
    return [f"{said}: {listed([c['name'] for c in with_missing])}. Kept as text; read {listed(words)} as empty to have {kinds}."]


PLURALS = {"integer": "numbers", "number": "numbers", "boolean": "true or false", "date": "dates", "datetime": "moments"}
