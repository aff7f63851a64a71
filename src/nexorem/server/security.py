"""Who is answered, and what a page may do: Host and Origin of this machine, or of the address that people reach it at, and a strict content
policy."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

from flask import Flask, Response, request

from nexorem.server.door import Door
from nexorem.server.problems import problem

LOOPBACK = re.compile(r"(localhost|127\.0\.0\.1|\[::1\])(:[0-9]{1,5})?")
POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; object-src 'none'; base-uri 'none'; "
    "form-action 'self'; frame-ancestors 'none'"
)
INTERNAL = ("/health/", "/metrics")  # asked for by this machine, at whatever address it has
CHANGING = ("POST", "PUT", "PATCH", "DELETE")


def install(app: Flask, door: Door) -> None:
    """Checks before each request, headers after it."""

    @app.before_request
    def only_ours() -> Response | None:
        if request.path == "/metrics" and "X-Forwarded-For" in request.headers:
            return problem(403, "host", "Not answered here.", "Figures are for this machine, and not told through a proxy.")
        public = urlsplit(door.origin).netloc
        if not (request.host == public if public else LOOPBACK.fullmatch(request.host)) and not request.path.startswith(INTERNAL):
            where = f"at {door.origin} only" if public else "on this machine's loopback address only"
            return problem(403, "host", "Not answered here.", f"Nexorem answers {where}.")
        origin = request.headers.get("Origin")
        if origin and origin != (door.origin or f"{request.scheme}://{request.host}"):
            return problem(403, "origin", "Not answered here.", "Another site's pages are not answered.")
        if request.method in CHANGING and request.headers.get("Sec-Fetch-Site", "same-origin") not in ("same-origin", "none"):
            return problem(403, "origin", "Not answered here.", "Another site's pages are not answered.")
        return None

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault("Cross-Origin-Opener-Policy", "same-origin")
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response
