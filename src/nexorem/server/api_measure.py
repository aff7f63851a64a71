"""Addresses of Measure: formulas as they are written, patterns, uses, trials, and measures as text."""

from __future__ import annotations

from flask import Response, jsonify

from nexorem.core.design.comparisons import comparisons
from nexorem.core.design.patterns import patterns
from nexorem.core.diagnostics import Refused
from nexorem.core.language.assist import complete, hover
from nexorem.core.language.sheet import print_sheet
from nexorem.core.language.uses import named_at, uses_of
from nexorem.server import schemas_formula as f
from nexorem.server.addresses import Register
from nexorem.server.callers import request_budget
from nexorem.work import formulas, measuring
from nexorem.work.workspace import Workspace


def add_measure(address: Register, workspace: Workspace) -> None:
    """Everything that helps to write measures."""
    _formulas(address, workspace)
    _names(address, workspace)
    _trials(address, workspace)


def _formulas(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/formula", "POST", f.FormulaAnswer, cleared=True, json=f.FormulaRequest)
    def formula(model_id: int, json: f.FormulaRequest) -> Response:
        """What a formula means as it is being written: its errors, or its type, value and plan."""
        _, star = workspace.star(model_id)
        return jsonify(formulas.formula_answer(star, json.name, json.formula, json.arriving, json.page, request_budget()))

    @address("/models/<int:model_id>/completion", "POST", f.CompletionAnswer, cleared=True, json=f.AssistRequest)
    def completion(model_id: int, json: f.AssistRequest) -> Response:
        """What can be written at a place of a formula."""
        _, star = workspace.star(model_id)
        return jsonify(complete(star, json.formula, json.at))

    @address("/models/<int:model_id>/hover", "POST", f.HoverAnswer, cleared=True, json=f.AssistRequest)
    def hovering(model_id: int, json: f.AssistRequest) -> Response:
        """What stands at a place of a formula."""
        _, star = workspace.star(model_id)
        return jsonify(hover(star, json.formula, json.at))

    @address("/models/<int:model_id>/patterns", "GET", f.Patterns, cleared=True, query=f.PatternsQuery)
    def worked_patterns(model_id: int, query: f.PatternsQuery) -> Response:
        """Formulas to begin from, filled with the model's own names."""
        _, star = workspace.star(model_id)
        return jsonify({"patterns": patterns(star.sampled, query.measure)})

    @address("/models/<int:model_id>/comparisons", "GET", f.Comparisons, cleared=True, query=f.PatternsQuery)
    def comparing(model_id: int, query: f.PatternsQuery) -> Response:
        """What a measure can be held against, with the formulas a probe would show beside it."""
        _, star = workspace.star(model_id)
        return jsonify({"comparisons": comparisons(star, query.measure)})


def _names(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/uses", "GET", f.Uses, cleared=True, query=f.UsesQuery)
    def uses(model_id: int, query: f.UsesQuery) -> Response:
        """Every place that names a measure, column or table."""
        _, star = workspace.star(model_id)
        return jsonify({"uses": uses_of(star, query.kind, query.name)})

    @address("/models/<int:model_id>/definition", "POST", f.Definition, cleared=True, json=f.DefinitionRequest)
    def definition(model_id: int, json: f.DefinitionRequest) -> Response:
        """What a place of a formula names, for going there."""
        _, star = workspace.star(model_id)
        place = named_at(star, json.name, json.formula, json.at)
        return jsonify({"kind": place.kind if place else "", "name": place.name if place else ""})


def _trials(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/measures/<path:name>/promotion", "GET", f.Promotion)
    def promotion(model_id: int, name: str) -> Response:
        """What making a trial official would change."""
        _, star = workspace.star(model_id)
        return jsonify(measuring.promotion(star, name))

    @address("/models/<int:model_id>/measures/text", "GET", f.SheetText)
    def measures_text(model_id: int) -> Response:
        """All measures as text."""
        _, star = workspace.star(model_id)
        return jsonify({"text": print_sheet(star.model.measures)})

    @address("/models/<int:model_id>/measures/text", "POST", f.SheetPreview, json=f.SheetRequest)
    def measures_preview(model_id: int, json: f.SheetRequest) -> Response:
        """What taking a text of measures in would do."""
        _, star = workspace.star(model_id)
        try:
            return jsonify({"items": measuring.preview(star, json.text), "errors": []})
        except Refused as refused:
            return jsonify({"items": [], "errors": [d.as_json() for d in refused.diagnostics]})
