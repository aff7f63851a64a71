"""Which row lines a probe keeps: those for which its conditions hold, then the top ones. Judged on what the lines are over all columns,
before a cell is computed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nexorem.core.engine.member_order import member_ranks
from nexorem.core.engine.order import TOTAL, Axis, places_of
from nexorem.core.engine.probe import Having, Top
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct_any
from nexorem.core.values import Array, Vector


@dataclass(frozen=True, slots=True, eq=False)
class Judged:
    """What the lines are judged by: the `prefixes` of all of them (every beginning, totalled over the rest), and the values on these of the
    conditions and of the measure that the top is by. One that has failed there leaves its line."""

    prefixes: Array
    conditions: Sequence[Vector]
    by: Vector | None


def kept_lines(star: Star, axis: Axis, having: Sequence[Having], top: Top | None, judged: Judged) -> Array:
    """int64: the places of the lines that stay, ascending. Totals of parents that keep no line go with them; the grand total stays."""
    lines = axis.lines
    depth = lines.shape[1]
    whole = (lines != TOTAL).all(axis=1)
    kept = np.ones(len(lines), bool)
    for item, judgement in zip(having, judged.conditions, strict=True):
        level = depth - 1 if item.level is None else item.level
        holds = judgement.true() if judgement.failed is None else judgement.true() | (judgement.failed > 0)
        kept &= (lines[:, level] == TOTAL) | holds[_beginnings(lines, level, judged.prefixes)]
    if top and isinstance(judged.by, Vector):
        level = depth - 1 if top.level is None else top.level
        kept &= (lines[:, level] == TOTAL) | _among_top(star, axis, kept & whole, level, top, judged)
    return np.flatnonzero(kept & _with_parts(lines, kept & whole))


def _beginnings(lines: Array, level: int, prefixes: Array) -> Array:
    """int64[L]: where the beginning of each line up to a level stands among the prefixes."""
    cut = lines.copy()
    cut[:, level + 1 :] = TOTAL
    return places_of(cut, prefixes)


def _among_top(star: Star, axis: Axis, live: Array, level: int, top: Top, judged: Judged) -> Array:
    """bool[L]: the lines whose beginning is among the top ones of its parent. `live` are the whole lines that are still there; a beginning
    without one, or with an empty value, is among none."""
    lines, ranking = axis.lines, judged.by
    assert isinstance(ranking, Vector)
    at = _beginnings(lines, level, judged.prefixes)
    begun = distinct_any(at[live & ranking.valid[at]])
    starts = judged.prefixes[begun]
    ranks, _ = ranking.codes()
    value = ranks[begun] if top.ascending else -ranks[begun]
    parents = places_of(_up_to(starts, level), judged.prefixes) if level else np.zeros(len(begun), np.int64)
    members = member_ranks(star, *axis.columns[level])[starts[:, level]] if len(begun) else np.zeros(0, np.int64)
    order = np.lexsort((members, value, parents))
    first = np.flatnonzero(np.diff(parents[order], prepend=-1))
    sizes = np.diff(np.append(first, len(order)))
    last = value[order[first + np.minimum(top.count, sizes) - 1]] if len(order) else value[:0]
    stays = np.zeros(len(judged.prefixes), bool)
    if top.ties:
        stays[begun[order]] = value[order] <= np.repeat(last, sizes)
    else:
        stays[begun[order]] = np.arange(len(order)) - np.repeat(first, sizes) < top.count
    if ranking.failed is not None:
        stays |= ranking.failed > 0
    return stays[at]


def _up_to(lines: Array, level: int) -> Array:
    cut = lines.copy()
    cut[:, level:] = TOTAL
    return cut


def _with_parts(lines: Array, whole: Array) -> Array:
    """bool[L]: whole lines, totals that have one of these beneath them, and the grand total."""
    kept = whole | (lines == TOTAL).all(axis=1)
    for level in range(1, lines.shape[1]):
        totals = np.flatnonzero((lines[:, level:] == TOTAL).all(axis=1) & (lines[:, level - 1] != TOTAL))
        if len(totals):
            parents = distinct_any(places_of(_up_to(lines[whole], level), lines[totals], missing=True))
            kept[totals[parents[parents >= 0]]] = True
    return np.asarray(kept)
