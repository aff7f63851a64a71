"""Dictionaries of texts, put in order all in one call."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nexorem.core.values import NO_WORDS, Array, Vector, empties


def arrow_words(words: Array) -> pa.Array:
    """The words of a text vector as an Arrow array."""
    return pa.array(words.tolist() if len(words) else [], type=pa.large_string())


def object_words(texts: pa.Array) -> Array:
    """Arrow texts as a dictionary of words."""
    return np.array(texts.to_pylist(), dtype=object) if len(texts) else NO_WORDS


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
