"""The demo as it comes up: its model gathered from files, two releases of it, and a harbour office's database to be asked."""

from __future__ import annotations

import csv
import json
import secrets
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Any

from sqlalchemy import text
from sqlalchemy.engine import make_url

from nexorem.core.model.edits import apply
from nexorem.work.actor import COMMAND_LINE, Actor

if TYPE_CHECKING:
    from nexorem.work.workspace import Workspace

DEMO = Path(__file__).resolve().parents[3] / "demo" / "lantern_isles"
OFFICE = "harbour_office"
CONNECTION = "harbour office"


def load_demo(workspace: Workspace, say: Any) -> None:
    """Stores the demo model if there is none of its name, with its releases; its files are read only then. Where it is there, its
    connection is told the port on which the store runs by now."""
    name = json.loads((DEMO / "datapackage.json").read_text(encoding="utf-8"))["name"]
    new = name not in workspace.names()
    if new:
        say("loading the demo")
        raw = sorted(p for p in (DEMO / "raw").iterdir() if p.suffix in (".csv", ".xlsx"))
        workspace.gather(COMMAND_LINE, raw, DEMO / "steps.json", only_if_new=True)
    model_id = next(m["id"] for m in workspace.listed() if m["name"] == name)
    open_office(workspace, model_id)
    if new:
        make_releases(workspace, model_id)


def open_office(workspace: Workspace, model_id: int) -> None:
    """A database of its own beside the store, with a role that can read nothing else, and the demo's connection to it."""
    from nexorem.work.connecting import put_connection

    url = make_url(str(workspace.engine.url.render_as_string(False)))
    password = secrets.token_urlsafe(24)
    with workspace.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        there = connection.execute(text("SELECT 1 FROM pg_roles WHERE rolname = :name"), {"name": OFFICE}).first()
        verb = "ALTER" if there else "CREATE"
        literal = "'" + password.replace("'", "''") + "'"  # a role's password cannot be bound; this one is made of letters, digits, - and _
        connection.execute(text(f"{verb} ROLE {OFFICE} LOGIN PASSWORD {literal}"))
        if connection.execute(text("SELECT 1 FROM pg_database WHERE datname = :name"), {"name": OFFICE}).first() is None:
            connection.execute(text(f"CREATE DATABASE {OFFICE}"))
            connection.execute(text(f"REVOKE CONNECT ON DATABASE {url.database} FROM PUBLIC"))
    _fill_office(workspace, url.set(database=OFFICE))
    access = {"host": url.host, "port": url.port, "database": OFFICE, "user": OFFICE, "password": password}
    put_connection(workspace, COMMAND_LINE, model_id, CONNECTION, access, True)


def _fill_office(workspace: Workspace, url: Any) -> None:
    from nexorem.store.database import connect

    engine = connect(url.render_as_string(False))
    try:
        with engine.begin() as connection:
            connection.execute(text("CREATE TABLE IF NOT EXISTS seats_by_year (year integer, seats bigint)"))
            connection.execute(text("TRUNCATE seats_by_year"))
            rows = [{"year": year, "seats": seats} for year, seats in sorted(seats_by_year().items())]
            connection.execute(text("INSERT INTO seats_by_year VALUES (:year, :seats)"), rows)
            connection.execute(text(f"GRANT SELECT ON seats_by_year TO {OFFICE}"))
    finally:
        engine.dispose()


def seats_by_year() -> Counter[int]:
    """The office's own count, from the raw file alone."""
    seats: Counter[int] = Counter()
    with (DEMO / "raw" / "bookings.csv").open(encoding="utf-8", newline="") as file:
        for booking in csv.DictReader(file):
            if booking["seats"]:
                seats[int(booking["sails_on"][:4])] += int(booking["seats"])
    return seats


def make_releases(workspace: Workspace, model_id: int) -> None:
    """The releases of the demo: each as the model was with some edits more."""
    from nexorem.work.releasing import keep

    _, star = workspace.star(model_id)
    for release in json.loads((DEMO.parent / "releases.json").read_text(encoding="utf-8")):
        model = star.model
        for edit in release["edits"]:
            model = apply(model, edit)[0]
        keep(workspace, Actor(release["author"]), model_id, model, {k: release[k] for k in ("name", "notes")})
