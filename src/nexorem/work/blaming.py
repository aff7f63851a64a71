"""Which edit is to blame: for a check that fails, and for any number; and that edit taken back alone."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from nexorem.core.checks.basis import check_basis, probe_basis
from nexorem.core.checks.blame import Blame, Moved, Past, Question, blame, moves
from nexorem.core.checks.moved import named_then
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.probe import Pick, read_probe
from nexorem.core.engine.trace import trace
from nexorem.core.model.check_specs import CheckSpec, NoneMust, TileOf
from nexorem.core.model.edits import Edit, apply, touches
from nexorem.core.model.model import Model
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.plan.basis import Basis
from nexorem.core.results import as_json
from nexorem.store import models
from nexorem.work.actor import Actor, Need
from nexorem.work.checking import Checker, check_of
from nexorem.work.workspace import Workspace

MOST_MOVES = 20  # of a number that are told


class StoredPast(Past):
    """The states of a stored model, made when they are asked for."""

    def __init__(self, workspace: Workspace, model_id: int) -> None:
        self.workspace, self.model_id = workspace, model_id
        stored, star = workspace.star(model_id)
        self.newest = stored.edits
        self.rows = models.edits_of(workspace.engine, model_id, stored.edits)
        self._models: dict[int, Model] = {stored.edits: stored.model}
        self._stars: dict[int, Star] = {stored.edits: star}

    def edit(self, number: int) -> Edit:
        """The edit that led to a state."""
        return self.rows[number].change

    def model(self, number: int) -> Model:
        """The model of a state; refuses one that there never was."""
        if not 0 <= number <= self.newest:
            raise refuse("no_edit", f"There is no edit {number}.", f"They count from 0 to {self.newest}.", "number")
        if number not in self._models:
            at = min(n for n in self._models if n > number)
            model = self._models[at]
            while at > number:
                model = apply(model, self.rows[at].inverse)[0]
                at -= 1
                self._models[at] = model
        return self._models[number]

    def star(self, number: int) -> Star:
        """A state with its rows; those that are the model's own now are shared."""
        if number == self.newest:
            return self._stars[number]
        return self.workspace.edited(self.model_id, self.model(number))


def check_moves(workspace: Workspace, model_id: int, past: StoredPast, star: Star, check: CheckSpec) -> list[Moved]:
    """The edits that may have moved a check up to the first that did, the newest first."""
    steps = []
    question, value = _about_check(workspace, model_id, star.model, check)
    for moved in moves(past, question, value):
        steps.append(moved)
        if moved.before != moved.after:
            break
    return steps


def _about_check(workspace: Workspace, model_id: int, now: Model, check: CheckSpec) -> tuple[Question, Callable[[Star], str]]:
    checker = Checker(workspace, model_id, now)

    def then(star: Star) -> CheckSpec:
        return named_then(star.model, now, check)

    named = frozenset({check.probe.lower()}) if isinstance(check.probe, str) else frozenset[str]()
    everything = isinstance(check.must, NoneMust) or isinstance(check.probe, TileOf)
    question = Question(lambda star: check_basis(star, then(star)), named, everything)
    return question, lambda star: checker.of(star, then(star)).outcome.state


def blame_check(workspace: Workspace, model_id: int, name: str) -> dict[str, object]:
    """Since which edit a check that does not hold has not held, and whether that edit alone can be taken back."""
    stored, star = workspace.star(model_id)
    check = check_of(star.model, name)
    past = StoredPast(workspace, model_id)
    question, state = _about_check(workspace, model_id, star.model, check)
    if state(star) == "holds":
        raise refuse("check_holds", f"The check {check.name} holds.", "Blame is for one that does not.")
    found = blame(past, question, lambda s: state(s) == "holds")
    return {"check": check.name, "version": stored.version, **_blamed(past, found, check.name)}


def _blamed(past: StoredPast, found: Blame, name: str) -> dict[str, object]:
    answer: dict[str, object] = {"edit": None, "held_at": None, "looked": found.looked, "undo": None}
    if found.number is None:
        why = "the rows of before are no longer kept" if found.gone else "it has failed since the history begins"
        return answer | {"sentence": f"“{name}” fails, and no edit is to blame: {why}."}
    row = past.rows[found.number]
    undo = alone(past, found.number)
    said = f"“{name}” fails since “{row.title}”, by {row.author}."
    if found.halved:
        said += " That was looked for by halves: an edit before it may have broken it as well."
    return answer | {"edit": edit_row(row), "held_at": found.number - 1, "undo": undo, "sentence": said}


def edit_row(row: models.EditRow) -> dict[str, object]:
    """An edit as the history tells it."""
    return {"number": row.number, "title": row.title, "author": row.author, "made_at": row.made_at.isoformat()}


def alone(past: StoredPast, number: int) -> Edit | None:
    """The edit that takes one edit of the past back and leaves those after it; None where one of them touches the same."""
    mine = touches(past.edit(number))
    for later in range(number + 1, past.newest + 1):
        if mine & touches(past.edit(later)):
            return None
    inverse = past.rows[number].inverse
    inner = inverse["edits"] if inverse["kind"] == "together" else [inverse]
    back = {"kind": "together", "edits": inner, "title": f"take back alone: {past.rows[number].title}"}
    try:
        apply(past.model(past.newest), back)
    except Refused:
        return None
    return back


def blame_cell(
    workspace: Workspace, model_id: int, probe: ProbeSpec, measure: str, at: Callable[[Star], Sequence[Pick]]
) -> dict[str, object]:
    """The edits and loads that moved a cell, the newest first, each with the value before it and after it."""
    _, star = workspace.star(model_id)
    past = StoredPast(workspace, model_id)
    places = [i for i, m in enumerate(probe.measures) if m.lower() == measure.lower()]
    if not places:
        raise refuse("unknown_measure", f"The probe has no measure {measure}.", "Name one that it asks for.", "measure")

    def spec(then: Star) -> ProbeSpec:
        return named_then(then.model, star.model, replace(probe, sort=(), top=None, having=()))

    def value(then: Star) -> object:
        asked = spec(then)
        try:
            return as_json(trace(then, read_probe(then, asked), asked.measures[places[0]], at(then), workspace.budget()).value)
        except Refused as refused:
            return {"error": refused.diagnostics[0].message}

    def basis(then: Star) -> Basis | None:
        try:
            return probe_basis(then, read_probe(then, spec(then)))
        except Refused:
            return None

    steps, gone = [], False
    for moved in moves(past, Question(basis), value):
        gone = moved.gone
        if not gone and moved.before != moved.after:
            undo = alone(past, moved.number)
            steps.append({"edit": edit_row(past.rows[moved.number]), "before": moved.before, "after": moved.after, "undo": undo})
            if len(steps) >= MOST_MOVES:
                break
    return {"moves": steps, "gone": gone, "more": len(steps) >= MOST_MOVES}


def undo_alone(workspace: Workspace, actor: Actor, model_id: int, number: int, base: int) -> models.Stored:
    """Takes one edit of the past back, as an edit of its own; refuses where one after it touches the same."""
    actor.must(Need.EDIT)
    past = StoredPast(workspace, model_id)
    if number not in past.rows:
        raise refuse("unknown_edit", f"Edit number {number} does not exist.", "Choose one of the history.")
    back = alone(past, number)
    if back is None:
        hint = "Go back to before it in the history, or mend by hand."
        raise refuse("not_alone", f"“{past.rows[number].title}” cannot be taken back alone: an edit after it touches the same.", hint)
    return workspace.edit(actor, model_id, back, base)
