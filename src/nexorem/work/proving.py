"""Grids of a stored model as SQL, and proven by PostgreSQL: once for what they were computed from, and kept."""

from __future__ import annotations

import datetime as dt
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from nexorem.core.checks.basis import probe_basis
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.grid import Grid, answer
from nexorem.core.engine.order import UNMATCHED
from nexorem.core.engine.probe import Pick, Probe
from nexorem.core.engine.trace import trace
from nexorem.core.engine.traced import CellFailure, CellValue
from nexorem.core.limits import Budget
from nexorem.core.model.specs import adapter_of
from nexorem.core.model.star import Star
from nexorem.core.results import as_json
from nexorem.core.values import Cell, iso
from nexorem.sql.asked import Asked, asked
from nexorem.sql.dialects import DIALECTS, dialect_of
from nexorem.sql.own import own_places
from nexorem.sql.probe import compiled
from nexorem.sql.proof import LineBeside, Proof, beside, cannot, compared, compared_cell
from nexorem.sql.tree import text_of, to_run
from nexorem.store import models, outcomes, tasks
from nexorem.store.proving import WHERE, ProofTables
from nexorem.store.sides import Side
from nexorem.store.staying import Staying
from nexorem.work.actor import Actor, Need
from nexorem.work.staying import both_ways
from nexorem.work.workspace import Workspace

KIND = "proofs"
EDITION = 1  # of what is kept: a proof of another edition is made anew
TELL_SECONDS = 0.3
MOST_LINES = 300  # of a grid that are shown beside


@dataclass(frozen=True, slots=True)
class Kept:
    """A proof, and when it was made; None: it is yet to be made."""

    about: str
    words: str
    proof: Proof | None
    made_at: dt.datetime | None


def statement_text(star: Star, probe: Probe, dialect: str, at: Sequence[Pick] | None = None) -> str:
    """A probe as SQL to be read, or its one cell at some coordinates; tables by the model's own names. Over tables that stay elsewhere it
    is what is asked there."""
    if (side := asked_there(star, probe)) is not None:
        return text_of(compiled(star, probe, side.dialect, side.places, at=at).statement, side.dialect)
    return text_of(compiled(star, probe, dialect_of(dialect), own_places(star), at=at).statement, dialect_of(dialect))


def asked_there(star: Star, probe: Probe) -> Side | None:
    """The place that a probe is asked in; None where its rows are here."""
    if not isinstance(star.elsewhere, Staying) or not (tables := star.elsewhere.part(star, probe)):
        return None
    return star.elsewhere.home(star, tables)


def plan_there(star: Star, probe: Probe) -> str:
    """How the place that a probe is asked in would go about it, in its own words."""
    side = asked_there(star, probe)
    if side is None:
        raise refuse("rows_here", "The rows of this are here: no other place is asked.", "Prove it in PostgreSQL.")
    made = compiled(star, probe, side.dialect, side.places)
    return side.plan(*to_run(made.statement, side.dialect), [t for t in made.tables if t in side.plain.sent])


def dialects() -> list[dict[str, str]]:
    """The dialects that people ask for."""
    return [{"name": d.name, "title": d.title} for d in DIALECTS.values() if d.offered]


def tables_of(workspace: Workspace) -> ProofTables:
    """Where the rows of models are held for proofs: beside the store."""
    return ProofTables(workspace.engine.url.render_as_string(False))


def digest_of(star: Star, probe: Probe) -> str:
    """What a proof is kept under: the same where the grid would be."""
    return f"{EDITION} {probe_basis(star, probe).digest(star)}"


def prove(workspace: Workspace, model_id: int, star: Star, probe: Probe, budget: Budget) -> tuple[Proof, list[LineBeside]]:
    """Proves a grid now and keeps what came of it; with the first cells here and there."""
    grid = answer(star, probe, budget)
    if asked_there(star, probe) is not None:
        theirs, where, grid = both_ways(star, grid, budget)
    else:
        theirs, where = tables_of(workspace).answer(star, probe), WHERE
    proof = compared(grid, theirs, where)
    outcomes.put_proof(workspace.engine, model_id, digest_of(star, probe), as_json(proof))
    return proof, beside(grid, theirs, MOST_LINES)


def _proof(star: Star, grid: Grid, tables: ProofTables, budget: Budget) -> Proof:
    """What comes of a grid: over tables that stay elsewhere, held against the same with their rows taken in; else against PostgreSQL."""
    if asked_there(star, grid.probe) is None:
        return tables.prove(grid)
    try:
        theirs, where, here = both_ways(star, grid, budget)
    except Refused as refused:
        return cannot(refused.diagnostics[0].message)
    return compared(here, theirs, where)


def prove_cell(workspace: Workspace, star: Star, probe: Probe, at: Sequence[Pick], budget: Budget) -> tuple[Proof, list[LineBeside]]:
    """Proves one cell of each measure now."""
    place = {f"{p.table}.{p.column}": UNMATCHED if p.unmatched else iso(p.values[0]) for p in at}
    values = {m: value_of(trace(star, probe, m, list(at), budget).value) for m in probe.measures}
    return compared_cell(place, values, tables_of(workspace).answer(star, probe, at), WHERE)


def value_of(value: CellValue) -> Cell:
    """A traced value as a grid has it."""
    return {"error": value.error} if isinstance(value, CellFailure) else value


def kept(workspace: Workspace, model_id: int, star: Star) -> list[Kept]:
    """How each grid of a model stands. Cost: the binding of its probes, which the star keeps."""
    known: list[tuple[Asked, str, str]] = []
    for one in asked(star):
        try:
            known.append((one, digest_of(star, one.probe) if one.probe else "", one.wrong))
        except Refused as refused:
            known.append((one, "", refused.diagnostics[0].message))
    held = outcomes.proofs(workspace.engine, model_id, [d for _, d, _ in known if d])
    told = []
    for one, digest, wrong in known:
        data, made_at = held.get(digest, (None, None))
        proof = cannot(wrong) if wrong else proof_of(data) if data is not None else None
        told.append(Kept(one.about, one.words, proof, made_at))
    return told


def proof_of(data: object) -> Proof:
    """A proof from its JSON."""
    made: Proof = adapter_of(Proof).validate_python(data)
    return made


def described(workspace: Workspace, model_id: int) -> dict[str, Any]:
    """All grids of a model and what PostgreSQL says of them, and how far the run is."""
    stored, star = workspace.star(model_id)
    progress = tasks.progress_of(workspace.engine, model_id, KIND)
    waits = progress.running or tasks.waiting(workspace.engine, model_id, KIND)
    return {
        "version": stored.version,
        "proofs": [_described(one) for one in kept(workspace, model_id, star)],
        "done": progress.done,
        "total": progress.total,
        "running": waits,
    }


def _described(one: Kept) -> dict[str, Any]:
    return {"about": one.about, "words": one.words, "proof": one.proof, "made_at": one.made_at.isoformat() if one.made_at else None}


def start(workspace: Workspace, actor: Actor, model_id: int) -> None:
    """Asks for all grids to be proven."""
    actor.must(Need.LOOK)
    workspace.star(model_id)
    with workspace.engine.begin() as connection:
        tasks.put(connection, model_id, KIND)


def run(workspace: Workspace, model_id: int, wait: Callable[[], None], budget: Callable[[], Budget] | None = None) -> bool:
    """Proves every grid of the model as it stands that is not proven yet; False where it was stopped."""
    engine = workspace.engine
    _, star = workspace.star(model_id)
    everything = list(asked(star))
    tables, spoken, stopped = tables_of(workspace), time.monotonic(), False
    tasks.tell(engine, model_id, KIND, 0, len(everything))
    done = 0
    try:
        for done, one in enumerate(everything, 1):
            wait()
            if one.probe is not None:
                _prove_one(workspace, model_id, star, one.probe, tables, budget)
            if time.monotonic() - spoken > TELL_SECONDS:
                spoken = time.monotonic()
                if stopped := tasks.tell(engine, model_id, KIND, done, len(everything), words=one.about):
                    return False
                models.notify(engine, model_id, KIND)
        with tables.connection() as connection:
            tables.tidy(connection)
    finally:
        tasks.tell(engine, model_id, KIND, done, len(everything), running=False, words="stopped" if stopped else "")
        models.notify(engine, model_id, KIND)
    return True


def _prove_one(
    workspace: Workspace, model_id: int, star: Star, probe: Probe, tables: ProofTables, budget: Callable[[], Budget] | None
) -> None:
    try:
        digest = digest_of(star, probe)
        if outcomes.proofs(workspace.engine, model_id, [digest]):
            return
        proof = _proof(star, answer(star, probe, (budget or workspace.budget)()), tables, (budget or workspace.budget)())
    except Refused:
        return  # what is wrong with it is said where it is listed
    outcomes.put_proof(workspace.engine, model_id, digest, as_json(proof))
