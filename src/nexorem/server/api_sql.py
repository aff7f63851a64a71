"""Addresses of SQL: statements, and grids proven by PostgreSQL."""

from __future__ import annotations

import time
from typing import TypeVar

from flask import Response, jsonify

from nexorem.core.checks.moved import named_then
from nexorem.core.engine.probe import Probe, read_probe
from nexorem.core.model.star import Star
from nexorem.server import schemas_gather as g
from nexorem.server import schemas_sql as q
from nexorem.server.addresses import Register, actor
from nexorem.server.api_probe import coordinates, milliseconds
from nexorem.server.callers import request_budget
from nexorem.work import proving, releasing
from nexorem.work.workspace import Workspace

Asked = TypeVar("Asked", q.SqlRequest, q.ProveRequest)


def add_sql(address: Register, workspace: Workspace) -> None:
    """Everything that is said in SQL."""

    def asked(model_id: int, request: Asked) -> tuple[Star, Probe]:
        star = releasing.star_at(workspace, model_id, request.release)
        return star, read_probe(star, named_then(star.model, workspace.star(model_id)[1].model, request.probe))

    @address("/models/<int:model_id>/sql", "POST", q.SqlAnswer, cleared=True, json=q.SqlRequest)
    def as_sql(model_id: int, json: q.SqlRequest) -> Response:
        """A probe, or one of its cells, as one SQL statement."""
        start = time.perf_counter()
        star, probe = asked(model_id, json)
        text = proving.statement_text(star, probe, json.dialect, None if json.at is None else coordinates(star, json.at))
        side = proving.asked_there(star, probe)
        spoken = {"dialect": side.dialect.name, "place": side.connection} if side else {"dialect": json.dialect, "place": ""}
        return jsonify({"text": text, "dialects": proving.dialects(), "milliseconds": milliseconds(start), **spoken})

    @address("/models/<int:model_id>/sql/prove", "POST", q.ProveAnswer, cleared=True, json=q.ProveRequest)
    def prove(model_id: int, json: q.ProveRequest) -> Response:
        """Answers a probe, or one of its cells, in PostgreSQL and holds what stands here against it."""
        star, probe = asked(model_id, json)
        budget = request_budget()
        if json.at is None:
            proof, lines = proving.prove(workspace, model_id, star, probe, budget)
        else:
            proof, lines = proving.prove_cell(workspace, star, probe, coordinates(star, json.at), budget)
        return jsonify({"proof": proof, "lines": lines})

    @address("/models/<int:model_id>/sql/plan", "POST", q.PlanAnswer, json=q.ProveRequest)
    def plan_there(model_id: int, json: q.ProveRequest) -> Response:
        """How the place that a probe is asked in would go about it, in its own words."""
        return jsonify({"text": proving.plan_there(*asked(model_id, json))})

    @address("/models/<int:model_id>/proofs", "GET", q.Proofs)
    def list_proofs(model_id: int) -> Response:
        """All grids of the model and whether they are proven."""
        return jsonify(proving.described(workspace, model_id))

    @address("/models/<int:model_id>/proofs/run", "POST", g.Done)
    def run_proofs(model_id: int) -> Response:
        """Proves them in the background."""
        proving.start(workspace, actor(), model_id)
        return jsonify({"done": True})
