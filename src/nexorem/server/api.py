"""The HTTP interface: every request is checked against its type, acted on, and answered by one path."""

from __future__ import annotations

import shutil
import tempfile
import zipfile
from functools import partial
from pathlib import Path

from flask import Blueprint, Response, jsonify, request
from spectree import SpecTree

from nexorem.core.diagnostics import refuse
from nexorem.core.language.former import back_to, presented
from nexorem.core.language.vocabulary import vocabulary
from nexorem.core.model.star import Star
from nexorem.core.plan.reach import reach_after
from nexorem.server import schemas as s
from nexorem.server import schemas_formula as f
from nexorem.server.addresses import Register, Who, actor, make_spec, registering
from nexorem.server.api_gather import add_gather, add_shape, add_story
from nexorem.server.api_link import add_link
from nexorem.server.api_measure import add_measure
from nexorem.server.api_people import add_people
from nexorem.server.api_probe import add_probe
from nexorem.server.api_prove import add_prove
from nexorem.server.api_release import add_release
from nexorem.server.api_sql import add_sql
from nexorem.server.api_staying import add_staying
from nexorem.server.callers import request_budget
from nexorem.server.door import Door
from nexorem.server.events import event
from nexorem.server.packages import package_answer
from nexorem.store import models
from nexorem.store.sides import asking_for
from nexorem.work import counting, describe, editing, people, staying
from nexorem.work.actor import Need
from nexorem.work.renaming import rename_preview
from nexorem.work.workspace import Workspace

MOST_UPLOAD = 600 * 1024**2
UPLOADED = ".zip"


def make_api(workspace: Workspace, door: Door, who: Who | None = None) -> tuple[Blueprint, SpecTree]:
    """The blueprint with every address, and its description."""
    api = Blueprint("api", __name__, url_prefix="/api")
    spec = make_spec()
    address = registering(api, spec, who or partial(door.who, workspace), partial(people.took_out, workspace))
    add_models(address, workspace, door)
    add_edits(address, workspace)
    add_tables(address, workspace)
    add_gather(address, workspace)
    add_staying(address, workspace)
    add_shape(address, workspace)
    add_story(address, workspace)
    add_link(address, workspace)
    add_probe(address, workspace)
    add_measure(address, workspace)
    add_prove(address, workspace)
    add_release(address, workspace)
    add_sql(address, workspace)
    add_people(address, workspace, door)

    @address("/language", "GET", s.Language, cleared=True)
    def language() -> Response:
        """Everything a formula can be written with, for completion and help."""
        return jsonify({"words": vocabulary()})

    @address("/openapi.json", "GET", None, cleared=True)
    def openapi() -> Response:
        """This interface, described."""
        return jsonify(spec.spec)

    return api, spec


def _document(workspace: Workspace, model_id: int) -> Response:
    """The document as it stands for whoever asks. Every window asks for it after every edit: it is written and checked once."""
    stored, star = workspace.star(model_id)

    def written() -> bytes:
        told = jsonify(describe.document(stored, star)).get_data()
        s.ModelDocument.model_validate_json(told)
        return told

    return Response(star.part(("document",), (stored,), written), mimetype="application/json")


def add_models(address: Register, workspace: Workspace, door: Door) -> None:
    """The models: listed, opened, shown, followed and taken along."""

    @address("/models", "GET", s.ModelList, cleared=True)
    def list_models() -> Response:
        """All models that the caller may look at, the newest first, and those that they removed lately."""
        held = door.held(workspace)
        return jsonify({"models": people.models_of(workspace, held), "removed": people.models_of(workspace, held, removed=True)})

    @address("/models", "POST", s.Created, needs=Need.KEEP)
    def open_package() -> Response:
        """Opens a package: the .zip is the request's body, or its part `package`."""
        upload = request.files.get("package")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / ("package" + UPLOADED)
            if upload:
                upload.save(path)
            else:
                with path.open("wb") as file:
                    shutil.copyfileobj(request.stream, file)
            if not zipfile.is_zipfile(path):
                raise refuse("bad_zip", "This is not a .zip of a data package.", "Choose a .zip with a datapackage.json in it.")
            return jsonify({"id": workspace.open(actor(), path)})

    @address("/models/<int:model_id>", "GET", s.ModelDocument, cleared=True, large=True)
    def get_model(model_id: int) -> Response:
        """A model as the stages show it."""
        return _document(workspace, model_id)

    @address("/models/<int:model_id>/analysis", "GET", s.Analysis, cleared=True, query=s.AnalysisQuery)
    def get_analysis(model_id: int, query: s.AnalysisQuery) -> Response:
        """What is found in a model as a whole: asked for apart, for an edit need not wait for it."""
        return jsonify(describe.analysis(*workspace.star(model_id), query.findings))

    @address("/models/<int:model_id>/package", "GET", None, takes="a package", query=s.PackageQuery)
    def package(model_id: int, query: s.PackageQuery) -> Response:
        """The model with its rows as a .zip of a data package."""
        stored, star = workspace.star(model_id)
        return package_answer(star, query.data, workspace.beside(model_id, star.model), stored.name)

    @address("/models/<int:model_id>/events", "GET", None, cleared=True)
    def follow(model_id: int) -> Response:
        """Server-sent events: the version of the model, and then each new one, which the entrance adds."""
        newest = event(str(models.version_of(workspace.engine, model_id)))
        return Response(newest, mimetype="text/event-stream", headers={"X-Accel-Buffering": "no"})


def add_edits(address: Register, workspace: Workspace) -> None:
    """Edits, their undoing, and what goes on being called as it was."""

    @address("/models/<int:model_id>/edits", "POST", s.ModelDocument, needs=Need.TRY, cleared=True, large=True, json=s.EditRequest)
    def edit_model(model_id: int, json: s.EditRequest) -> Response:
        """Makes an edit; 409 where something it touches has changed since `base`."""
        editing.edit(workspace, actor(), model_id, json.edit, json.base)
        return _document(workspace, model_id)

    @address("/models/<int:model_id>/rename", "POST", s.RenamePreview, json=s.RenameRequest)
    def preview_rename(model_id: int, json: s.RenameRequest) -> Response:
        """What another name would write anew, before it is given."""
        _, star = workspace.star(model_id)
        return jsonify(rename_preview(workspace, model_id, star, json.what, json.name, json.to))

    @address("/models/<int:model_id>/presented", "POST", s.Presented, cleared=True, json=s.PresentRequest)
    def present(model_id: int, json: s.PresentRequest) -> Response:
        """A probe of an address given away, or what a window shows, with the names that things have now."""
        model = workspace.star(model_id)[1].model
        return jsonify({"probe": presented(back_to(model, json.undone), json.probe)})

    @address("/models/<int:model_id>/undo", "POST", s.ModelDocument, needs=Need.TRY, cleared=True, large=True, json=s.StepRequest)
    def undo(model_id: int, json: s.StepRequest) -> Response:
        """Takes the newest edit back."""
        workspace.step(actor(), model_id, "undo", json.expected)
        return _document(workspace, model_id)

    @address("/models/<int:model_id>/redo", "POST", s.ModelDocument, needs=Need.TRY, cleared=True, large=True, json=s.StepRequest)
    def redo(model_id: int, json: s.StepRequest) -> Response:
        """Makes the edit again that was last taken back."""
        workspace.step(actor(), model_id, "redo", json.expected)
        return _document(workspace, model_id)


def add_tables(address: Register, workspace: Workspace) -> None:
    """Who filters whom, and the rows and profiles of tables."""

    @address("/models/<int:model_id>/reach", "POST", f.ReachAnswer, cleared=True, json=f.ReachRequest)
    def reaching(model_id: int, json: f.ReachRequest) -> Response:
        """Who filters whom, after some edits."""
        _, star = workspace.star(model_id)
        return jsonify(reach_after(star, json.given))

    @address("/models/<int:model_id>/tables/<path:table>/profiles", "GET", s.Profiles, cleared=True)
    def profiles(model_id: int, table: str) -> Response:
        """The profile of every column of a table."""
        _, star = workspace.star(model_id)
        name = _table(star, table)
        with asking_for(request_budget()):
            return jsonify({"table": name, "profiles": staying.profiles(star, name), "counting": counting.described(workspace, model_id)})

    @address("/models/<int:model_id>/tables/<path:table>/count", "POST", s.Counting)
    def count_exactly(model_id: int, table: str) -> Response:
        """Counts the columns of a large table that stays exactly, in the background."""
        counting.start(workspace, actor(), model_id, table)
        return jsonify(counting.described(workspace, model_id))

    @address("/models/<int:model_id>/tables/<path:table>/rows", "GET", s.TableRowsAnswer, cleared=True, query=s.RowsQuery)
    def rows(model_id: int, table: str, query: s.RowsQuery) -> Response:
        """Some rows of a table."""
        _, star = workspace.star(model_id)
        name = _table(star, table)
        with asking_for(request_budget()):
            columns, listed = staying.some_rows(star, name, query.start, query.count)
        return jsonify({"table": name, "size": star.size(name), "start": query.start, "columns": columns, "rows": listed})


def _table(star: Star, name: str) -> str:
    table = star.model.table(name)
    if table is None:
        raise refuse("unknown_table", f"The table {name} does not exist.")
    return table.name
