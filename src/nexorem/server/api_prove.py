"""Addresses of Prove: checks and how they stand, blame, coverage."""

from __future__ import annotations

from flask import Response, jsonify

from nexorem.core.engine.probe import Pick, read_probe
from nexorem.core.engine.trace import trace
from nexorem.core.engine.trace_beside import parting
from nexorem.core.model.star import Star
from nexorem.server import schemas as s
from nexorem.server import schemas_gather as g
from nexorem.server import schemas_prove as p
from nexorem.server.addresses import Register, actor
from nexorem.server.api_probe import asked_then, coordinates
from nexorem.server.callers import request_budget
from nexorem.store import tasks
from nexorem.work import blaming, checking, covering, releasing
from nexorem.work.actor import Need
from nexorem.work.describe import document
from nexorem.work.workspace import Workspace


def add_prove(address: Register, workspace: Workspace) -> None:
    """Everything that holds numbers."""
    _checks(address, workspace)
    _blame(address, workspace)
    _coverage(address, workspace)


def _checks(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/checks", "GET", p.Checks)
    def list_checks(model_id: int) -> Response:
        """All checks and how they stand."""
        return jsonify(checking.described(workspace, model_id))

    @address("/models/<int:model_id>/checks/outcome", "POST", p.OutcomeAnswer, json=p.NamedRequest)
    def check_outcome(model_id: int, json: p.NamedRequest) -> Response:
        """What comes of a check of the model as it stands, with each place where it fails."""
        _, star = workspace.star(model_id)
        return jsonify({"outcome": checking.outcome_now(workspace, model_id, checking.check_of(star.model, json.name))})

    @address("/models/<int:model_id>/checks/try", "POST", p.OutcomeAnswer, json=p.TryRequest)
    def try_check(model_id: int, json: p.TryRequest) -> Response:
        """What would come of a check that is not made."""
        return jsonify({"outcome": checking.outcome_now(workspace, model_id, json.check)})

    @address("/models/<int:model_id>/checks/run", "POST", g.Done, json=p.RunRequest)
    def run_checks(model_id: int, json: p.RunRequest) -> Response:
        """Runs all checks in the background."""
        checking.start(workspace, actor(), model_id, json.again)
        return jsonify({"done": True})

    @address("/models/<int:model_id>/tasks/stop", "POST", g.Done, json=p.TaskRequest)
    def stop_task(model_id: int, json: p.TaskRequest) -> Response:
        """Stops what runs in the background, after what it is at."""
        workspace.star(model_id)
        tasks.stop(workspace.engine, model_id, json.kind)
        return jsonify({"done": True})


def _blame(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/checks/blame", "POST", p.BlameAnswer, json=p.NamedRequest)
    def blame_check(model_id: int, json: p.NamedRequest) -> Response:
        """Since which edit a check fails."""
        return jsonify(blaming.blame_check(workspace, model_id, json.name))

    @address("/models/<int:model_id>/cell/blame", "POST", p.CellMoves, json=p.CellRequest)
    def blame_cell(model_id: int, json: p.CellRequest) -> Response:
        """Which edits and loads moved a cell."""
        now = workspace.star(model_id)[1]

        def at(then: Star) -> list[Pick]:
            return coordinates(then, asked_then(then, now, json).at)

        return jsonify(blaming.blame_cell(workspace, model_id, json.probe, json.measure, at))

    @address("/models/<int:model_id>/cell/then", "POST", p.ThenAnswer, json=p.ThenRequest)
    def cell_then(model_id: int, json: p.ThenRequest) -> Response:
        """A cell as it stood after an edit or as of a release, beside what it is, and where their traces part."""
        _, star = workspace.star(model_id)
        if json.release is None:
            past = blaming.StoredPast(workspace, model_id).star(json.number)
        else:
            past = releasing.star_at(workspace, model_id, str(json.release))
        asked = [(side, asked_then(side, star, json)) for side in (past, star)]
        sides = [trace(side, read_probe(side, x.probe), x.measure, coordinates(side, x.at), request_budget()) for side, x in asked]
        return jsonify({"then": sides[0].value, "now": sides[1].value, "steps": parting(*sides)})

    @address("/models/<int:model_id>/undo_alone", "POST", s.ModelDocument, needs=Need.EDIT, json=p.AloneRequest)
    def undo_alone(model_id: int, json: p.AloneRequest) -> Response:
        """Takes one edit of the past back and leaves those after it, as an edit of its own."""
        blaming.undo_alone(workspace, actor(), model_id, json.number, json.base)
        return jsonify(document(*workspace.star(model_id)))


def _coverage(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/coverage", "GET", p.CoverageAnswer)
    def get_coverage(model_id: int) -> Response:
        """What the checks would notice."""
        return jsonify(covering.described(workspace, model_id))

    @address("/models/<int:model_id>/coverage/run", "POST", g.Done)
    def run_coverage(model_id: int) -> Response:
        """Computes it in the background."""
        covering.start(workspace, actor(), model_id)
        return jsonify({"done": True})
