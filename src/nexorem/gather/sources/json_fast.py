"""JSON Lines by a reader of its own, where all lines are objects of the same plain kinds; whatever is not so is read line by line."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.json as paj

from nexorem.gather.sources.bounds import MOST_COLUMNS, MOST_ROWS

SAMPLED = 2_000  # lines at the beginning, and about as many in each of two other places
PART = 512 * 1024  # bytes of such a place
BLOCK = 16 * 1024**2
KINDS: dict[frozenset[type], Any] = {
    frozenset({bool}): pa.bool_(),
    frozenset({int}): pa.int64(),
    frozenset({float}): pa.float64(),
    frozenset({int, float}): pa.float64(),
    frozenset({str}): pa.large_string(),
}


def read_plain(path: Path) -> Any | None:
    """An Arrow table of the file, its columns booleans, whole numbers, doubles and texts in the order in which they are met; None where it
    has to be read line by line: kinds that are mixed or nested, keys that come late, lines that are no object, whole numbers beyond 64
    bits. Cost: a second for some millions of rows."""
    kinds = _kinds(path)
    if kinds is None:
        return None
    schema = pa.schema([(name, KINDS[frozenset(found)]) for name, found in kinds.items()])
    parse = paj.ParseOptions(explicit_schema=schema, newlines_in_values=False, unexpected_field_behavior="error")
    try:
        table = paj.read_json(path, read_options=paj.ReadOptions(block_size=BLOCK), parse_options=parse)
    except (pa.ArrowException, OSError, UnicodeError):
        return None
    # One object a line: two on one, or one on two, are for the reader that says so.
    return table.select(list(kinds)) if table.num_rows == _lines(path) and table.num_rows <= MOST_ROWS else None


def _kinds(path: Path) -> dict[str, set[type]] | None:
    """The keys, and of what kinds their values are in lines from the beginning, the middle and the end; None where some are mixed."""
    kinds: dict[str, set[type]] = {}
    try:
        for number, line in enumerate(_sampled(path)):
            read = json.loads(line)
            if not isinstance(read, dict) or (number >= SAMPLED and not read.keys() <= kinds.keys()) or len(kinds) > MOST_COLUMNS:
                return None
            for key, value in read.items():
                kinds.setdefault(key, set()).add(type(value))
    except (ValueError, RecursionError, OSError):
        return None
    for found in kinds.values():
        found.discard(type(None))
    return kinds if kinds and all(frozenset(found) in KINDS for found in kinds.values()) else None


def _sampled(path: Path) -> Iterator[bytes]:
    """Whole lines: the first ones, then of two other places, where the file is long."""
    size = path.stat().st_size
    with path.open("rb") as file:
        for _ in range(SAMPLED):
            line = file.readline(BLOCK)
            if not line:
                return
            if line.strip():
                yield line
        for place in (size // 2, size - PART):
            if place <= file.tell():
                continue
            file.seek(place)
            lines = file.read(PART).split(b"\n")
            yield from (line for line in lines[1:-1] if line.strip())


def _lines(path: Path) -> int:
    """The lines that are not blank."""
    with path.open("rb") as file:
        return sum(1 for line in file if not line.isspace())
