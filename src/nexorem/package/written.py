"""Columns to CSV and Parquet, a block of rows at a time: what is written never stands whole in memory."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from itertools import repeat
from typing import BinaryIO

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from nexorem.core.columns import Column
from nexorem.core.functions.convert import number_text
from nexorem.core.values import NO_WORDS, Array, Vector, iso
from nexorem.package.arrow import ARROW, to_arrow
from nexorem.package.numerals import bytes_of
from nexorem.package.words import arrow_words

BLOCK = 1 << 18  # rows that are written at a time
PLAIN = (1e-4, 1e9)  # doubles between these Arrow writes as we do
TEXT = pa.large_string()


def write_parquet(columns: Mapping[str, Column], out: BinaryIO) -> None:
    """Columns as a Parquet file; a group of its rows for each block."""
    words = {name: arrow_words(c.members.words) for name, c in columns.items() if c.dtype == "text" and c.members is not None}
    schema = pa.schema([(name, ARROW[c.dtype]) for name, c in columns.items()])
    with pq.ParquetWriter(out, schema) as writer:
        for rows in _blocks(columns):
            arrays = [_texts(c, rows, words[name]) if name in words else to_arrow(c.take(rows)) for name, c in columns.items()]
            writer.write_table(pa.table(arrays, schema))


def _blocks(columns: Mapping[str, Column]) -> Iterator[Array]:
    """The numbers of the rows, block by block; one block without any for a table that has none."""
    size = next((c.size for c in columns.values()), 0)
    for start in range(0, size or 1, BLOCK):
        yield np.arange(start, min(start + BLOCK, size))


def _texts(column: Column, rows: Array, words: pa.Array) -> pa.Array:
    assert column.codes is not None
    codes = column.codes[rows].astype(np.int32)
    if not len(words):
        return pa.nulls(len(codes), pa.string())
    places = pa.array(codes, mask=codes >= len(words))
    return pa.DictionaryArray.from_arrays(places, words).cast(TEXT).cast(pa.string())


def missing_word(column: Column) -> str:
    """What stands for empty in a CSV: nothing, unless the column holds empty texts as well."""
    words = column.members.words if column.dtype == "text" and column.members is not None else NO_WORDS
    if not len(words) or words.item(0) != "":  # they are in order
        return ""
    word, there = "NULL", set(words)
    while word in there:
        word += "_"
    return word


def write_csv(columns: Mapping[str, Column], out: BinaryIO) -> None:
    """Columns as a CSV with a header, UTF-8, lines ended by a line feed."""
    head = io.StringIO()
    csv.writer(head, lineterminator="\n").writerow(columns)
    out.write(head.getvalue().encode())
    fields = [_Fields(c, missing_word(c), alone=len(columns) == 1) for c in columns.values()]
    with ThreadPoolExecutor(2) as pool:
        for rows in _blocks(columns) if fields else ():
            parts = list(pool.map(_Fields.of, fields, repeat(rows)))
            lines = pc.binary_join_element_wise(*parts, pa.scalar(",", TEXT)) if len(parts) > 1 else parts[0]
            written, _ = bytes_of(pc.binary_join_element_wise(lines, pa.scalar("", TEXT), pa.scalar("\n", TEXT)))
            out.write(written.data)


class _Fields:
    """A column's values as a CSV has them: each member is written once, and values without members a block at a time."""

    def __init__(self, column: Column, missing: str, alone: bool) -> None:
        self.column, self.missing, self.alone = column, missing, alone
        self.members = None if column.codes is None or column.members is None else self._written(column.members)

    def of(self, rows: Array) -> pa.Array:
        """Texts, as many as there are rows."""
        if self.members is None or self.column.codes is None:
            return self._written(self.column.take(rows))
        return self.members.take(pa.array(self.column.codes[rows]))

    def _written(self, values: Vector) -> pa.Array:
        texts = _plain_texts(values)
        if not values.valid.all():
            texts = pc.if_else(pa.array(values.valid), texts, pa.scalar(self.missing, TEXT))
        # A line without anything would be no row.
        return pc.if_else(pc.equal(texts, ""), pa.scalar('""', TEXT), texts) if self.alone else texts


def _plain_texts(values: Vector) -> pa.Array:
    """Values as texts, in quotes where they have to be; anything where there is no value."""
    if values.dtype == "text" and len(values.words):
        return _quoted(arrow_words(values.words)).take(pa.array(values.data))
    if values.dtype == "integer":
        return pa.array(values.data).cast(TEXT)
    if values.dtype == "number":
        size = np.abs(values.data)
        plain = ((size >= PLAIN[0]) & (size < PLAIN[1])) | ((size == 0) & ~np.signbit(values.data))
        others = np.flatnonzero(values.valid & ~plain)
        mask = np.zeros(len(values), bool)
        mask[others] = True
        written = pa.array([number_text(x) for x in values.data[others].tolist()], TEXT)
        return pc.replace_with_mask(pa.array(values.data).cast(TEXT), pa.array(mask), written)
    if values.dtype == "boolean":
        return pa.array(values.data.astype(bool)).cast(TEXT)
    return pa.array(["" if x is None else str(iso(x)) for x in values.tolist()], TEXT)


def _quoted(texts: pa.Array) -> pa.Array:
    needs = pc.match_substring_regex(texts, '[,"\n\r]')
    if not pc.any(needs).as_py():
        return texts
    mark = pa.scalar('"', TEXT)
    quoted = pc.binary_join_element_wise(mark, pc.replace_substring(texts, '"', '""'), mark, pa.scalar("", TEXT))
    return pc.if_else(needs, quoted, texts)
