"""Addresses of Link: what a link would do, suggestions, reach, the star, variants, history, documents."""

from __future__ import annotations

from typing import Any

from flask import Response, jsonify

from nexorem.core.design.begin import beginning
from nexorem.core.design.hold import held_given, held_measure
from nexorem.core.design.layout import layout
from nexorem.core.design.suggest import suggestions
from nexorem.core.diagnostics import refuse
from nexorem.core.model.model import Table
from nexorem.core.model.star import Star
from nexorem.export.documents import DOCUMENTS, make_document
from nexorem.export.star_svg import star_svg
from nexorem.server import schemas as s
from nexorem.server import schemas_link as k
from nexorem.server.addresses import Register, actor
from nexorem.server.callers import request_budget
from nexorem.store import models
from nexorem.work import designing
from nexorem.work.actor import Need
from nexorem.work.describe import document
from nexorem.work.workspace import Workspace


def add_link(address: Register, workspace: Workspace) -> None:
    """Everything that shows what links do."""
    _links(address, workspace)
    _reach(address, workspace)
    _tables(address, workspace)
    _history(address, workspace)


def _links(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/link", "POST", k.LinkPreview, json=k.LinkRequest)
    def preview_link(model_id: int, json: k.LinkRequest) -> Response:
        """What a link is or would be, before it is made."""
        return jsonify(designing.link_preview(designing.edited_star(workspace, model_id, json.edits), json.link, json.name))

    @address("/models/<int:model_id>/trial", "POST", k.Trial, json=k.TrialRequest)
    def try_edits(model_id: int, json: k.TrialRequest) -> Response:
        """What edits of links would do, and what forbids them."""
        return jsonify(designing.trial(workspace, model_id, json.edits, json.probe, request_budget()))

    @address("/models/<int:model_id>/variant", "POST", s.WholeModel, json=k.VariantRequest)
    def variant(model_id: int, json: k.VariantRequest) -> Response:
        """The model after edits of links that are not made."""
        return jsonify(designing.variant(workspace, model_id, json.edits))

    @address("/models/<int:model_id>/suggestions", "GET", k.Suggestions)
    def suggest(model_id: int) -> Response:
        """Links that the data suggest, over all tables."""
        _, star = workspace.star(model_id)
        return jsonify({"suggestions": suggestions(star, request_budget())})


def _reach(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/reach_of", "POST", k.ReachOfAnswer, cleared=True, json=k.ReachOfRequest)
    def reach_of(model_id: int, json: k.ReachOfRequest) -> Response:
        """What filters a table or a measure, what it filters, and what is blocked."""
        _, star = workspace.star(model_id)
        return jsonify(designing.reach_answer(star, json.table, json.measure))

    @address("/models/<int:model_id>/opening", "POST", k.OpeningAnswer, cleared=True, json=k.OpeningRequest)
    def open_way(model_id: int, json: k.OpeningRequest) -> Response:
        """The smallest change after which a filter on one table reaches another."""
        _, star = workspace.star(model_id)
        return jsonify(designing.opening_answer(star, json.from_, json.to, json.measure))

    @address("/models/<int:model_id>/held", "POST", k.HeldAnswer, cleared=True, json=k.HeldRequest)
    def hold(model_id: int, json: k.HeldRequest) -> Response:
        """What a measure, or the edits of a given, does to links and filters."""
        _, star = workspace.star(model_id)
        if json.measure is not None:
            return jsonify(held_measure(star, json.measure))
        return jsonify(held_given(star, json.given or "", _table(star, json.fact).name))

    @address("/models/<int:model_id>/beginning", "GET", k.BeginningAnswer)
    def first_steps(model_id: int) -> Response:
        """What can be done next with a model that was just gathered."""
        return jsonify(beginning(workspace.star(model_id)[1], request_budget()))

    @address("/models/<int:model_id>/star", "POST", k.StarAnswer, cleared=True, json=k.StarRequest)
    def star_layout(model_id: int, json: k.StarRequest) -> Response:
        """Where the tables of a star stand."""
        _, star = workspace.star(model_id)
        fact = _table(star, json.fact).name
        return jsonify(layout(star.model, fact, json.beside, json.before, json.rooms, json.shape, json.opened, json.folded))

    @address("/models/<int:model_id>/star/picture", "POST", None, cleared=True, json=k.StarRequest)
    def star_picture(model_id: int, json: k.StarRequest) -> Response:
        """A star as it stands on a screen, as a picture: SVG."""
        _, star = workspace.star(model_id)
        fact = _table(star, json.fact).name
        drawing = layout(star.model, fact, json.beside, json.before, json.rooms, json.shape, json.opened, json.folded)
        return Response(star_svg(star, fact, json.beside, drawing), mimetype="image/svg+xml")


def _tables(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/tables/<path:table>/shape", "POST", k.TableShape, json=k.GrainRequest)
    def table_shape(model_id: int, table: str, json: k.GrainRequest) -> Response:
        """Whether columns tell a table's rows apart, and how its hierarchies stand."""
        _, star = workspace.star(model_id)
        return jsonify(designing.shape_answer(star, table, json.columns))

    @address("/models/<int:model_id>/document", "GET", None, query=k.DocumentQuery)
    def export_document(model_id: int, query: k.DocumentQuery) -> Response:
        """The model as a document: SQL, Markdown or a picture."""
        stored, star = workspace.star(model_id)
        ending, mime = DOCUMENTS[query.kind]
        text = make_document(star, query.kind, query.fact or None, query.beside or None, query.shape)
        headers = {"Content-Disposition": f'attachment; filename="{stored.name}-{query.kind.removesuffix("-svg")}.{ending}"'}
        return Response(text, mimetype=mime, headers=headers)


def _history(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/history", "GET", k.History)
    def history(model_id: int) -> Response:
        """The edits, the newest first."""
        return jsonify({"edits": models.history(workspace.engine, model_id)})

    @address("/models/<int:model_id>/history/<int:number>", "POST", k.StatesCompared, json=k.ProbeRequest)
    def edit_change(model_id: int, number: int, json: k.ProbeRequest) -> Response:
        """What one edit changed."""
        return jsonify(designing.edit_change(workspace, model_id, number, json.probe, request_budget()))

    @address("/models/<int:model_id>/go_to", "POST", s.ModelDocument, needs=Need.EDIT, json=k.GoToRequest)
    def go_to(model_id: int, json: k.GoToRequest) -> Response:
        """Takes back, or makes again, every edit up to one."""
        workspace.go_to(actor(), model_id, json.number, json.expected)
        return jsonify(document(*workspace.star(model_id)))


def _table(star: Star, name: str) -> Table:
    table: Any = star.model.table(name)
    if table is None:
        raise refuse("unknown_table", f"The table {name} does not exist.")
    assert isinstance(table, Table)
    return table
