"""Addresses of Gather and Shape: files, readings, loads, databases, schedules, steps, keys, made tables, lineage."""

from __future__ import annotations

import datetime as dt

from flask import Response, jsonify, request

from nexorem.gather.lineage import story
from nexorem.server import schemas as s
from nexorem.server import schemas_gather as g
from nexorem.server.addresses import Register, actor
from nexorem.server.callers import request_budget
from nexorem.work import connecting, filing, loading, scheduling, shaping
from nexorem.work.actor import Need
from nexorem.work.describe import document
from nexorem.work.workspace import Workspace


def add_gather(address: Register, workspace: Workspace) -> None:
    """Everything that brings rows in."""
    _files(address, workspace)
    _readings(address, workspace)
    _loads(address, workspace)
    _databases(address, workspace)


def _answer(workspace: Workspace, model_id: int) -> Response:
    return jsonify(document(*workspace.star(model_id)))


def _files(address: Register, workspace: Workspace) -> None:
    @address("/models/new", "POST", s.Created, needs=Need.KEEP, json=g.NewModel)
    def new_model(json: g.NewModel) -> Response:
        """Makes a model without tables."""
        return jsonify({"id": workspace.new(actor(), json.title.strip())})

    @address("/models/<int:model_id>", "DELETE", g.Done, needs=Need.KEEP)
    def remove_model(model_id: int) -> Response:
        """Removes a model; for some days it can be brought back."""
        workspace.remove(actor(), model_id)
        return jsonify({"done": True})

    @address("/models/<int:model_id>/bring_back", "POST", g.Done, needs=Need.KEEP)
    def bring_model_back(model_id: int) -> Response:
        """Brings back a model that was removed."""
        workspace.bring_back(actor(), model_id)
        return jsonify({"done": True})

    @address("/models/<int:model_id>/copy", "POST", s.Created, needs=Need.KEEP, json=s.CopyRequest)
    def copy_model(model_id: int, json: s.CopyRequest) -> Response:
        """Makes a model like another, with its rows."""
        return jsonify({"id": workspace.copy(actor(), model_id, json.title.strip())})

    @address("/models/<int:model_id>/files", "GET", g.Files)
    def list_files(model_id: int) -> Response:
        """The files that were dropped, or put into the model's folder."""
        return jsonify(filing.files(workspace, model_id))

    @address("/models/<int:model_id>/files", "PUT", g.FileInfo, needs=Need.BRING, query=g.FileQuery)
    def put_file(model_id: int, query: g.FileQuery) -> Response:
        """Keeps a file: the request's body. One of that name is replaced when the whole of the new one has come."""
        request.max_content_length = filing.MOST_FILE
        kept = filing.keep_file(workspace, actor(), model_id, query.name, request.stream, request.content_length or 0)
        return jsonify(filing.file_info(kept))

    @address("/models/<int:model_id>/files", "DELETE", g.Done, needs=Need.BRING, query=g.FileQuery)
    def remove_file(model_id: int, query: g.FileQuery) -> Response:
        """Removes a file; the rows that were loaded from it stay."""
        filing.remove_file(workspace, actor(), model_id, query.name)
        return jsonify({"done": True})


def _readings(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/readings", "POST", g.Reading, needs=Need.BRING, json=g.ReadingRequest)
    def start_reading(model_id: int, json: g.ReadingRequest) -> Response:
        """Begins to read; nothing is taken into the model yet."""
        return jsonify(loading.start_reading(workspace, actor(), model_id, json.model_dump()).state_json())

    @address("/models/<int:model_id>/readings/<string:reading_id>", "GET", g.Reading)
    def look_at_reading(model_id: int, reading_id: str) -> Response:
        """How far a reading is, and what it found."""
        return jsonify(workspace.jobs.get(model_id, reading_id).state_json())

    @address("/models/<int:model_id>/readings/<string:reading_id>", "DELETE", g.Done, needs=Need.BRING)
    def drop_reading(model_id: int, reading_id: str) -> Response:
        """Ends a reading; nothing of it is kept."""
        workspace.jobs.drop(workspace.jobs.get(model_id, reading_id))
        return jsonify({"done": True})

    @address("/models/<int:model_id>/readings/<string:reading_id>/compare", "POST", g.Comparison, json=g.CompareRequest)
    def compare_reading(model_id: int, reading_id: str, json: g.CompareRequest) -> Response:
        """What taking it would change in the tables that are here."""
        job = workspace.jobs.get(model_id, reading_id)
        return jsonify(loading.comparison(workspace, model_id, job, [c.model_dump() for c in json.tables], json.mends))

    @address("/models/<int:model_id>/readings/<string:reading_id>/take", "POST", s.ModelDocument, needs=Need.BRING, json=g.TakeRequest)
    def take_reading(model_id: int, reading_id: str, json: g.TakeRequest) -> Response:
        """Takes tables of it into the model, as one edit."""
        job = workspace.jobs.get(model_id, reading_id)
        loading.take(workspace, actor(), model_id, job, [c.model_dump() for c in json.tables], json.base, json.mends)
        return _answer(workspace, model_id)


def _loads(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/loads", "GET", g.Loads, query=g.LoadsQuery)
    def list_loads(model_id: int, query: g.LoadsQuery) -> Response:
        """The loads of a model or of one table, the newest first."""
        return jsonify({"loads": loading.history(workspace, model_id, query.table)})

    @address("/models/<int:model_id>/loads/<int:load_id>/compare", "GET", g.Comparison)
    def compare_load(model_id: int, load_id: int) -> Response:
        """What putting a load in force would change."""
        return jsonify(loading.compare_load(workspace, model_id, load_id))

    @address("/models/<int:model_id>/loads/<int:load_id>/use", "POST", s.ModelDocument, needs=Need.BRING, json=g.GoRequest)
    def use_load(model_id: int, load_id: int, json: g.GoRequest) -> Response:
        """Puts a load in force: one before, or one that is held."""
        loading.go_to(workspace, actor(), model_id, load_id, json.base, json.mends)
        return _answer(workspace, model_id)

    @address("/models/<int:model_id>/loads/<int:load_id>", "DELETE", g.Done, needs=Need.BRING)
    def drop_load(model_id: int, load_id: int) -> Response:
        """Forgets a load that is held."""
        loading.drop_held(workspace, actor(), model_id, load_id)
        return jsonify({"done": True})

    @address("/models/<int:model_id>/schedules", "GET", g.Schedules)
    def list_schedules(model_id: int) -> Response:
        """When tables are loaded by themselves."""
        return jsonify({"schedules": scheduling.schedules(workspace, model_id)})

    @address("/models/<int:model_id>/schedules", "PUT", g.Schedules, needs=Need.BRING, json=g.ScheduleRequest)
    def put_schedule(model_id: int, json: g.ScheduleRequest) -> Response:
        """Sets or ends a schedule."""
        scheduling.put_schedule(workspace, actor(), model_id, json.table, json.minutes, dt.datetime.now(dt.UTC))
        return jsonify({"schedules": scheduling.schedules(workspace, model_id)})


def _databases(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/connections", "GET", g.Connections)
    def list_connections(model_id: int) -> Response:
        """Ways to databases, without passwords."""
        return jsonify({"connections": connecting.connections(workspace, model_id)})

    @address("/models/<int:model_id>/connections", "PUT", g.Connections, needs=Need.BRING, json=g.ConnectionRequest)
    def put_connection(model_id: int, json: g.ConnectionRequest) -> Response:
        """Keeps a way to a database that answers."""
        access = json.model_dump(exclude={"name", "keep_password"})
        connecting.put_connection(workspace, actor(), model_id, json.name, access, json.keep_password)
        return jsonify({"connections": connecting.connections(workspace, model_id)})

    @address("/models/<int:model_id>/connections/cluster", "PUT", g.Connections, needs=Need.BRING, json=g.ClusterRequest)
    def put_cluster(model_id: int, json: g.ClusterRequest) -> Response:
        """Keeps a way to a cluster that answers."""
        connecting.put_cluster(workspace, actor(), model_id, json.name, json.address)
        return jsonify({"connections": connecting.connections(workspace, model_id)})

    @address("/models/<int:model_id>/connections", "DELETE", g.Done, needs=Need.BRING, query=g.FileQuery)
    def remove_connection(model_id: int, query: g.FileQuery) -> Response:
        """Forgets a connection."""
        connecting.remove_connection(workspace, actor(), model_id, query.name)
        return jsonify({"done": True})

    @address("/models/<int:model_id>/connections/tables", "POST", g.DatabaseTables, needs=Need.BRING, json=g.LookRequest)
    def database_tables(model_id: int, json: g.LookRequest) -> Response:
        """What a database has."""
        return jsonify({"tables": connecting.database_tables(workspace, actor(), model_id, json.name, json.password)})


def add_shape(address: Register, workspace: Workspace) -> None:
    """Everything that shapes rows."""

    @address("/models/<int:model_id>/tables/<path:table>/steps", "POST", g.ShapeAnswer, json=g.ShapeRequest)
    def try_steps(model_id: int, table: str, json: g.ShapeRequest) -> Response:
        """What steps would do, one by one, and some rows after one of them. Nothing is kept."""
        _, star = workspace.star(model_id)
        return jsonify(shaping.preview(workspace, star, table, json.steps, json.at, json.start, json.count))

    @address("/models/<int:model_id>/tables/<path:table>/steps/profiles", "POST", g.ShapeProfiles, json=g.ShapeRequest)
    def step_profiles(model_id: int, table: str, json: g.ShapeRequest) -> Response:
        """The profiles of the columns after a step."""
        _, star = workspace.star(model_id)
        frame = shaping.step_frame(workspace, star.model, table, json.steps, json.at)
        return jsonify({"profiles": shaping.profiles_of(frame)})

    @address("/models/<int:model_id>/mismatch", "POST", g.Mismatch, json=g.MismatchRequest)
    def mismatch(model_id: int, json: g.MismatchRequest) -> Response:
        """Two keys side by side."""
        _, star = workspace.star(model_id)
        left, right = (json.left.table, json.left.columns), (json.right.table, json.right.columns)
        return jsonify(shaping.mismatch(star, left, right, json.amount, request_budget()))

    @address("/models/<int:model_id>/made", "POST", g.MadeAnswer, json=g.MadeRequest)
    def try_made(model_id: int, json: g.MadeRequest) -> Response:
        """The rows that a made table would have."""
        _, star = workspace.star(model_id)
        return jsonify(shaping.made_rows(workspace, star.model, json.origin))

    @address("/models/<int:model_id>/computed", "POST", g.MadeAnswer, json=g.ComputedRequest)
    def try_computed(model_id: int, json: g.ComputedRequest) -> Response:
        """The rows that a formula would make, of a table or a column."""
        _, star = workspace.star(model_id)
        return jsonify(shaping.computed_rows(star, json.table, json.column, json.formula, request_budget()))


def add_story(address: Register, workspace: Workspace) -> None:
    """What things come from, and what is built on them."""

    @address("/models/<int:model_id>/story", "GET", g.Story, query=g.StoryQuery)
    def story_of(model_id: int, query: g.StoryQuery) -> Response:
        """Where a thing comes from, and everything built on it."""
        _, star = workspace.star(model_id)
        return jsonify(story(star.model, query.kind, query.name))

    @address("/models/<int:model_id>/consequences", "POST", g.Consequences, json=g.ConsequencesRequest)
    def consequences(model_id: int, json: g.ConsequencesRequest) -> Response:
        """What an edit would break, before it is made."""
        return jsonify(shaping.consequences(workspace, model_id, shaping.from_outside(json.edit)))
