"""The Flask application: the interface under /api, and the built front end for everything else."""

from __future__ import annotations

import re
from pathlib import Path

from flask import Flask, Response, g, redirect, request, send_from_directory
from werkzeug.exceptions import MethodNotAllowed
from werkzeug.routing import IntegerConverter
from werkzeug.wrappers import Response as Answer

from nexorem.core.results import as_json
from nexorem.server import observed, problems, security
from nexorem.server.addresses import Who
from nexorem.server.api import MOST_UPLOAD, make_api
from nexorem.server.door import Door, with_session
from nexorem.server.events import Events
from nexorem.store.database import connect
from nexorem.store.tasks import Task
from nexorem.work import checking, counting, covering, people, proving
from nexorem.work.background import Background, Doing, Run
from nexorem.work.quiet import Quiet
from nexorem.work.readying import Readying
from nexorem.work.workspace import Workspace

WEB = Path(__file__).resolve().parents[3] / "web" / "dist"


def _let_people_first(app: Flask, quiet: Quiet) -> None:
    """Counts the requests that wait for an answer; streams are answered at once and go on for hours."""

    @app.before_request
    def entered() -> None:
        if request.endpoint != "api.follow":
            quiet.__enter__()
            g.entered = True

    @app.teardown_request
    def left(_error: BaseException | None) -> None:
        if g.pop("entered", False):
            quiet.__exit__()


METHODS = ["GET", "POST", "PUT", "PATCH", "DELETE"]


class Number(IntegerConverter):
    """A number in an address, of those that the store gives."""

    regex = r"\d{1,9}"


def _is_there(file: Path) -> bool:
    try:
        return file.is_file()
    except (OSError, ValueError):  # a name that no file has
        return False


def _entered(workspace: Workspace, door: Door, key: str) -> Answer:
    """The way in from a printed address: a session for its key, and the address without it."""
    response = redirect(request.path, 303)
    session = people.enter(workspace, key) if door.mode == "alone" else None
    response.headers["Cache-Control"] = "no-store"
    if session:
        with_session(door, response, session)
    return response


def in_background(app: Flask) -> Background:
    """Starts what runs beside the requests: checks in one thread, coverage and proofs in another, what places count for us in a third, and
    what makes models ready in a fourth."""
    workspace: Workspace = app.extensions["nexorem"]
    quiet: Quiet = app.extensions["quiet"]

    def checks(task: Task) -> None:
        Run(workspace, task.model_id, bool(task.asked.get("again")), quiet.wait, quiet.budget).all()

    def coverage(task: Task) -> None:
        covering.run(workspace, task.model_id, quiet.wait, quiet.budget)

    def proofs(task: Task) -> None:
        proving.run(workspace, task.model_id, quiet.wait, quiet.budget)

    def counts(task: Task) -> None:
        counting.run(workspace, task.model_id, task.asked)

    groups: list[dict[str, Doing]] = [{checking.KIND: checks}, {covering.KIND: coverage, proving.KIND: proofs}, {counting.KIND: counts}]
    Readying(workspace.memory, quiet)
    return Background(workspace, groups)


def create_app(
    url: str, web: Path = WEB, data: Path | None = None, door: Door | None = None, who: Who | None = None, memory: int | None = None
) -> Flask:
    """The application on a store's address; `data` is the folder of files and of the key for passwords, `door` whom it lets in (everybody,
    where nothing is said); `who` tells in its place who makes the request that is being answered. Models in memory take `memory` bytes at
    most, or half of the machine's."""
    door = door or Door()
    app = Flask("nexorem", static_folder=None)
    app.url_map.converters["int"] = Number
    app.config["MAX_CONTENT_LENGTH"] = MOST_UPLOAD
    app.json.sort_keys = False  # type: ignore[attr-defined]
    app.json.default = as_json  # type: ignore[attr-defined]
    workspace = Workspace(connect(url), data, memory)
    app.extensions["nexorem"] = workspace
    app.extensions["door"] = door
    app.extensions["events"] = events = Events(url)
    observed.install(app, workspace, events)
    security.install(app, door)
    problems.install(app)
    app.extensions["quiet"] = quiet = Quiet()
    _let_people_first(app, quiet)
    api, spec = make_api(workspace, door, who)
    app.register_blueprint(api)
    spec.register(app)

    @app.route("/api/<path:rest>", methods=METHODS)
    def no_address(rest: str) -> Response:
        """What no address is, whatever the method; one that is there, with another method, says with which."""
        allowed = [m for m in METHODS if app.url_map.bind("").match(request.path, m)[0] != "no_address"]
        if allowed:
            raise MethodNotAllowed(allowed)
        return problems.problem(404, "http", "Not found", "There is no such address.")

    @app.get("/", defaults={"path": "index.html"})
    @app.get("/<path:path>")
    def page(path: str) -> Answer:
        """A file of the front end; any other address is one of its own."""
        if not (web / "index.html").is_file():
            return Response("The front end is not built. Start Nexorem with ./nexorem demo or ./nexorem serve.", 503, mimetype="text/plain")
        if key := request.args.get("key"):
            return _entered(workspace, door, key)
        target = path if path != "index.html" and _is_there(web / path) else "index.html"
        response = send_from_directory(web, target)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable" if target.startswith("assets/") else "no-cache"
        if model := re.match(r"m/(\d+)/", path):
            asked = "/api/me", f"/api/models/{model[1]}", f"/api/models/{model[1]}/analysis?findings=true"
            # On their way while the browser still reads the scripts that ask for them.
            response.headers["Link"] = ", ".join(f"<{address}>; rel=preload; as=fetch; crossorigin" for address in asked)
        return response

    return app
