"""Releases: a model as it stood, with the loads that it stands on. Written once and never changed; they end with their model alone."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, Engine, func, insert, select

from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.model.model import Model, model_json
from nexorem.store import tables
from nexorem.store.documents import read_document
from nexorem.store.rows import are_kept, load_gone

LATEST = "latest"


@dataclass(frozen=True, slots=True)
class Release:
    """A release: `evidence` is what checks, coverage and the comparison with the one before said when it was made; `reason` why it was made
    although a guarding check failed; `position` the newest edit that is in it."""

    number: int
    name: str
    notes: str
    author: str
    reason: str
    position: int
    model: Model
    evidence: Mapping[str, Any]
    made_at: dt.datetime


def make(connection: Connection, model_id: int, model: Model, position: int, author: str, evidence: Mapping[str, Any], **words: str) -> int:
    """Keeps a release of a model whose row the caller has locked, with the loads it stands on; gives its number. Rows are not copied."""
    loads = sorted({t.load for t in model.tables if t.load is not None})
    if not are_kept(connection, model_id, loads):
        raise load_gone()
    c = tables.release.c
    number = int(connection.execute(select(func.coalesce(func.max(c.number), 0)).where(c.model_id == model_id)).scalar_one()) + 1
    values = {"model_id": model_id, "number": number, "author": author, "position": position, "loads": loads, "evidence": dict(evidence)}
    connection.execute(insert(tables.release).values(**values, document=model_json(model), **words))
    return number


def listed(engine: Engine, model_id: int) -> list[dict[str, Any]]:
    """The releases of a model, the newest first, without what is in them."""
    c = tables.release.c
    query = select(c.number, c.name, c.notes, c.author, c.reason, c.position, c.made_at, c.evidence).where(c.model_id == model_id)
    with engine.connect() as connection:
        rows = connection.execute(query.order_by(c.number.desc()))
        return [{**r._mapping, "made_at": r.made_at.isoformat()} for r in rows]


def numbered(engine: Engine, model_id: int, text: str) -> int:
    """The number of a release by its number or its name, `latest` for the newest; refuses one that is not there."""
    kept = listed(engine, model_id)
    low = text.strip().lower()
    if low == LATEST and kept:
        return int(kept[0]["number"])
    for release in kept:
        if low in (str(release["number"]), f"release {release['number']}", release["name"].lower()):
            return int(release["number"])
    hint = near_hint(text, [r["name"] for r in kept]) if kept else "Make a release first."
    raise refuse("unknown_release", f"The release {text} does not exist.", hint, "release")


def load(engine: Engine, model_id: int, number: int) -> Release:
    """A release."""
    c = tables.release.c
    with engine.connect() as connection:
        r = connection.execute(select(tables.release).where(c.model_id == model_id, c.number == number)).one_or_none()
    if r is None:
        raise refuse("unknown_release", f"Release {number} does not exist.", "Choose one of the list.", "release")
    return Release(r.number, r.name, r.notes, r.author, r.reason, r.position, read_document(r.document), r.evidence, r.made_at)
