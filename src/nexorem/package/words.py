"""Dictionaries of texts, put in order all in one call."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nexorem.core.numbering import spread_out
from nexorem.core.values import NO_WORDS, Array, Vector, empties

MANY_WORDS = 1 << 20  # that are worth two threads
SAMPLE = 1_001  # words of which the middle one parts the others


def arrow_words(words: Array) -> pa.Array:
    """The words of a text vector as an Arrow array."""
    return pa.array(words.tolist() if len(words) else [], type=pa.large_string())


def object_words(texts: pa.Array) -> Array:
    """Arrow texts as a dictionary of words."""
    return texts.to_numpy(zero_copy_only=False) if len(texts) else NO_WORDS


def in_order(dictionaries: list[pa.LargeStringArray]) -> tuple[Array, pa.LargeStringArray]:
    """int32[n]: where each word of some dictionaries, which are gone then, stands among the distinct ones, ascending; and those. Cost: a
    sort, by two threads where they are many."""
    words = pa.concat_arrays(dictionaries)
    dictionaries.clear()
    order = _order(words)
    words = words.take(pa.array(order))
    differs = np.ones(len(words), bool)
    differs[1:] = pc.not_equal(words[1:], words[:-1]).to_numpy(zero_copy_only=False)
    place = np.empty(len(words), np.int32)
    place[order] = np.cumsum(differs, dtype=np.int32) - 1
    return place, words if differs.all() else words.filter(pa.array(differs))


def _order(words: pa.LargeStringArray) -> Array:
    """The places of words, those of the least first."""
    if len(words) < MANY_WORDS:
        return np.asarray(pc.sort_indices(words).to_numpy())
    some = words.take(pa.array(spread_out(len(words), SAMPLE)))
    middle = some[pc.sort_indices(some)[len(some) // 2].as_py()]
    first = pc.less(words, middle).to_numpy(zero_copy_only=False)
    halves = [np.flatnonzero(first), np.flatnonzero(~first)]

    def ordered(places: Array) -> Array:
        return np.asarray(places[pc.sort_indices(words.take(pa.array(places))).to_numpy()])

    with ThreadPoolExecutor(2) as pool:
        return np.concatenate(list(pool.map(ordered, halves)))


def recoded(codes: Array, valid: Array, words: Sequence[str | None] | pa.Array) -> Vector:
    """A text vector from places in `words`, which may repeat and stand in any order; None is empty.

    `words` are as many as the codes reach; an empty list gives empties.
    """
    texts = words if isinstance(words, pa.Array | pa.ChunkedArray) else pa.array(words, type=pa.large_string())
    texts = texts.combine_chunks() if isinstance(texts, pa.ChunkedArray) else texts
    if len(texts) == 0:
        return empties("text", len(codes))
    if texts.null_count == 0 and len(texts) > 1 and pc.all(pc.less(texts[:-1], texts[1:])).as_py():
        return Vector("text", np.where(valid, codes, 0).astype(np.int32), valid, object_words(texts))
    encoded = texts.dictionary_encode()
    order = pc.sort_indices(encoded.dictionary).to_numpy()
    place = np.full(len(order) + 1, -1, np.int64)
    place[order] = np.arange(len(order))
    codes_now = place[pc.fill_null(encoded.indices, len(order)).to_numpy()][codes]
    live = valid & (codes_now >= 0)
    return Vector("text", np.where(live, codes_now, 0).astype(np.int32), live, object_words(encoded.dictionary.take(pa.array(order))))
