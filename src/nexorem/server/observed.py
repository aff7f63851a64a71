"""What is seen of the server from outside: a request's id in answer, log and error, its log as JSON lines, health, and figures in the
OpenMetrics format."""

from __future__ import annotations

import datetime as dt
import json
import logging
import re
import secrets
import time
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import Any

from flask import Flask, Response, g, has_request_context, request
from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.process_collector import ProcessCollector
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from nexorem.core.diagnostics import Refused
from nexorem.server.events import Events
from nexorem.work.workspace import Workspace

GIVEN_ID = re.compile(r"[A-Za-z0-9._-]{8,64}")
HEADER = "X-Request-Id"
SLOW_SECONDS = 1.0
LONGEST_PLAN = 20_000  # characters of a plan in the log
MOST_LOG, LOGS = 20 * 1024**2, 5  # bytes of a file of the log, and how many there are
BUCKETS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0, 30.0)
log = logging.getLogger("nexorem.requests")


def new_id() -> str:
    """An id for a request that brings none."""
    return secrets.token_hex(8)


def request_id() -> str:
    """The present request's id; empty outside of one."""
    return str(g.get("request_id", "")) if has_request_context() else ""


def slow_with(plan: Callable[[], str]) -> None:
    """Says what is logged of the present request where it is slow: how it was gone about."""
    g.plan = plan


class Lines(logging.Formatter):
    """A record as one line of JSON. What a person typed, passwords too, is in none: a request is told by its address without its query."""

    def format(self, record: logging.LogRecord) -> str:
        """The line."""
        at = dt.datetime.fromtimestamp(record.created, dt.UTC).isoformat(timespec="milliseconds")
        line: dict[str, Any] = {"at": at, "level": record.levelname.lower(), "message": record.getMessage()}
        line |= {"request": getattr(record, "request", "") or request_id(), **getattr(record, "more", {})}
        if record.exc_info:
            line["error"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False, default=str)


def log_to(folder: Path) -> None:
    """Has everything logged as JSON lines into files of a folder, the newest first filled; warnings on standard error too."""
    folder.mkdir(mode=0o700, exist_ok=True)
    lines = RotatingFileHandler(folder / "nexorem.jsonl", maxBytes=MOST_LOG, backupCount=LOGS - 1, encoding="utf-8")
    lines.setFormatter(Lines())
    said = logging.StreamHandler()
    said.setLevel(logging.WARNING)
    said.setFormatter(logging.Formatter("nexorem: %(message)s"))
    ours = logging.getLogger("nexorem")
    ours.setLevel(logging.INFO)
    ours.handlers[:] = [lines, said]


class Figures:
    """What is counted of one application."""

    def __init__(self, workspace: Workspace, events: Events) -> None:
        self.registry = CollectorRegistry()
        ProcessCollector(registry=self.registry)
        self.requests = Counter("nexorem_requests", "Requests answered.", ("method", "address", "status"), registry=self.registry)
        self.seconds = Histogram("nexorem_request_seconds", "How long answers took.", ("address",), buckets=BUCKETS, registry=self.registry)
        self.under_way = Gauge("nexorem_requests_under_way", "Requests that are being answered.", registry=self.registry)
        windows = Gauge("nexorem_windows", "Windows that follow a model.", registry=self.registry)
        windows.set_function(events.followers)
        models = Gauge("nexorem_models_in_memory", "Models whose rows are in memory.", registry=self.registry)
        models.set_function(workspace.models_in_memory)
        taken = Gauge("nexorem_models_bytes", "What models in memory take, with all that is derived of them.", registry=self.registry)
        taken.set_function(workspace.memory.bytes)


def install(app: Flask, workspace: Workspace, events: Events) -> None:
    """Looks at every request, and answers the addresses of health and figures. Before anything else that looks at requests."""
    figures = Figures(workspace, events)

    @app.before_request
    def begin() -> None:
        given = request.headers.get(HEADER, "")
        g.request_id = given if GIVEN_ID.fullmatch(given) else new_id()
        g.began = time.perf_counter()
        figures.under_way.inc()

    @app.after_request
    def end(response: Response) -> Response:
        response.headers[HEADER] = g.request_id
        took = time.perf_counter() - g.began
        address = request.url_rule.rule if request.url_rule else "none"
        figures.requests.labels(request.method, address, response.status_code).inc()
        figures.seconds.labels(address).observe(took)
        if request.path.startswith("/api/"):
            _logged(response, took)
        return response

    @app.teardown_request
    def left(_error: BaseException | None) -> None:
        if "began" in g:
            figures.under_way.dec()

    @app.get("/health/live")
    def live() -> dict[str, Any]:
        """That the process answers."""
        return {"live": True}

    @app.get("/health/ready")
    def ready() -> tuple[dict[str, Any], int]:
        """That the store answers, too."""
        try:
            with workspace.engine.connect() as connection:
                connection.execute(text("SELECT 1"))
        except SQLAlchemyError:
            return {"ready": False, "why": "The store does not answer."}, 503
        return {"ready": True}, 200

    @app.get("/metrics")
    def metrics() -> Response:
        """The figures, in the OpenMetrics format."""
        return Response(generate_latest(figures.registry), content_type=CONTENT_TYPE_LATEST)  # type: ignore[no-untyped-call]


def _logged(response: Response, took: float) -> None:
    more = {"method": request.method, "path": request.path, "status": response.status_code, "milliseconds": round(took * 1000, 1)}
    if took > SLOW_SECONDS:
        plan = g.get("plan")
        try:
            more["plan"] = plan()[:LONGEST_PLAN] if plan else ""
        except Refused:  # what was asked for cannot be planned
            more["plan"] = ""
    log.info("slow" if took > SLOW_SECONDS else "answered", extra={"more": more})
