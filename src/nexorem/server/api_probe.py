"""Addresses of Probe: grids and their files, cells traced, rows behind a number, members to pick."""

from __future__ import annotations

import csv
import io
import json as plain_json
import time
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, Protocol, Self, TypeVar

from flask import Response, jsonify, request
from pydantic import ValidationError

from nexorem.core.checks.moved import named_then, names_then
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import Pick, read_pick, read_probe
from nexorem.core.engine.trace import trace, trace_rows
from nexorem.core.engine.trace_beside import parting
from nexorem.core.engine.trace_rows import EACH, RowOrder
from nexorem.core.engine.traced import CellFailure, UsedRows
from nexorem.core.language.former import present_name
from nexorem.core.model.specs import UNMATCHED, ProbeSpec, read_spec
from nexorem.core.model.star import Star
from nexorem.core.results import as_json
from nexorem.export.grids import grid_file, unrun
from nexorem.server import schemas as s
from nexorem.server import schemas_formula as f
from nexorem.server.addresses import Register, unfit
from nexorem.server.callers import request_budget
from nexorem.server.observed import slow_with
from nexorem.work import describe, releasing
from nexorem.work.workspace import Workspace

MOST_ROWS = 1_000_000  # of a file of rows


def add_probe(address: Register, workspace: Workspace) -> None:
    """Everything that reads numbers."""
    _grids(address, workspace)
    _traces(address, workspace)
    _files(address, workspace)


def _grids(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/grid", "POST", s.GridAnswer, cleared=True, large=True, json=s.GridRequest)
    def grid(model_id: int, json: s.GridRequest) -> Response:
        """Answers a probe."""
        stored, now = workspace.star(model_id)
        star = now if json.release is None else releasing.star_at(workspace, model_id, json.release)
        probe = named_then(star.model, now.model, json.probe)
        start = time.perf_counter()
        budget, read = request_budget(), read_probe(star, probe)
        slow_with(lambda: describe.plan_text(star, read))
        grid_json = describe.grid_answer(answer(star, read, budget), budget)
        return jsonify({**grid_json, "milliseconds": milliseconds(start), "version": stored.version})

    @address("/models/<int:model_id>/members", "POST", s.Members, cleared=True, json=s.MembersRequest)
    def members(model_id: int, json: s.MembersRequest) -> Response:
        """The members of a column, for a pick, with their rows under the other picks."""
        _, star = workspace.star(model_id)
        question = describe.MembersAsk(json.column, json.search, json.picks, json.counted, json.by_rows)
        return jsonify(describe.members(star, question, request_budget()))


def _traces(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/trace", "POST", f.TraceAnswer, cleared=True, json=f.TraceRequest)
    def trace_cell(model_id: int, json: f.TraceRequest) -> Response:
        """Explains one cell."""
        star = releasing.star_at(workspace, model_id, json.release)
        start = time.perf_counter()
        asked = asked_then(star, workspace.star(model_id)[1], json)
        at, budget = coordinates(star, asked.at), request_budget()
        tracing = trace(star, read_probe(star, asked.probe), asked.measure, at, budget, _into(json))
        return jsonify(as_json(tracing) | {"milliseconds": milliseconds(start)})

    @address("/models/<int:model_id>/mends", "POST", f.MendValues, cleared=True, json=f.MendsRequest)
    def mend_values(model_id: int, json: f.MendsRequest) -> Response:
        """One cell with each of some formulas in place of a measure's, beside what it is."""
        _, star = workspace.star(model_id)
        return jsonify({"values": [_mended_value(workspace, star, json, m) for m in json.mends]})

    @address("/models/<int:model_id>/trace/rows", "POST", f.UsedRowsAnswer, cleared=True, json=f.RowsRequest)
    def used_rows(model_id: int, json: f.RowsRequest) -> Response:
        """A page of the rows that an aggregate of a trace used."""
        star = releasing.star_at(workspace, model_id, json.release)
        asked = asked_then(star, workspace.star(model_id)[1], json)
        return jsonify(_used_rows(workspace, star, asked, RowOrder(json.start, json.count, json.by, json.descending)))

    @address("/models/<int:model_id>/trace/beside", "POST", f.TracesBeside, cleared=True, json=f.BesideRequest)
    def traces_beside(model_id: int, json: f.BesideRequest) -> Response:
        """Where the traces of two cells part."""
        _, star = workspace.star(model_id)
        sides = [
            trace(star, read_probe(star, x.probe), x.measure, coordinates(star, x.at), request_budget()) for x in (json.first, json.second)
        ]
        return jsonify({"first": sides[0].value, "second": sides[1].value, "steps": parting(*sides)})


def _mended_value(workspace: Workspace, star: Star, request: f.MendsRequest, mend: f.MendAsk) -> dict[str, Any]:
    """The cell that a formula would make, beside the one that is there."""
    answer_of: dict[str, Any] = {"now": None, "then": None, "dtype": "number", "error": ""}
    mended = replace(request.probe, define={**request.probe.define, mend.measure: mend.formula})
    for key, probe in (("now", request.probe), ("then", mended)):
        try:
            tracing = trace(star, read_probe(star, probe), request.measure, coordinates(star, request.at), request_budget())
        except Refused as refused:
            return answer_of | {"error": refused.diagnostics[0].message}
        if isinstance(tracing.value, CellFailure):
            return answer_of | {"error": tracing.value.message}
        answer_of |= {key: tracing.value, "dtype": tracing.tree.dtype}
    return answer_of


def _used_rows(workspace: Workspace, star: Star, request: f.RowsRequest, order: RowOrder) -> UsedRows:
    probe, at = read_probe(star, request.probe), coordinates(star, request.at)
    return trace_rows(star, probe, request.measure, at, request_budget(), _into(request), request.path, order)


def _into(request: f.TraceRequest) -> list[tuple[str, int]]:
    return [(i.path, i.key) for i in request.into]


def _files(address: Register, workspace: Workspace) -> None:
    """Addresses that any tool can fetch: nothing but an address is needed."""

    @address("/models/<int:model_id>/grid.<string:ending>", "GET", None, cleared=True, takes="a grid")
    def grid_as(model_id: int, ending: str) -> Response:
        """A probe's answer as a file; the probe is JSON in the address."""
        _, star = workspace.star(model_id)
        return grid_response(
            workspace, star, read_spec(ProbeSpec, json_of(request.args.get("probe", ""), "probe"), "bad_probe"), ending, "grid"
        )

    @address("/models/<int:model_id>/probes/<path:name>.<string:ending>", "GET", None, cleared=True, takes="a probe")
    def saved_probe_as(model_id: int, name: str, ending: str) -> Response:
        """The answer of a probe of the model as a file, as the model stands when it is fetched."""
        _, star = workspace.star(model_id)
        present = present_name(star.model, "probe", name)  # an address given away goes on working
        probe = star.model.probe(present)
        if probe is None:
            raise refuse("unknown_probe", f"The probe {name} does not exist.")
        return grid_response(workspace, star, probe, ending, name)

    @address("/models/<int:model_id>/trace/rows.csv", "GET", None, cleared=True, takes="rows")
    def rows_as_csv(model_id: int) -> Response:
        """All rows that an aggregate of a trace used, as CSV; the request of /trace/rows is JSON in the address."""
        _, star = workspace.star(model_id)
        try:
            rows_request = f.RowsRequest.model_validate(json_of(request.args.get("rows", ""), "rows"))
        except ValidationError as error:
            raise unfit(error) from None
        used = _used_rows(workspace, star, rows_request, RowOrder(0, MOST_ROWS, rows_request.by, rows_request.descending))
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        values = used.values
        writer.writerow([*used.columns, *([EACH] if values is not None else [])])
        for i, row in enumerate(used.rows):
            writer.writerow(["" if v is None else unrun(v) for v in (*row, *([values[i]] if values is not None else []))])
        return _sent(out.getvalue().encode(), "text/csv; charset=utf-8", f"{used.grain}.csv")


def json_of(text: str, what: str) -> dict[str, Any]:
    """JSON of an address, an object."""
    try:
        document = plain_json.loads(text)
    except ValueError as error:
        raise refuse("bad_json", f"What the address says of {what} is not JSON: {error}.", place=what) from None
    if not isinstance(document, dict):
        raise refuse("bad_json", f"What the address says of {what} is not a JSON object.", place=what)
    return document


def grid_response(workspace: Workspace, star: Star, probe: ProbeSpec, ending: str, name: str) -> Response:
    """A probe's answer as a file."""
    budget = request_budget()
    kind, content = grid_file(answer(star, read_probe(star, probe), budget), ending, budget)
    return _sent(content, kind, f"{name}.{ending}")


def _sent(content: bytes, kind: str, name: str) -> Response:
    safe = "".join(c if c.isalnum() or c in "-_." else "-" for c in name).encode("ascii", "replace").decode().replace("?", "-")
    return Response(content, mimetype=kind.split(";")[0], headers={"Content-Disposition": f'attachment; filename="{safe}"'})


def milliseconds(start: float) -> float:
    """Since a moment of the clock."""
    return round((time.perf_counter() - start) * 1000, 1)


class CellAsked(Protocol):
    """A request about a cell."""

    probe: ProbeSpec
    measure: str
    at: list[s.Coordinate]

    def model_copy(self, *, update: Mapping[str, Any]) -> Self:
        """The same with other parts."""


A = TypeVar("A", bound=CellAsked)


def asked_then(then: Star, now: Star, request: A) -> A:
    """A request about a cell under the names that things had in an earlier state; a name that the present does not have stays."""
    names = names_then(then.model, now.model, request.probe)
    at = [c.model_copy(update={"column": names.get(c.column.lower(), c.column)}) for c in request.at]
    measure = names.get(request.measure.lower(), request.measure)
    return request.model_copy(update={"probe": named_then(then.model, now.model, request.probe), "measure": measure, "at": at})


def coordinates(star: Star, said: list[s.Coordinate]) -> list[Pick]:
    """The members of a cell, totals left out."""
    return [_coordinate(star, c) for c in said if c.member.kind != "total"]


def _coordinate(star: Star, said: s.Coordinate) -> Pick:
    value: Any = UNMATCHED if said.member.kind == "unmatched" else None if said.member.kind == "empty" else said.member.value
    return read_pick(star, said.column, [value])
