"""Addresses of releases: making them, and everything that can be fetched of one; what such an address gave once it gives for ever."""

from __future__ import annotations

from flask import Response, jsonify, request

from nexorem.core.diagnostics import refuse
from nexorem.core.language.former import present_name
from nexorem.core.model.specs import ProbeSpec, read_spec
from nexorem.export.documents import DOCUMENTS, make_document
from nexorem.export.report import report
from nexorem.server import schemas as s
from nexorem.server import schemas_link as k
from nexorem.server import schemas_prove as p
from nexorem.server.addresses import Register, actor
from nexorem.server.api_probe import grid_response, json_of
from nexorem.server.callers import request_budget
from nexorem.server.packages import package_answer
from nexorem.work import releasing
from nexorem.work.actor import Need
from nexorem.work.describe import document, whole
from nexorem.work.workspace import Workspace


def add_release(address: Register, workspace: Workspace) -> None:
    """Everything about releases."""
    _making(address, workspace)
    _seeing(address, workspace)
    _fetching(address, workspace)


def _making(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/releases", "GET", p.Releases)
    def list_releases(model_id: int) -> Response:
        """The releases, the newest first."""
        return jsonify({"releases": releasing.listed(workspace, model_id)})

    @address("/models/<int:model_id>/releases/preview", "GET", p.ReleasePreview)
    def preview_release(model_id: int) -> Response:
        """What a release made now would say, and what stops it."""
        return jsonify(releasing.preview(workspace, model_id))

    @address("/models/<int:model_id>/releases", "POST", p.ReleaseMade, needs=Need.KEEP, json=p.ReleaseRequest)
    def make_release(model_id: int, json: p.ReleaseRequest) -> Response:
        """Makes a release of the model as it stands at `base`."""
        words = {"name": json.name, "notes": json.notes, "reason": json.reason}
        return jsonify({"number": releasing.make(workspace, actor(), model_id, words, json.base)})

    @address("/models/<int:model_id>/releases/<string:release>/bring_back", "POST", s.ModelDocument, needs=Need.EDIT, json=p.BaseRequest)
    def bring_back(model_id: int, release: str, json: p.BaseRequest) -> Response:
        """Brings the draft back to a release, as one edit."""
        releasing.bring_back(workspace, actor(), model_id, release, json.base)
        return jsonify(document(*workspace.star(model_id)))


def _seeing(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/releases/<string:release>/compare/<string:other>", "GET", p.ReleasesCompared)
    def compare_releases(model_id: int, release: str, other: str) -> Response:
        """Two releases compared, or a release and the `draft`."""
        return jsonify(releasing.compared(workspace, model_id, release, other))

    @address("/models/<int:model_id>/releases/<string:release>/beside", "POST", p.BesideAnswer, json=k.ProbeRequest)
    def release_beside(model_id: int, release: str, json: k.ProbeRequest) -> Response:
        """A probe as of a release, beside the draft."""
        if json.probe is None:
            raise refuse("no_probe", "There is no probe to be seen.", "Name one.", "probe")
        return jsonify({"grid": releasing.probe_beside(workspace, model_id, release, json.probe, request_budget())})

    @address("/models/<int:model_id>/releases/<string:release>/model", "GET", s.WholeModel, cleared=True)
    def release_model(model_id: int, release: str) -> Response:
        """The model as of a release, as the stages show it."""
        stored, _ = workspace.star(model_id)
        shown = releasing.star_at(workspace, model_id, release)
        then = releasing.as_stored(stored, shown)
        return jsonify(whole(then, shown))


def _fetching(address: Register, workspace: Workspace) -> None:
    """Addresses that any tool can fetch."""

    @address(
        "/models/<int:model_id>/releases/<string:release>/grid.<string:ending>", "GET", None, takes="a grid of a release", cleared=True
    )
    def release_grid(model_id: int, release: str, ending: str) -> Response:
        """A probe's answer as of a release; the probe is JSON in the address."""
        star = releasing.star_at(workspace, model_id, release)
        probe = read_spec(ProbeSpec, json_of(request.args.get("probe", ""), "probe"), "bad_probe")
        return grid_response(workspace, star, probe, ending, "grid")

    @address(
        "/models/<int:model_id>/releases/<string:release>/probes/<path:name>.<string:ending>",
        "GET",
        None,
        takes="a probe of a release",
        cleared=True,
    )
    def release_probe(model_id: int, release: str, name: str, ending: str) -> Response:
        """The answer of a probe as it was in a release."""
        star = releasing.star_at(workspace, model_id, release)
        probe = star.model.probe(present_name(star.model, "probe", name))
        if probe is None:
            raise refuse("unknown_probe", f"The probe {name} does not exist in release {release}.")
        return grid_response(workspace, star, probe, ending, name)

    @address("/models/<int:model_id>/releases/<string:release>/package", "GET", None, takes="a package of a release", query=s.PackageQuery)
    def release_package(model_id: int, release: str, query: s.PackageQuery) -> Response:
        """A release as a .zip of a data package."""
        star = releasing.star_at(workspace, model_id, release)
        return package_answer(star, query.data, workspace.beside(model_id, star.model), f"{star.model.name}-{release}")

    @address("/models/<int:model_id>/releases/<string:release>/document", "GET", None, query=k.DocumentQuery)
    def release_document(model_id: int, release: str, query: k.DocumentQuery) -> Response:
        """A release as SQL, Markdown or a picture."""
        star = releasing.star_at(workspace, model_id, release)
        return Response(make_document(star, query.kind, query.fact or None, query.beside or None), mimetype=DOCUMENTS[query.kind][1])

    @address("/models/<int:model_id>/releases/<string:release>/report", "GET", None, takes="a report of a release")
    def release_report(model_id: int, release: str) -> Response:
        """A release as one page that needs nothing else."""
        star = releasing.star_at(workspace, model_id, release)
        return Response(report(star, releasing.read(workspace, model_id, release)), mimetype="text/html")
