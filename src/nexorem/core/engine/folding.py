"""Filters of single rows take in what others ask of what these rows look up: two filters that go together are one."""

from __future__ import annotations

import numpy as np

from nexorem.core.engine.context import Sets
from nexorem.core.engine.visibility import Pattern, Selector, domain_size, places_of
from nexorem.core.limits import Budget
from nexorem.core.model.star import ROWS, Star
from nexorem.core.values import Array

MANY_CLASSES = 64  # from which on selectors are folded into one
MOST_FOLDED = 2_000_000  # rows that are looked at for it


def folded(star: Star, pattern: Pattern, budget: Budget) -> Pattern:
    """The same pattern with fewer selectors: one on single rows of a table, or on a column that tells them apart, where each class has rows
    of its own, takes into its sets what others ask of what these rows look up. Cost: the rows of all sets."""
    filters, wanted = pattern.selectors, pattern.wanted
    for i, own in enumerate(filters):
        if len(wanted) < MANY_CLASSES or not is_unique(star, own):
            continue
        lengths = own.sets.offsets[wanted[:, i] + 1] - own.sets.offsets[wanted[:, i]]
        if lengths.sum() > min(MOST_FOLDED, star.size(own.table) + 1):
            continue
        # What all classes ask alike of an axis is left to the scan, which then looks at fewer rows.
        theirs = [j for j, s in enumerate(filters) if j != i and _leads_on(own, s) and (own.columns is ROWS or np.ptp(wanted[:, j]))]
        members = own.sets.members[places_of(own.sets.offsets, wanted[:, i], lengths, int(lengths.sum()))]
        if not theirs or np.bincount(members).max(initial=0) > 1:
            continue
        budget.take(len(members), 40, "Filters of single rows")
        rows = members if own.columns is ROWS else star.domain(own.table, own.columns).firsts[members]
        classes_of = np.repeat(np.arange(len(wanted)), lengths)
        passes = np.ones(len(members), bool)
        for j in theirs:
            s = filters[j]
            codes = star.spread(s.table, s.columns, s.chain[len(own.chain) :])[rows]
            passes &= _holds(s.sets, wanted[:, j], classes_of, codes, domain_size(star, s))
        offsets = np.concatenate([[0], np.cumsum(np.bincount(classes_of[passes], minlength=len(wanted)))])
        single = Selector(own.table, own.columns, own.chain, type(own.sets)(offsets, members[passes]), own.index)
        kept = [j for j in range(len(filters)) if j not in theirs and j != i]
        columns = [np.arange(len(wanted)), *(wanted[:, j] for j in kept)]
        return Pattern(pattern.members, [single, *(filters[j] for j in kept)], np.stack(columns, axis=1))
    return pattern


def is_unique(star: Star, selector: Selector) -> bool:
    """Whether each member of a selector is one row of its table, and so stands in one member of any other column."""
    return domain_size(star, selector) == star.size(selector.table) + 1


def _holds(sets: Sets, wanted: Array, classes_of: Array, members: Array, size: int) -> Array:
    """bool: whether the set that the class of each entry wants has its member."""
    if (wanted == wanted[0]).all():
        return sets.mask(int(wanted[0]), size)[members]
    parts = sets.parts(size)
    if parts is not None:
        return np.asarray(parts[members] == wanted[classes_of])
    return np.isin(wanted[classes_of] * size + members, sets.owner() * size + sets.members)


def _leads_on(own: Selector, other: Selector) -> bool:
    """Whether what a selector looks at is looked up by the rows of another's table, along the same way."""
    before, after = other.chain[: len(own.chain)], other.chain[len(own.chain) :]
    return before == own.chain and (after[0].from_table if after else other.table) == own.table
