"""Links that the data suggest, from names, types, uniqueness and overlap of values, over all tables at once.

A column is looked for among the keys of every other table. A sample of its distinct values decides what is looked at
more closely; what is told is counted over all rows. Nothing is made here.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import product
from typing import Any

import numpy as np

from nexorem.core.design.roles import role
from nexorem.core.engine.profile import candidate_keys
from nexorem.core.model.model import Link, Model, Table, link_json
from nexorem.core.model.paths import doubled_paths, model_state
from nexorem.core.model.star import Star
from nexorem.core.values import stored_value

SAMPLE = 400  # distinct values of a column that are looked for among another table's keys
LEAST_OVERLAP = 0.5
LEAST_NAMES = 0.34  # how alike names are, below which keys of numbers and dates are taken for chance
SAME_COMMON = 0.3  # how alike `id` and `id` are: every table has one
FEW_VALUES = 3  # distinct values, below which an overlap says nothing without the names
MOST = 200
KEY_TYPES = ("text", "integer", "date")
LOOKED_AT = 4_000  # rows that a sample is taken from
MOST_INDEXED = 200_000  # rows of a table whose keys are indexed value by value
MOST_CHOICES = 4
WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|[0-9]+")
Hits = dict[tuple[str, str, str], list[tuple[str, float]]]
COMMON_WORDS = frozenset({"code", "id", "key", "no", "number", "nr", "name"})


@dataclass(frozen=True, slots=True)
class Found:
    """A link that is thought of. `names` and `overlap` are from 0 to 1, `overlap` of the sample's keys."""

    link: Link
    names: float
    overlap: float

    @property
    def score(self) -> float:
        """From 0 to 1; longer keys win over their parts."""
        return 0.55 * self.overlap + 0.45 * self.names + 0.02 * len(self.link.from_columns)


def suggestions(star: Star) -> list[dict[str, Any]]:
    """The links that the data suggest and the model has not, the likeliest first: `link`, as an edit adds it, `text`, and `evidence`.

    A link is offered inactive where, with the model's own and with those offered before it, it would double a path; so any of them can be
    taken together.
    """
    told = []
    model = star.model
    for found in sorted(_found(star), key=lambda f: (-f.score, f.link.ends_text)):
        link = replace(found.link, name=free_name(model, found.link))
        tried = replace(model, links=(*model.links, link))
        if doubled_paths(tried, model_state(tried)):
            link = replace(link, active=False)
            tried = replace(model, links=(*model.links, link))
        facts = star.facts(link)
        rows = star.size(link.from_table)
        if facts.matched < LEAST_OVERLAP * max(rows - facts.empty, 1) or facts.repeated:
            continue
        model = tried
        told.append({
            "link": link_json(link), "text": link.ends_text, "score": round(min(found.score, 1.0), 3),
            "evidence": {
                "names": round(found.names, 3), "overlap": round(found.overlap, 3), "matched": facts.matched, "orphans": facts.orphans,
                "empty": facts.empty, "rows": rows, "unique": not facts.key_empty, "sentence": _sentence(star, found, link),
            },
        })  # fmt: skip
        if len(told) == MOST:
            break
    return told


def free_name(model: Model, link: Link) -> str:
    """A name that no link has: the key's words, or the ends."""
    taken = {k.name.lower() for k in model.links}
    words = " and ".join(_plain_words(c) for c in link.from_columns)
    names = (words, link.ends_text, *(f"{link.ends_text} ({n})" for n in range(2, 999)))
    return next(n for n in names if n and n.lower() not in taken)


def _plain_words(column: str) -> str:
    words = [w.lower() for w in WORD.findall(column)]
    return " ".join([w for w in words if w not in COMMON_WORDS] or words)


def _sentence(star: Star, found: Found, link: Link) -> str:
    facts = star.facts(link)
    rows = star.size(link.from_table)
    part = [f"{facts.matched:,} of {rows:,} rows match", f"{link.to_text} is unique"]
    if facts.orphans:
        part.append(f"{facts.orphans:,} name a key that is not there")
    if facts.empty:
        part.append(f"{facts.empty:,} have none")
    if found.names >= LEAST_NAMES:
        part.append("the names are alike")
    if not link.active:
        part.append("inactive, for active it would double a path")
    return "; ".join(part) + "."


def _found(star: Star) -> list[Found]:
    keys = _keys(star)
    hits = star.found(("hits", tuple((t.name, k) for t, k in keys)), lambda: _hits(star, keys))
    have = {frozenset(((k.from_table, k.from_columns), (k.to_table, k.to_columns))) for k in star.model.links}
    best: dict[frozenset[tuple[str, tuple[str, ...]]], Found] = {}
    for (one, columns), many in product(keys, star.model.tables):
        if many.name == one.name or not all((many.name, one.name, c) in hits for c in columns):
            continue
        for found in _of_key(star, one, columns, many, hits):
            link = found.link
            ends = frozenset(((link.from_table, link.from_columns), (link.to_table, link.to_columns)))
            if ends not in have and (ends not in best or found.score > best[ends].score):
                best[ends] = found
    return _best_of_each(list(best.values()))


def _keys(star: Star) -> list[tuple[Table, tuple[str, ...]]]:
    """What could be the one side of a link: unique, never empty keys of one column or two."""
    found = []
    for table in star.model.tables:
        listed = [tuple(text.split(" + ")) for text in candidate_keys(star, table.name)]
        listed += [table.key] if table.key and table.key not in listed and _is_key(star, table.name, table.key) else []
        known = {c.name: c.dtype for c in table.columns}
        found += [(table, key) for key in listed if all(known.get(c) in KEY_TYPES for c in key)]
    return found


def _is_key(star: Star, table: str, columns: tuple[str, ...]) -> bool:
    full = all(star.column(table, c).full() for c in columns if c in star.rows[table].columns)
    return full and star.size(table) > 0 and star.domain(table, columns).size - 1 == star.size(table)


def _of_key(star: Star, one: Table, key: tuple[str, ...], many: Table, hits: Hits) -> list[Found]:
    """Links from a table to a key of another; a key of several columns is matched column by column, then as a whole."""
    choices = []
    for column in key:
        near = [(c, names_alike(one.name, column, c), overlap) for c, overlap in hits[many.name, one.name, column]]
        choices.append(sorted(near, key=lambda x: -(x[1] + x[2]))[:MOST_CHOICES])
    found = []
    for picked in product(*choices):
        columns = tuple(c for c, _, _ in picked)
        if len(set(columns)) < len(columns):
            continue
        names = float(np.mean([n for _, n, _ in picked]))
        overlap = picked[0][2] if len(key) == 1 else _together(star, many.name, columns, one.name, key)
        if overlap >= LEAST_OVERLAP and _likely(star, one, many, columns, names, overlap):
            cardinality = "one-to-one" if " + ".join(columns) in candidate_keys(star, many.name) else "many-to-one"
            found.append(Found(Link("", many.name, columns, one.name, key, cardinality), names, overlap))
    return found


def _likely(star: Star, one: Table, many: Table, columns: tuple[str, ...], names: float, overlap: float) -> bool:
    """Dates go to calendars; whole numbers and short lists overlap by chance, so they need the names as well."""
    kinds = {c.dtype for c in many.columns if c.name in columns}
    if len(columns) > 1:
        return names >= LEAST_NAMES
    if kinds == {"date"}:
        return one.calendar is not None and role(star, many) != "calendar"
    if names >= LEAST_NAMES:
        return True
    few = star.domain(many.name, columns).size - 1 <= FEW_VALUES or star.size(one.name) <= FEW_VALUES
    return "integer" not in kinds and overlap >= 0.9 and not few


def _hits(star: Star, keys: Sequence[tuple[Table, tuple[str, ...]]]) -> Hits:
    """By table, other table and key column of that: the columns of the first whose values are found there, and what part of a sample is.

    Every value of a key column is looked up once, in an index over all of them; key columns of very many values are searched in order.
    """
    columns = list(dict.fromkeys((table.name, c) for table, key in keys for c in key))
    index: dict[tuple[str, object], list[tuple[str, str]]] = {}
    large = []
    for table, column in columns:
        values = star.column(table, column)
        kind = values.dtype
        if star.size(table) > MOST_INDEXED:
            rows = values.rows()
            large.append((table, column, kind, rows.words if kind == "text" else np.unique(rows.data[rows.valid])))
            continue
        for value in dict.fromkeys(values.rows().tolist()):
            index.setdefault((kind, value), []).append((table, column))
    found: Hits = {}
    for many in star.model.tables:
        for mine in many.columns:
            kind, sample = _sample(star, many.name, mine.name)
            counts = Counter(place for value in sample for place in index.get((kind, value), ()))
            for table, column, theirs, ordered in large:
                if theirs == kind and table != many.name and sample:
                    stored = np.array([stored_value(kind, v) for v in sample], dtype=ordered.dtype)
                    places = np.minimum(np.searchsorted(ordered, stored), len(ordered) - 1)
                    counts[table, column] = int((ordered[places] == stored).sum())
            for (table, column), count in counts.items():
                if table != many.name and count:
                    found.setdefault((many.name, table, column), []).append((mine.name, count / len(sample)))
    return found


def _sample(star: Star, table: str, column: str) -> tuple[str, list[object]]:
    """Some distinct values of a column, from all over it, and which kind of values they are of; none of a type that makes no keys."""
    values = star.column(table, column)
    if values.dtype not in KEY_TYPES or star.size(table) == 0:
        return "", []
    rows = np.linspace(0, star.size(table) - 1, min(star.size(table), LOOKED_AT)).astype(np.int64)
    distinct: list[object] = [v for v in dict.fromkeys(values.take(rows).tolist()) if v is not None]
    step = max(1, len(distinct) // SAMPLE)
    return values.dtype, distinct[::step][:SAMPLE]


def _together(star: Star, many: str, columns: tuple[str, ...], one: str, key: tuple[str, ...]) -> float:
    """The part of a sample of the combinations of `columns` that are keys of the other table."""

    def count() -> float:
        size = star.size(many)
        rows = np.linspace(0, size - 1, min(size, LOOKED_AT)).astype(np.int64)
        mine = dict.fromkeys(zip(*(star.column(many, c).take(rows).tolist() for c in columns), strict=True))
        full = [row for row in mine if None not in row][:SAMPLE]
        theirs = frozenset(zip(*(star.column(one, c).rows().tolist() for c in key), strict=True))
        return sum(row in theirs for row in full) / len(full) if full else 0.0

    return star.found(("together", many, columns, one, key), count)


@lru_cache(maxsize=100_000)
def names_alike(table: str, key: str, column: str) -> float:
    """From 0 to 1: how many of the words of a column's name are those of the key or of its table, words that every key has left aside."""
    mine = _stems(column)
    theirs = _stems(key) | _stems(table)
    if not mine or not theirs:
        return SAME_COMMON if column.lower() == key.lower() else 0.0
    shared = len(mine & theirs)
    return min(1.0, shared / len(mine) + (0.2 if column.lower() == key.lower() else 0.0))


@lru_cache(maxsize=20_000)
def _stems(name: str) -> frozenset[str]:
    """The words of a name, without those that every key has and without the s of a plural."""
    words = {w.lower() for w in WORD.findall(name)} - COMMON_WORDS
    return frozenset(w[:-1] if len(w) > 3 and w.endswith("s") else w for w in words)


def _best_of_each(found: Sequence[Found]) -> list[Found]:
    """For each key that a table brings, the tables it points to best: a column that is a key of many tables is offered for the one whose
    names fit, and part of a longer key that is offered is not offered by itself."""
    kept: list[Found] = []
    for item in sorted(found, key=lambda f: -f.score):
        link = item.link
        rivals = [f for f in kept if f.link.from_table == link.from_table and set(f.link.from_columns) & set(link.from_columns)]
        same = [f for f in rivals if f.link.from_columns == link.from_columns]
        if any(f.names > item.names + 0.01 for f in same) or (same and item.names < LEAST_NAMES):
            continue
        if any(len(f.link.from_columns) > len(link.from_columns) and f.link.to_table == link.to_table for f in rivals):
            continue
        if any(f.link.tables == link.tables and f.link.from_table != link.from_table and f.names >= item.names for f in kept):
            continue  # the other way round is likelier
        kept.append(item)
    return kept
