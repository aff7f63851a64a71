"""Addresses of tables that stay where they are: left there, looked at again, taken in; what places are answering."""

from __future__ import annotations

from flask import Response, jsonify

from nexorem.server import schemas as s
from nexorem.server import schemas_staying as t
from nexorem.server.addresses import Register, actor
from nexorem.server.callers import request_budget
from nexorem.store.sides import asking_for
from nexorem.work import staying
from nexorem.work.actor import Need
from nexorem.work.describe import document
from nexorem.work.workspace import Workspace


def add_staying(address: Register, workspace: Workspace) -> None:
    """Everything about tables that stay."""

    @address("/models/<int:model_id>/connections/leave", "POST", s.ModelDocument, needs=Need.BRING, json=t.LeaveRequest)
    def leave_tables(model_id: int, json: t.LeaveRequest) -> Response:
        """Takes tables into the model whose rows stay where they are."""
        chosen = [table.model_dump(by_alias=True) for table in json.tables]
        with asking_for(request_budget()):
            staying.leave(workspace, actor(), model_id, json.name, chosen, json.base)
            return jsonify(document(*workspace.star(model_id)))

    @address("/models/<int:model_id>/tables/look", "POST", s.ModelDocument, needs=Need.BRING, json=t.LookAgainRequest)
    def look_again(model_id: int, json: t.LookAgainRequest) -> Response:
        """Looks at tables that stay once more."""
        with asking_for(request_budget()):
            staying.look_again(workspace, actor(), model_id, json.tables, json.base)
            return jsonify(document(*workspace.star(model_id)))

    @address("/models/<int:model_id>/tables/take_in", "POST", s.ModelDocument, needs=Need.BRING, json=t.TakeInRequest)
    def take_in(model_id: int, json: t.TakeInRequest) -> Response:
        """Takes the rows of a table that stays into the model."""
        with asking_for(request_budget()):
            staying.take_in(workspace, actor(), model_id, json.table, json.base)
        return jsonify(document(*workspace.star(model_id)))

    @address("/models/<int:model_id>/connections/asked", "GET", t.AskedNow)
    def asked_now(model_id: int) -> Response:
        """What places are answering now, the oldest first."""
        workspace.star(model_id)
        return jsonify({"statements": workspace.ways(model_id).asked()})
