"""What was proven, kept by what it was computed from: outcomes of checks, how they stand, what edits moved, verdicts of coverage."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import Connection, Engine, delete, func, select
from sqlalchemy.dialects.postgresql import insert

from nexorem.store import tables

MOST_OUTCOMES = 20_000  # of a model that are kept, the newest
MOST_VERDICTS = 50_000


@dataclass(frozen=True, slots=True)
class KeptState:
    """How a check stands, as of a version of its model."""

    name: str
    version: int
    position: int
    digest: str
    state: str
    sentence: str
    tested: int
    failed: int
    stands_on: Mapping[str, Any]
    at: Mapping[str, Any]
    made_at: dt.datetime


def outcome(engine: Engine, model_id: int, digest: str) -> tuple[dict[str, Any], dt.datetime] | None:
    """What came of a check, as JSON, and when; None where that is not kept."""
    c = tables.outcome.c
    with engine.connect() as connection:
        row = connection.execute(select(c.outcome, c.made_at).where(c.model_id == model_id, c.digest == digest)).one_or_none()
    return (row.outcome, row.made_at) if row else None


def put_outcome(engine: Engine, model_id: int, digest: str, came: Mapping[str, Any], seconds: float) -> None:
    """Keeps what came of a check."""
    values = {"outcome": dict(came), "seconds": seconds}
    query = insert(tables.outcome).values(model_id=model_id, digest=digest, **values)
    values |= {"made_at": func.now()}
    with engine.begin() as connection:
        connection.execute(query.on_conflict_do_update(index_elements=["model_id", "digest"], set_=values))


def forget_outcomes(engine: Engine, model_id: int) -> None:
    """Forgets the oldest of many."""
    c = tables.outcome.c
    oldest = select(c.digest).where(c.model_id == model_id).order_by(c.made_at.desc()).offset(MOST_OUTCOMES)
    with engine.begin() as connection:
        connection.execute(delete(tables.outcome).where(c.model_id == model_id, c.digest.in_(oldest)))


def states(engine: Engine, model_id: int) -> dict[str, KeptState]:
    """How the checks of a model stand, by name."""
    with engine.connect() as connection:
        rows = connection.execute(select(tables.check_state).where(tables.check_state.c.model_id == model_id))
        return {r.name: KeptState(*(getattr(r, name) for name in KeptState.__slots__)) for r in rows}


def put_states(engine: Engine, model_id: int, kept: Sequence[KeptState]) -> None:
    """Keeps how some checks stand."""
    if not kept:
        return
    query = insert(tables.check_state)
    newer = {name: query.excluded[name] for name in KeptState.__slots__ if name != "name"}
    with engine.begin() as connection:
        values = [{"model_id": model_id, **asdict(state)} for state in kept]
        connection.execute(query.on_conflict_do_update(index_elements=["model_id", "name"], set_=newer), values)


def keep_states(engine: Engine, model_id: int, names: Collection[str]) -> None:
    """Forgets how checks stood that are gone."""
    c = tables.check_state.c
    with engine.begin() as connection:
        connection.execute(delete(tables.check_state).where(c.model_id == model_id, c.name.not_in(list(names))))


def put_moved(engine: Engine, model_id: int, moves: Sequence[tuple[int, str, str, str]]) -> None:
    """Keeps which checks went over from one state to another with which edit: (number, name, before, after)."""
    with engine.begin() as connection:
        for number, name, before, after in moves:
            query = insert(tables.moved).values(model_id=model_id, number=number, name=name, before=before, after=after)
            put_row = query.on_conflict_do_update(index_elements=["model_id", "number", "name"], set_={"before": before, "after": after})
            connection.execute(put_row)


def moved(connection: Connection, model_id: int) -> dict[int, list[dict[str, str]]]:
    """Which checks each edit moved."""
    by_edit: dict[int, list[dict[str, str]]] = {}
    c = tables.moved.c
    for r in connection.execute(select(tables.moved).where(c.model_id == model_id).order_by(c.number, c.name)):
        by_edit.setdefault(r.number, []).append({"name": r.name, "before": r.before, "after": r.after})
    return by_edit


def forget_moved(connection: Connection, model_id: int, number: int) -> None:
    """Forgets what edits moved that are written over: those from this number on."""
    connection.execute(delete(tables.moved).where(tables.moved.c.model_id == model_id, tables.moved.c.number >= number))


def verdicts(engine: Engine, model_id: int) -> dict[str, Any]:
    """Verdicts of coverage by what they were made from, as JSON."""
    c = tables.verdict.c
    with engine.connect() as connection:
        return {r.key: r.verdict for r in connection.execute(select(c.key, c.verdict).where(c.model_id == model_id))}


def put_verdicts(engine: Engine, model_id: int, made: Mapping[str, Any]) -> None:
    """Keeps some more; of very many none of before."""
    c = tables.verdict.c
    with engine.begin() as connection:
        count = connection.execute(select(func.count()).where(c.model_id == model_id)).scalar_one()
        if count > MOST_VERDICTS:
            connection.execute(delete(tables.verdict).where(c.model_id == model_id))
        for key, verdict in made.items():
            query = insert(tables.verdict).values(model_id=model_id, key=key, verdict=verdict)
            connection.execute(query.on_conflict_do_nothing())


def proofs(engine: Engine, model_id: int, digests: Collection[str]) -> dict[str, tuple[Any, dt.datetime]]:
    """The proofs that are kept under some digests, as JSON, and when they were made."""
    c = tables.proof.c
    with engine.connect() as connection:
        rows = connection.execute(select(tables.proof).where(c.model_id == model_id, c.digest.in_(list(digests))))
        return {r.digest: (r.proof, r.made_at) for r in rows}


def put_proof(engine: Engine, model_id: int, digest: str, proof: Any) -> None:
    """Keeps a proof; of very many the oldest go."""
    c, values = tables.proof.c, {"proof": proof, "made_at": func.now()}
    query = insert(tables.proof).values(model_id=model_id, digest=digest, **values)
    oldest = select(c.digest).where(c.model_id == model_id).order_by(c.made_at.desc()).offset(MOST_OUTCOMES)
    with engine.begin() as connection:
        connection.execute(query.on_conflict_do_update(index_elements=["model_id", "digest"], set_=values))
        connection.execute(delete(tables.proof).where(c.model_id == model_id, c.digest.in_(oldest)))


def put_coverage(engine: Engine, model_id: int, version: int, changes: Sequence[Any]) -> None:
    """Keeps the newest coverage as a whole."""
    values = {"version": version, "changes": list(changes), "made_at": func.now()}
    with engine.begin() as connection:
        query = insert(tables.coverage).values(model_id=model_id, **values)
        connection.execute(query.on_conflict_do_update(index_elements=["model_id"], set_=values))


def coverage(engine: Engine, model_id: int) -> tuple[int, list[Any], dt.datetime] | None:
    """The newest coverage: of which version, its changes, and when; None where there is none."""
    with engine.connect() as connection:
        row = connection.execute(select(tables.coverage).where(tables.coverage.c.model_id == model_id)).one_or_none()
    return (row.version, row.changes, row.made_at) if row else None
