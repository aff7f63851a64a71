"""The order of a column's members on axes, in picks and pictures: by the column it is ordered by, else by what they are, numbers inside
texts as numbers."""

from __future__ import annotations

import re

import numpy as np

from nexorem.core.model.star import Star
from nexorem.core.values import Array, Vector

MOST_NATURAL = 200_000  # members, beyond which texts stand by their code points
DIGITS = re.compile(r"([0-9]+)")


def member_ranks(star: Star, table: str, column: str) -> Array:
    """int64[size of the column's domain]: the place of each member, each place once; empties behind the values, the unmatched member last.

    Without `order_by` and without digits in texts these are the members' own numbers. Kept with the rows.
    """
    info = star.model.table(table)
    own = info.column(column) if info else None
    by = info.column(own.order_by) if info and own and own.order_by else None
    name = by.name if by and by.name != column and by.name in star.rows[table].columns else ""
    return star.derive(("order", table, column, name), lambda: _ranks(star, table, column, name))


def _ranks(star: Star, table: str, column: str, by: str) -> Array:
    domain = star.domain(table, (column,))
    members = star.column(table, column).take(domain.firsts[:-1])
    keys: list[Array] = [np.arange(len(members))]
    if members.dtype == "text" and (natural := _natural(members)) is not None:
        keys.append(natural)
    if by:
        keys.append(_least(star, table, column, by)[:-1])
    keys.append(~members.valid)
    ranks = np.empty(domain.size, np.int64)
    ranks[np.lexsort(keys)] = np.arange(len(members))
    ranks[-1] = domain.size - 1
    return ranks


def _natural(members: Vector) -> Array | None:
    """int64: the places of texts by their letters and the numbers between them; None where none has a number, or they are very many."""
    if len(members) > MOST_NATURAL:
        return None
    texts = [x or "" for x in members.tolist()]
    if not any(DIGITS.search(str(x)) for x in texts):
        return None
    order = sorted(range(len(texts)), key=lambda i: _natural_key(str(texts[i])))
    places = np.empty(len(texts), np.int64)
    places[order] = np.arange(len(texts))
    return places


def _natural_key(text: str) -> list[tuple[int, int, str]]:
    """Letters and numbers in turn: numbers stand before letters, and by how long they are without zeros in front."""
    parts = []
    for place, part in enumerate(DIGITS.split(text)):
        if place % 2:
            bare = part.lstrip("0")
            parts.append((0, len(bare), bare))
        elif part:
            parts.append((1, 0, part))
    return parts


def _least(star: Star, table: str, column: str, by: str) -> Array:
    """int64[size]: for each member the place of the smallest value that its rows have in another column; those without one stand last."""
    domain = star.domain(table, (column,))
    ranks, empty = star.column(table, by).take(np.arange(star.rows[table].size + 1)).codes()
    other = star.domain(table, (by,))
    natural = member_ranks(star, table, by)[other.codes]  # which is ordered in its turn
    values = np.where(ranks < empty, natural, np.iinfo(np.int64).max)
    least = np.full(domain.size, np.iinfo(np.int64).max)
    np.minimum.at(least, domain.codes.astype(np.int64), values)
    return least
