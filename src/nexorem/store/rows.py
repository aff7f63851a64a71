"""Loads in the store: the rows of a table as they were read, as Arrow with lz4, in parts."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Collection, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from itertools import islice
from typing import Any

import numpy as np
from sqlalchemy import Connection, delete, func, insert, select, update

from nexorem.core.columns import Column, joined, narrow
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.model.rows import Chosen, TableRows, apart
from nexorem.core.model.star import Star
from nexorem.core.values import NO_WORDS, Vector
from nexorem.gather.frame import Frame
from nexorem.gather.made import is_made
from nexorem.package.parts import pack, unpack
from nexorem.store import tables
from nexorem.store.nul import without_nul

PART_ROWS = 1_000_000
AT_ONCE = 4  # parts that are packed and not yet in the store
TOGETHER = 1_000_000  # cells of loads that are read by one question, at most


def save_load(
    connection: Connection,
    model_id: int,
    table: str,
    frame: Frame,
    *,
    source: Mapping[str, Any] | None = None,
    report: Mapping[str, Any] | None = None,
    author: str = "",
    state: str = "kept",
) -> int:
    """Keeps the rows of a table; gives the number of the load."""
    columns = [{"name": c, "dtype": dtype} for c, dtype in frame.types().items()]
    described = dict(report or {})
    values = {
        "model_id": model_id,
        "table_name": table,
        "size": frame.size,
        "columns": columns,
        "source": without_nul(dict(source or {})),
        "report": without_nul(described),
        "seconds": float(described.get("seconds", 0)),
        "author": author,
        "state": state,
    }
    load_id = int(connection.execute(insert(tables.load).values(**values).returning(tables.load.c.id)).scalar_one())
    statement = insert(tables.load_part)
    for part in _parts(frame):
        connection.execute(statement, {"load_id": load_id, **part})
    return load_id


def _parts(frame: Frame) -> Iterator[dict[str, Any]]:
    """All columns in parts, packed by two threads while those before go to the store; few of them are there at a time."""

    def packed(name: str, start: int) -> dict[str, Any]:
        piece = frame.part(name, np.arange(start, min(start + PART_ROWS, frame.size)))
        data = piece.data if piece.dtype in ("number", "boolean") else narrow(piece.data)
        # The dictionary travels once.
        sent = pack(Vector(piece.dtype, data, piece.valid, piece.words if start == 0 else NO_WORDS))
        return {"column_name": name, "part": start // PART_ROWS, "dtype": piece.dtype, "data": sent}

    wanted = ((name, start) for name in frame.columns for start in range(0, max(frame.size, 1), PART_ROWS))
    with ThreadPoolExecutor(2) as pool:
        ahead = deque(pool.submit(packed, *x) for x in islice(wanted, AT_ONCE))
        while ahead:
            yield ahead.popleft().result()
            ahead.extend(pool.submit(packed, *x) for x in islice(wanted, 1))


def save_rows(
    connection: Connection, model_id: int, star: Star, author: str, raw: Mapping[str, Frame], reports: Mapping[str, Any]
) -> dict[str, int]:
    """Keeps the rows of every table: as they were loaded, where `raw` has them so. What is computed or made here is made again.
    Gives each table's load."""
    ids = {}
    for table in (x for x in star.model.tables if not x.formula and not is_made(x.origin)):
        frame = raw.get(table.name) or stored_frame(star, table.name)
        report = {k: v for k, v in reports.get(table.name, {}).items() if k != "sample"}
        ids[table.name] = save_load(connection, model_id, table.name, frame, source=table.origin, report=report, author=author)
    return ids


def stored_frame(star: Star, name: str) -> Frame:
    """The columns of a table that are not computed."""
    table, rows = star.model.table(name), star.rows[name]
    assert table
    computed = {c.name for c in table.columns if c.formula}
    return Frame.of(TableRows(rows.size, Chosen.of(apart(rows.columns), [c for c in rows.columns if c not in computed])))


def read_load(connection: Connection, load_id: int) -> Frame:
    """The rows of a load, its columns in their order; refuses where they were forgotten."""
    frames = read_loads(connection, [load_id])
    if not frames:
        raise load_gone()
    return frames[load_id]


def read_loads(connection: Connection, load_ids: Sequence[int], most: float = math.inf) -> dict[int, Frame]:
    """The rows of those of some loads that are there, of no more than `most` cells. Small ones are asked for together: a model of many
    tables is opened with few questions; of large ones a column at a time is on its way."""
    c = tables.load.c
    described = select(c.id, c.size, c.columns).where(c.id.in_(load_ids), c.size * func.jsonb_array_length(c.columns) <= most)
    loads = {r.id: (int(r.size), {x["name"]: str(x["dtype"]) for x in r.columns}) for r in connection.execute(described)}
    frames, together, cells = {}, list[int](), 0
    for number, (size, dtypes) in loads.items():
        cells += size * len(dtypes)
        if cells <= TOGETHER:
            together.append(number)
        else:
            columns = {name: _column(dtype, _packed(connection, [number], name)[number, name]) for name, dtype in dtypes.items()}
            frames[number] = Frame.of(TableRows(size, columns))
    packed = _packed(connection, together)
    for number in together:
        size, dtypes = loads[number]
        frames[number] = Frame.of(TableRows(size, {name: _column(dtype, packed[number, name]) for name, dtype in dtypes.items()}))
    return frames


def _packed(connection: Connection, load_ids: Sequence[int], column: str | None = None) -> dict[tuple[int, str], list[bytes]]:
    """The parts of columns as they lie in the store, by load and column, in their order."""
    part = tables.load_part.c
    wanted = select(part.load_id, part.column_name, part.data).where(part.load_id.in_(load_ids)).order_by(part.load_id, part.part)
    parts: dict[tuple[int, str], list[bytes]] = {}
    for r in connection.execute(wanted if column is None else wanted.where(part.column_name == column)) if load_ids else ():
        parts.setdefault((r.load_id, r.column_name), []).append(r.data)
    return parts


def _column(dtype: str, packed: Sequence[bytes]) -> Column:
    parts = [unpack(dtype, data) for data in packed]
    return joined(dtype, [(p.data, None if p.valid.all() else p.valid) for p in parts], parts[0].words)


def looks_of(connection: Connection, loads: Collection[int]) -> dict[int, dict[str, Any]]:
    """Looks at tables that stay elsewhere, by their number: what was found there (`stays`), when, and the model that they are of."""
    c = tables.load.c
    found = connection.execute(select(c.id, c.model_id, c.report, c.loaded_at).where(c.id.in_(loads)))
    return {r.id: {**r.report["stays"], "at": r.loaded_at.isoformat(), "model_id": r.model_id} for r in found if r.report.get("stays")}


def load_times(connection: Connection, loads: Collection[int]) -> dict[int, str]:
    """When loads were made, by their number."""
    c = tables.load.c
    return {r.id: r.loaded_at.isoformat() for r in connection.execute(select(c.id, c.loaded_at).where(c.id.in_(loads)))}


def load_gone() -> Refused:
    """What is said of a load that was forgotten."""
    return refuse(
        "load_gone",
        "The rows that stood here then are no longer kept: only the newest loads of each table are.",
        "Load the table again, or use one of the loads that Gather lists.",
    )


def are_kept(connection: Connection, model_id: int, loads: Collection[int]) -> bool:
    """Whether loads are all there."""
    c = tables.load.c
    ids = connection.execute(select(c.id).where(c.model_id == model_id, c.id.in_(loads)))
    return len(ids.all()) == len(set(loads))


def loads_of(connection: Connection, model_id: int, names: Sequence[str] | None = None) -> list[dict[str, Any]]:
    """The loads of a model, or of one of its tables under the names that it has had, the newest first."""
    c = tables.load.c
    query = select(tables.load).where(c.model_id == model_id).order_by(c.id.desc())
    if names is not None:
        query = query.where(c.table_name.in_(names))
    return [
        {
            "id": r.id,
            "table": r.table_name,
            "rows": int(r.size),
            "stays": bool(r.report.get("stays")),
            "columns": len(r.columns),
            "source": r.source,
            "seconds": r.seconds,
            "author": r.author,
            "state": r.state,
            "loaded_at": r.loaded_at.isoformat(),
            "report": r.report,
        }
        for r in connection.execute(query)
    ]


def set_state(connection: Connection, load_id: int, state: str) -> None:
    """`kept` or `held`."""
    connection.execute(update(tables.load).where(tables.load.c.id == load_id).values(state=state))


def drop_load(connection: Connection, load_id: int) -> None:
    """Forgets a load with its rows."""
    connection.execute(delete(tables.load).where(tables.load.c.id == load_id))


def forget_old(connection: Connection, model_id: int, names: Sequence[str], most: int) -> None:
    """Forgets the rows of the oldest loads of a table, those beyond `most` that neither are in force nor stand in a
    release: an undo that would need them says so.
    The history is not read for it; it costs the loads of the table."""
    document = connection.execute(select(tables.model.c.document).where(tables.model.c.id == model_id)).scalar_one()
    live = {t.get("load") for t in document.get("tables", ())}
    live |= {x for r in connection.execute(select(tables.release.c.loads).where(tables.release.c.model_id == model_id)) for x in r.loads}
    kept = [x["id"] for x in loads_of(connection, model_id, names) if x["state"] == "kept"]
    for load_id in kept[most:]:
        if load_id not in live:
            drop_load(connection, load_id)
