"""The rows of a star in an embedded columnar database, and a probe answered there."""

from __future__ import annotations

import datetime as dt

import duckdb
import pyarrow as pa

from nexorem.core.engine.probe import probe_of
from nexorem.core.values import iso
from nexorem.sql.build import Places
from nexorem.sql.dialects import DUCKDB
from nexorem.sql.probe import compiled
from nexorem.sql.tree import EMPTY, TOTAL, UNMATCHED, to_run

ARROW = {
    "integer": pa.int64(),
    "number": pa.float64(),
    "text": pa.string(),
    "boolean": pa.bool_(),
    "date": pa.date32(),
    "datetime": pa.timestamp("us"),
}


def places_of(star):
    return Places(keys={t.name: "_row" for t in star.model.tables})


def loaded(star):
    """A database with the star's tables, each with the number of its rows."""
    base = duckdb.connect(config={"threads": 1})
    for table in star.model.tables:
        size = star.size(table.name)
        columns = {c.name: pa.array(star.column(table.name, c.name).rows().tolist(), ARROW[c.dtype]) for c in table.columns}
        rows = pa.table({**columns, "_row": pa.array(range(size), pa.int64())})  # noqa: F841
        base.execute(f'CREATE TABLE "{table.name}" AS SELECT * FROM rows')
    return base


def member(kind, value):
    return "(unmatched)" if kind == UNMATCHED else None if kind == EMPTY else iso(value)


def cells(star, probe, answer, lines):
    """What a statement gave, as the tidy cells of a grid."""
    names = [f"{t}.{c}" for t, c in (*probe.rows, *probe.columns)]
    found = []
    for line in lines:
        place = {n: member(line[2 * i], line[2 * i + 1]) for i, n in enumerate(names) if line[2 * i] != TOTAL}
        found.append({**place, **{m: iso(v) for m, v in zip(probe.measures, line[2 * len(names) :], strict=True)}})
    return found


def asked(star, base, data):
    """The tidy cells of a probe, from the database."""
    probe = probe_of(star, data)
    answer = compiled(star, probe, DUCKDB, places_of(star))
    text, values = to_run(answer.statement, DUCKDB)
    return cells(star, probe, answer, base.execute(text, values).fetchall())


__all__ = ["asked", "cells", "dt", "loaded", "places_of"]
