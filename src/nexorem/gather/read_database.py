"""Rows of a database, by way of a CSV that it copies out."""

from __future__ import annotations

import time
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv

from nexorem.core.diagnostics import refuse
from nexorem.core.values import Vector
from nexorem.core.words import an, counted, verb
from nexorem.gather.frame import Frame
from nexorem.gather.read import Reading, plain_report, reading_of, table_name
from nexorem.gather.sources import database
from nexorem.gather.sources import kinds as k
from nexorem.gather.sources.bounds import Notes, Progress, headings, silent
from nexorem.gather.texts import Reads
from nexorem.gather.typed import Misfits, typed
from nexorem.package.arrow import coded


def read_database(connection: Any, source: k.DatabaseSource, progress: Progress = silent) -> Reading:
    """Rows of a database by way of a CSV that keeps empties and empty texts apart."""
    start, notes = time.monotonic(), Notes()
    if not source.table and not source.query:
        raise refuse("bad_source", "A database source names a table, or a SELECT.", "Choose one.", source.connection)
    with TemporaryDirectory() as folder:
        path = Path(folder) / "rows.csv"
        columns = database.copied(connection, source, path, progress)
        zone = str(connection.execute("SHOW timezone").fetchone()[0])
        key = database.key_of(connection, source)
        source = source.model_copy(update={"references": database.references_of(connection, source)})
        names = headings([c for c, _ in columns], notes, source.connection)
        table = _copied_rows(path, names)
    vectors: dict[str, Vector] = {}
    reports = []
    for name, (_, kind) in zip(names, columns, strict=True):
        vectors[name], missed = _database_column(name, kind, table.column(name), zone, notes)
        reports.append(plain_report(name, vectors[name]) | {"misfits": missed.as_json()})
    name = source.table or "Query"
    return reading_of(
        table_name(name), Frame(table.num_rows, vectors), source.model_dump(exclude_defaults=True), reports, notes, start, key
    )


def _copied_rows(path: Path, names: list[str]) -> pa.Table:
    """What a database copied out, as texts; empties are apart from empty texts."""
    if not path.stat().st_size:
        return pa.table({n: pa.array([], pa.string()) for n in names})
    convert = pacsv.ConvertOptions(
        column_types={n: pa.string() for n in names}, strings_can_be_null=True, null_values=[""], quoted_strings_can_be_null=False
    )
    options = pacsv.ReadOptions(column_names=names, block_size=16 << 20)
    return pacsv.read_csv(path, options, pacsv.ParseOptions(newlines_in_values=True), convert)


def _database_column(name: str, kind: str, texts: pa.ChunkedArray, zone: str, notes: Notes) -> tuple[Vector, Misfits]:
    """A column by the type that the database gives it, and what has no place in ours; what is lost is noted."""
    dtype = database.TYPES.get(kind.split("(")[0].strip(), "text")
    dtype = "integer" if dtype == "number" and kind.startswith("numeric") and _whole(texts, kind) else dtype
    words = coded(texts)
    if dtype == "boolean":
        spelled = np.array([{"t": "true", "f": "false"}.get(w, w) for w in words.words], dtype=object)
        words = Vector("text", words.data, words.valid, spelled)
    vector, missed = typed(words, Reads(dtype), "empty")
    if kind.startswith("numeric"):
        digits = "" if dtype == "integer" else ", the nearest of 15 to 17 digits"
        notes.add(f"{name} is {kind} there; it is kept as {dtype}{digits}.")
    if kind == database.WITH_ZONE:
        notes.add(f"{name} holds moments with a zone; they are kept as the clock of {zone} shows them.")
    if missed.count:
        some = f"{counted(missed.count, 'value')} of {name}, such as {missed.rows[0][1]!r},"
        notes.add(f"{some} {verb(missed.count, 'has', 'have')} no place in {an(dtype)} and became empty.")
    return vector, missed


def _whole(texts: pa.ChunkedArray, kind: str) -> bool:
    """Whether decimals are whole numbers of 64 bits: declared without places, or undeclared and beyond what a number tells apart."""
    if not kind.endswith(",0)") and kind != "numeric":
        return False
    digits = texts.drop_null()
    try:
        whole = digits.cast(pa.int64())
    except pa.ArrowInvalid:
        return False
    return kind != "numeric" or bool(pc.any(pc.greater(pc.abs(whole), 2**53)).as_py())
