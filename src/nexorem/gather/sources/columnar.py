"""Parquet, Arrow and JSON Lines."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.ipc
import pyarrow.parquet as pq

from nexorem.core.columns import Column
from nexorem.core.diagnostics import refuse
from nexorem.core.values import Vector, vector
from nexorem.gather.missing import means_nothing
from nexorem.gather.sources.bounds import (
    MOST_CELLS,
    MOST_COLUMNS,
    MOST_LINE,
    MOST_ROWS,
    MOST_UNPACKED,
    Notes,
    Progress,
    headings,
    too_many_columns,
)
from nexorem.gather.sources.json_fast import read_plain
from nexorem.gather.sources.kinds import LinesSource
from nexorem.package.arrow import coded, from_arrow
from nexorem.package.grown import Blocks, Growing, GrownValues, grown

BATCH = 1 << 18
CHUNK = 50_000
DECODE = json.JSONDecoder().decode
BROKEN = (pa.ArrowException, OSError, UnicodeError)  # whatever the library finds wrong with a file


def read_parquet(path: Path, nested: str, notes: Notes, progress: Progress) -> tuple[dict[str, Column | Vector], int]:
    """A Parquet file's columns and rows."""
    try:
        file = pq.ParquetFile(path, pre_buffer=False)  # or all of the file is in memory beside what is read of it
        meta = file.metadata
        unpacked = sum(meta.row_group(i).total_byte_size for i in range(meta.num_row_groups))
        _bounded(meta.num_rows, len(file.schema_arrow), unpacked, path.name)
        batches = file.iter_batches(batch_size=BATCH)
        return _columns(batches, file.schema_arrow, meta.num_rows, nested, notes, progress, path.name)
    except BROKEN as error:
        raise refuse(
            "bad_parquet",
            f"The Parquet file cannot be read: {(str(error).splitlines() or ['it is broken'])[0][:200]}.",
            "It may be cut short; write it again.",
            path.name,
        ) from None


def read_arrow(path: Path, nested: str, notes: Notes, progress: Progress) -> tuple[dict[str, Column | Vector], int]:
    """An Arrow file's, or stream's, columns and rows."""
    try:
        with pa.memory_map(str(path)) as source:
            try:
                opened = pa.ipc.open_file(source)
                batches: Iterator[pa.RecordBatch] = (opened.get_batch(i) for i in range(opened.num_record_batches))
            except pa.ArrowInvalid:
                source.seek(0)
                opened = pa.ipc.open_stream(source)
                batches = iter(opened)
            _bounded(0, len(opened.schema), 0, path.name)
            return _columns(batches, opened.schema, 0, nested, notes, progress, path.name)
    except BROKEN as error:
        raise refuse(
            "bad_arrow",
            f"The Arrow file cannot be read: {(str(error).splitlines() or ['it is broken'])[0][:200]}.",
            "It may be cut short; write it again.",
            path.name,
        ) from None


def _bounded(rows: int, columns: int, unpacked: int, place: str) -> None:
    if columns > MOST_COLUMNS:
        raise too_many_columns(columns, place)
    if rows > MOST_ROWS or rows * columns > MOST_CELLS or unpacked > 4 * MOST_UNPACKED:
        raise refuse(
            "too_large", f"The file holds {rows:,} rows and {columns:,} columns, {unpacked / 1024**3:,.0f} GB unpacked.", "Split it.", place
        )


def _columns(
    batches: Iterator[pa.RecordBatch], schema: pa.Schema, total: int, nested: str, notes: Notes, progress: Progress, place: str
) -> tuple[dict[str, Column | Vector], int]:
    names = headings(schema.names, notes, place)
    columns = [grown(f.type) for f in schema]
    growing = Growing(columns)
    rows = size = 0
    try:
        for batch in batches:
            rows += batch.num_rows
            size += batch.nbytes
            if size > 4 * MOST_UNPACKED or rows > MOST_ROWS:
                raise refuse("too_large", f"The file holds more than {size / 1024**3:,.0f} GB.", "Split it.", place)
            batch.validate(full=True)  # places of texts may lie outside of what a broken file holds
            growing.add(batch)
            progress(rows, rows / total if total else 0.5)
        growing.wait()
    finally:
        growing.close()
    made: dict[str, Column | Vector] = {}
    for name, column in zip(names, columns, strict=True):
        v = _column(column.finished(), name, nested, notes) if isinstance(column, Blocks) else column.finished()
        if isinstance(column, GrownValues) and column.done:
            notes.add(f"{name} holds {column.done}.")
        if v is not None:
            made[name] = v
    return made, rows


def _column(column: pa.ChunkedArray, name: str, nested: str, notes: Notes) -> Vector | None:
    if nested == "leave out" and pa.types.is_nested(column.type):
        notes.add(f"{name} holds {str(column.type)[:80]} and was left out.")
        return None
    vector, done = from_arrow(column)
    if done:
        notes.add(f"{name} holds {done}.")
    return vector


def read_lines(path: Path, source: LinesSource, notes: Notes, progress: Progress) -> tuple[dict[str, Vector], int, set[str]]:
    """JSON Lines: an object a line. A line that is none is refused with its number. The columns, how many rows, and which columns have no
    texts but such as mean no value, and would be of their other values' type without them."""
    table = read_plain(path)
    if table is not None and table.num_rows:
        progress(table.num_rows, 1.0)
        heads = headings(table.column_names, notes, path.name)
        return {name: _plain_column(table.column(i), source) for i, name in enumerate(heads)}, table.num_rows, set()
    size = max(path.stat().st_size, 1)
    names: dict[str, list[Any]] = {}
    chunk: list[dict[str, Any]] = []
    rows = number = read = 0
    with path.open("rb") as file:
        while line := file.readline(MOST_LINE + 1):
            number += 1
            read += len(line)
            if len(line) > MOST_LINE:
                raise refuse("long_line", f"Line {number:,} is longer than {MOST_LINE // 1024**2} MB.", place=path.name)
            if not line.strip():
                continue
            try:
                line_of = DECODE(line.decode())
            except (ValueError, RecursionError) as error:
                raise refuse(
                    "bad_json", f"Line {number:,} is not JSON: {str(error)[:120]}.", "Every line is an object of its own.", path.name
                ) from None
            if not isinstance(line_of, dict):
                raise refuse("bad_json", f"Line {number:,} is not an object.", "Every line is an object of its own.", path.name)
            chunk.append(line_of)
            if len(chunk) == CHUNK:
                rows = _spread(chunk, names, rows, path.name)
                progress(rows, read / size)
    rows = _spread(chunk, names, rows, path.name)
    if rows == 0:
        raise refuse("empty_file", "The file has no lines.", place=path.name)
    made, marked = {}, set()
    for name, values in zip(headings(list(names), notes, path.name), names.values(), strict=True):
        given = [None if isinstance(x, str) and x in source.missing else x for x in values] if source.missing else values
        v = _json_column(given, name, source.nested, notes)
        if v is not None:
            made[name] = v
        if _marked(given):
            marked.add(name)
    return made, rows, marked


def _plain_column(column: Any, source: LinesSource) -> Vector:
    return coded(column, source.missing) if pa.types.is_large_string(column.type) else from_arrow(column)[0]


def _marked(values: list[Any]) -> bool:
    """Whether values are numbers, or true and false, but for texts that mean no value."""
    kinds = set(map(type, values)) - {type(None), str}
    if kinds not in ({int}, {float}, {int, float}, {bool}):
        return False
    texts = {x for x in values if isinstance(x, str)}
    return bool(texts) and all(means_nothing(x) for x in texts)


def _spread(chunk: list[dict[str, Any]], names: dict[str, list[Any]], rows: int, place: str) -> int:
    """Objects to the columns they have in common; gives the number of rows so far and empties the chunk."""
    for key in dict.fromkeys(k for objects in chunk for k in objects):
        if key not in names:
            if len(names) >= MOST_COLUMNS:
                raise too_many_columns(len(names) + 1, place)
            names[key] = [None] * rows
    for key, column in names.items():
        column += [objects.get(key) for objects in chunk]
    rows += len(chunk)
    chunk.clear()
    return rows


def _json_column(values: list[Any], name: str, nested: str, notes: Notes) -> Vector | None:
    kinds = set(map(type, values)) - {type(None)}
    if kinds & {dict, list}:
        if nested == "leave out":
            notes.add(f"{name} holds objects or lists and was left out.")
            return None
        notes.add(f"{name} holds objects or lists; each value is kept as a JSON text.")
    elif kinds == {bool}:
        return vector("boolean", values)
    elif kinds == {int} and all(x is None or -(2**63) <= x < 2**63 for x in values):
        return from_arrow(pa.array(values, pa.int64()))[0]
    elif kinds and kinds <= {int, float}:
        return from_arrow(pa.array([None if x is None else float(x) for x in values], pa.float64()))[0]
    elif len(kinds) > 1:
        notes.add(f"{name} holds several kinds of values; it is kept as text.")
    texts = [x if x is None or isinstance(x, str) else json.dumps(x, ensure_ascii=False) for x in values]
    return coded(
        pa.array([x if x is None else x.encode("utf-8", "replace").decode() for x in texts] if _odd(texts) else texts, pa.large_string())
    )


def _odd(texts: list[Any]) -> bool:
    """Whether a text has half of a pair of surrogates, which JSON can write and UTF-8 cannot."""
    try:
        "".join(x for x in texts if x is not None).encode()
    except UnicodeEncodeError:
        return True
    return False
