"""Two keys side by side: what matches, what stands on one side only, and what nearly matches."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from nexorem.core.diagnostics import refuse
from nexorem.core.limits import Budget
from nexorem.core.values import Array, Value, Vector, iso
from nexorem.core.words import an
from nexorem.gather.frame import Frame, as_text
from nexorem.gather.steps.columns import need
from nexorem.gather.steps.rows import shared_keys

MOST_LISTED = 200
MOST_FOLDED = 1_000_000  # keys of either side that are compared as texts but for spaces, case, zeros and punctuation
AT_ONCE = 1_000  # keys between two looks at the budget
MOST_NEAR = 50_000  # keys of either side that are compared letter by letter
LONGEST = 60  # letters of a key that is compared letter by letter
FEWEST_LETTERS = 4  # of a key that may be mistyped
PUNCTUATION = re.compile(r"[\W_]+")
ZEROS = re.compile(r"(?<![0-9])0+(?=[0-9])")
BETWEEN = "\x1f"
FOLDS = (
    ("spaces", lambda t: "".join(t.split())),
    ("case", str.casefold),
    ("spaces and case", lambda t: "".join(t.split()).casefold()),
    ("zeros", lambda t: ZEROS.sub("", t)),
    ("punctuation", lambda t: PUNCTUATION.sub("", t)),
    ("case, spaces, zeros and punctuation", lambda t: ZEROS.sub("", PUNCTUATION.sub("", t).casefold())),
)


@dataclass(frozen=True, slots=True, eq=False)
class Side:
    """The distinct full keys of one side: their first rows, how many rows each has, and the amount on them."""

    firsts: Array
    rows: Array
    amounts: Array | None
    number: Array  # the key's number, shared by both sides


def compare(
    left: Frame, mine: Sequence[str], right: Frame, theirs: Sequence[str], amount: str = "", budget: Budget | None = None
) -> dict[str, Any]:
    """What matches, with counts and examples; near matches of keys that only the left has. `amount` is a column of the left to add up."""
    budget = budget or Budget()
    if len(mine) != len(theirs) or not mine:
        raise refuse("bad_keys", "Both keys have as many columns.", "Choose one or more on each side.")
    columns, others = need(left, mine, "left"), need(right, theirs, "right")
    groups, full = _numbered(left, columns, right, others)
    amounts = _amounts(left, amount)
    a = _side(groups[: left.size], full[: left.size], amounts)
    b = _side(groups[left.size :], full[left.size :], None)
    both = np.isin(a.number, b.number)
    only_right = ~np.isin(b.number, a.number)
    hits = np.zeros(left.size, bool)
    hits[full[: left.size]] = np.isin(groups[: left.size][full[: left.size]], b.number)
    answer = {
        "matched": _counts(a, both),
        "only_left": _counts(a, ~both) | {"listed": _listed(left, columns, a, ~both)},
        "only_right": _counts(b, only_right) | {"listed": _listed(right, others, b, only_right)},
        "empty_left": int((~full[: left.size]).sum()),
        "empty_right": int((~full[left.size :]).sum()),
        "rows_left": left.size,
        "rows_right": right.size,
        "keys_right": len(b.number),
        "repeated_right": int((b.rows > 1).sum()),
        "repeated": _listed(right, others, b, b.rows > 1),
        "amount": amount,
        "amount_total": None if amounts is None else float(amounts.sum()),
        "amount_matched": None if amounts is None else float(amounts[hits].sum()),
    }
    budget.check()
    lost_keys = int((~both).sum())
    if max(lost_keys, len(b.firsts)) > MOST_FOLDED:
        near: dict[int, tuple[int, str, int]] = {}
        skipped = True
    else:
        near, skipped = near_matches(_texts(left, columns, a.firsts[~both]), _texts(right, others, b.firsts), budget)
    lost: Array = np.flatnonzero(~both)
    listed: list[dict[str, Any]] = [
        {
            "left": _key(left, columns, int(a.firsts[lost[place]])),
            "right": _key(right, others, int(b.firsts[other])),
            "reason": reason,
            "choices": choices,
            "rows": int(a.rows[lost[place]]),
            "amount": None if a.amounts is None else float(a.amounts[lost[place]]),
        }
        for place, (other, reason, choices) in near.items()
    ]
    listed.sort(key=lambda x: -x["rows"])
    near_rows = sum(x["rows"] for x in listed)
    return answer | {"near": listed[: 5 * MOST_LISTED], "near_keys": len(listed), "near_rows": near_rows, "near_skipped": skipped}


def _numbered(left: Frame, mine: list[str], right: Frame, theirs: list[str]) -> tuple[Array, Array]:
    """Both keys in one numbering; columns of types that never equal are compared as texts."""
    a, b = dict(left.columns), dict(right.columns)
    for x, y in zip(mine, theirs, strict=True):
        if (a[x].dtype == "text") != (b[y].dtype == "text"):
            a[x], b[y] = as_text(a[x]), as_text(b[y])
    return shared_keys(Frame(left.size, a), mine, Frame(right.size, b), theirs, "keys")


def _amounts(frame: Frame, name: str) -> Array | None:
    if not name:
        return None
    (column,) = need(frame, [name], "left")
    v = frame.columns[column]
    if v.dtype not in ("integer", "number"):
        raise refuse("wrong_type", f"{column} is {an(v.dtype)} and cannot be added up.", "Choose a column of numbers.")
    return np.where(v.valid, v.data, 0).astype(np.float64)


def _side(groups: Array, full: Array, amounts: Array | None) -> Side:
    rows = np.flatnonzero(full)
    number, firsts, counts = np.unique(groups[rows], return_index=True, return_counts=True)
    added = None
    if amounts is not None:
        added = np.bincount(np.searchsorted(number, groups[rows]), amounts[rows], len(number))
    return Side(rows[firsts], counts, added, number)


def _counts(side: Side, which: Array) -> dict[str, Any]:
    return {
        "keys": int(which.sum()),
        "rows": int(side.rows[which].sum()),
        "amount": None if side.amounts is None else float(side.amounts[which].sum()),
    }


def _key(frame: Frame, columns: Sequence[str], row: int) -> list[Value]:
    return [iso(frame.columns[c].at(row)) for c in columns]


def _listed(frame: Frame, columns: Sequence[str], side: Side, which: Array) -> list[dict[str, Any]]:
    places = np.flatnonzero(which)
    places = places[np.argsort(-side.rows[places], kind="stable")][:MOST_LISTED]
    return [
        {"key": _key(frame, columns, int(side.firsts[p])), "rows": int(side.rows[p]), "first_row": int(side.firsts[p]) + 1} for p in places
    ]


def _texts(frame: Frame, columns: Sequence[str], rows: Array) -> list[str]:
    parts: list[Vector] = [as_text(frame.columns[c].take(rows)) for c in columns]
    return [BETWEEN.join(str(x) for x in row) for row in zip(*(p.tolist() for p in parts), strict=True)]


def near_matches(lost: list[str], keys: list[str], budget: Budget) -> tuple[dict[int, tuple[int, str, int]], bool]:
    """For lost keys the known key that is nearest: its place, what differs, and how many would do. The second value says that keys
    were too many to be compared letter by letter."""
    matches: dict[int, tuple[int, str, int]] = {}
    budget.take(sum(map(len, keys)) + 200 * len(keys), 2, "Keys that are compared")
    for reason, fold in FOLDS:
        folded: dict[str, list[int]] = defaultdict(list)
        for place, text in _checked(keys, budget):
            folded[_folded(text, fold)].append(place)
        for place, text in _checked(lost, budget):
            if place in matches:
                continue
            hits = folded.get(_folded(text, fold), [])
            if hits and _folded(text, fold).strip(BETWEEN):
                matches[place] = hits[0], reason, len(hits)
    skipped = len(lost) - len(matches) > MOST_NEAR or len(keys) > MOST_NEAR
    if not skipped:
        _one_letter(lost, keys, matches, budget)
    return matches, skipped


def _checked(texts: list[str], budget: Budget) -> Iterator[tuple[int, str]]:
    """Texts with their places, as long as there is time."""
    for place, text in enumerate(texts):
        if place % AT_ONCE == 0:
            budget.check()
        yield place, text


def _folded(text: str, fold: Any) -> str:
    return BETWEEN.join(fold(part) for part in text.split(BETWEEN))


def _one_letter(lost: list[str], keys: list[str], matches: dict[int, tuple[int, str, int]], budget: Budget) -> None:
    """Keys that differ by one letter: put in, left out, put in place of another, or two that changed places.

    After W. Garbe's symmetric deletion: two such texts share one of their texts with a letter left out. Codes, numbers and dates are all
    near each other, and are left alone: only words are mistyped.
    """
    open_places = [i for i, t in enumerate(lost) if i not in matches and _is_words(t) and len(t) <= LONGEST]
    if not open_places:
        return
    shorter: dict[str, set[int]] = defaultdict(set)
    for place, text in _checked(keys, budget):
        if _is_words(text) and len(text) <= LONGEST:
            for part in _deletions(text.casefold()):
                shorter[part].add(place)
    for number, place in enumerate(open_places):
        if number % AT_ONCE == 0:
            budget.check()
        text = lost[place].casefold()
        near = {p for part in _deletions(text) for p in shorter.get(part, ()) if _one_apart(text, keys[p].casefold())}
        if near:
            matches[place] = min(near), "one letter", len(near)


def _is_words(text: str) -> bool:
    """Whether a key is made of words: letters above all, and enough of them to be told apart."""
    letters = sum(c.isalpha() for c in text)
    return letters >= FEWEST_LETTERS and letters > 2 * sum(c.isdigit() for c in text)


def _deletions(text: str) -> set[str]:
    return {text, *(text[:i] + text[i + 1 :] for i in range(len(text)))}


def _one_apart(a: str, b: str) -> bool:
    if len(a) == len(b):
        differ = [i for i, (x, y) in enumerate(zip(a, b, strict=True)) if x != y]
        if len(differ) == 1:
            return True
        return len(differ) == 2 and differ[1] == differ[0] + 1 and a[differ[0]] == b[differ[1]] and a[differ[1]] == b[differ[0]]
    long, short = (a, b) if len(a) > len(b) else (b, a)
    return len(long) == len(short) + 1 and any(long[:i] + long[i + 1 :] == short for i in range(len(long)))
