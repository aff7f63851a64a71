"""Errors as problem details (RFC 9457). The one place that maps the families of errors to HTTP."""

from __future__ import annotations

import logging
from typing import Any

from flask import Flask, Response, g, jsonify
from sqlalchemy.exc import DataError, OperationalError
from werkzeug.exceptions import HTTPException, MethodNotAllowed

from nexorem.core.diagnostics import CellError, OverLimit, Refused, refuse
from nexorem.store.models import Conflict

STATUS = {
    "unknown_model": 404,
    "not_allowed": 403,
    "sign_in": 401,
    "wrong_password": 401,
    "too_often": 429,
}  # of refusals by code; of all others 422
PROBLEM_JSON = "application/problem+json"
log = logging.getLogger("nexorem")


def document(status: int, kind: str, title: str, detail: str, request_id: str, **more: Any) -> dict[str, Any]:
    """A problem document as JSON."""
    said = {"type": f"urn:nexorem:{kind}", "title": title, "status": status, "detail": detail}
    return {**said, "errors": [], "changes": [], "version": None, "request": request_id, **more}


def problem(status: int, kind: str, title: str, detail: str, **more: Any) -> Response:
    """The answer with a problem document."""
    response = jsonify(document(status, kind, title, detail, str(g.get("request_id", "")), **more))
    response.status_code = status
    response.mimetype = PROBLEM_JSON
    return response


def of_refusal(refused: Refused) -> Response:
    """The user's mistake, or a bound that was met: every diagnostic at once."""
    first = refused.diagnostics[0]
    status = 413 if isinstance(refused, OverLimit) else STATUS.get(first.code, 422)
    errors = [d.as_json() for d in refused.diagnostics]
    return problem(status, first.code, "This cannot be done as asked.", " ".join(d.message for d in refused.diagnostics[:3]), errors=errors)


def disk_is_full(error: OperationalError) -> bool:
    """Whether PostgreSQL had no room left (SQLSTATE 53100)."""
    return getattr(error.orig, "sqlstate", None) == "53100"


def install(app: Flask) -> None:
    """Registers the handlers."""

    @app.errorhandler(Refused)
    def refused(error: Refused) -> Response:
        return of_refusal(error)

    @app.errorhandler(Conflict)
    def conflict(error: Conflict) -> Response:
        changes = [{"title": c["title"], "author": c["author"]} for c in error.changes]
        return problem(409, "conflict", "The model has changed meanwhile.", str(error), changes=changes, version=error.version)

    @app.errorhandler(CellError)
    def cell(error: CellError) -> Response:
        return problem(422, error.code, "The computation failed.", str(error))

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Response:
        response = problem(error.code or 500, "http", error.name, error.description or "")
        if isinstance(error, MethodNotAllowed) and error.valid_methods:
            response.headers["Allow"] = ", ".join(sorted(error.valid_methods))
        return response

    @app.errorhandler(OperationalError)
    def database(error: OperationalError) -> Response:
        log.error("store: %s", error)
        if disk_is_full(error):
            return problem(507, "disk_full", "The store's disk is full.", "Nothing was changed. Make room on it, then try again.")
        return problem(503, "store", "The store does not answer.", "PostgreSQL cannot be reached. Start Nexorem again if it stays so.")

    @app.errorhandler(DataError)
    def beyond(error: DataError) -> Response:
        log.warning("store: %s", error)
        return of_refusal(refuse("beyond", "A number or a text is beyond what the store can hold.", "Give a smaller or a shorter one."))

    @app.errorhandler(Exception)
    def ours(error: Exception) -> Response:
        log.exception("a defect of ours", exc_info=error)
        said = f"The request could not be answered; the server's log has the details under {g.get('request_id', '')}."
        return problem(500, "defect", "This is a defect of Nexorem.", said)
