"""Connections to databases, their passwords encrypted or not kept; and schedules of loads."""

from __future__ import annotations

import datetime as dt
import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.postgresql import insert

from nexorem.core.diagnostics import near_hint, refuse
from nexorem.store import tables

EVERYTHING = "*"


def secret_key(folder: Path) -> bytes:
    """The key that passwords are encrypted with; made on first use, readable to the server's own user only."""
    path = folder / "key"
    if not path.exists():
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(handle, "wb") as out:
            out.write(Fernet.generate_key())
    return path.read_bytes()


def put_connection(connection: Connection, model_id: int, name: str, access: Mapping[str, Any], password: str | None, key: bytes) -> None:
    """Keeps a way to a database; a password of None is not kept."""
    kept = Fernet(key).encrypt(password.encode()) if password is not None else None
    values = {"model_id": model_id, "name": name, "access": {k: v for k, v in access.items() if k != "password"}, "password": kept}
    query = insert(tables.connection).values(**values)
    connection.execute(
        query.on_conflict_do_update(index_elements=["model_id", "name"], set_={"access": values["access"], "password": kept})
    )


def connections(connection: Connection, model_id: int) -> list[dict[str, Any]]:
    """Connections by name, without their passwords."""
    c = tables.connection.c
    rows = connection.execute(select(tables.connection).where(c.model_id == model_id).order_by(c.name))
    return [{"name": r.name, **r.access, "keeps_password": r.password is not None} for r in rows]


def access_of(connection: Connection, model_id: int, name: str, key: bytes, password: str | None = None) -> dict[str, Any]:
    """All that is needed to connect; refuses where the password is neither kept nor given."""
    c = tables.connection.c
    row = connection.execute(select(tables.connection).where(c.model_id == model_id, c.name == name)).one_or_none()
    if row is None:
        names = [x["name"] for x in connections(connection, model_id)]
        raise refuse("unknown_connection", f"The connection {name} does not exist.", near_hint(name, names) or "Make it in Gather.", name)
    if row.access.get("kind") == "cluster":
        return dict(row.access)
    if password is None:
        if row.password is None:
            raise refuse("no_password", f"The password of {name} is not kept.", "Give it with this load.", name)
        try:
            password = Fernet(key).decrypt(row.password).decode()
        except InvalidToken:
            raise refuse("no_password", f"The password of {name} cannot be read: the key has changed.", "Give it anew.", name) from None
    return {**row.access, "password": password}


def is_cluster(connection: Connection, model_id: int, name: str) -> bool:
    """Whether a connection leads to a cluster."""
    c = tables.connection.c
    access = connection.execute(select(c.access).where(c.model_id == model_id, c.name == name)).scalar_one_or_none()
    return access is not None and access.get("kind") == "cluster"


def remove_connection(connection: Connection, model_id: int, name: str) -> None:
    """Forgets a connection."""
    c = tables.connection.c
    connection.execute(delete(tables.connection).where(c.model_id == model_id, c.name == name))


def put_schedule(connection: Connection, model_id: int, table: str, minutes: int, now: dt.datetime) -> None:
    """Loads a table, or `*` for all, every so many minutes from now; 0 minutes end it."""
    c = tables.schedule.c
    if minutes == 0:
        connection.execute(delete(tables.schedule).where(c.model_id == model_id, c.table_name == table))
        return
    values = {"minutes": minutes, "next_at": now + dt.timedelta(minutes=minutes)}
    query = insert(tables.schedule).values(model_id=model_id, table_name=table, **values)
    connection.execute(query.on_conflict_do_update(index_elements=["model_id", "table_name"], set_=values))


def schedules(connection: Connection, model_id: int | None = None) -> list[dict[str, Any]]:
    """Schedules of a model, or of all."""
    c = tables.schedule.c
    query = select(tables.schedule).order_by(c.model_id, c.table_name)
    if model_id is not None:
        query = query.where(c.model_id == model_id)
    return [
        {
            "model_id": r.model_id,
            "table": r.table_name,
            "minutes": r.minutes,
            "next_at": r.next_at.isoformat(),
            "last_at": r.last_at.isoformat() if r.last_at else None,
            "last_result": r.last_result,
        }
        for r in connection.execute(query)
    ]


def take_due(connection: Connection, now: dt.datetime) -> list[tuple[int, str]]:
    """The schedules that are due, set to their next time: no two servers take one."""
    c = tables.schedule.c
    due = connection.execute(select(tables.schedule).where(c.next_at <= now).with_for_update(skip_locked=True)).all()
    for r in due:
        ahead = r.next_at + dt.timedelta(minutes=r.minutes)
        following = ahead if ahead > now else now + dt.timedelta(minutes=r.minutes)
        query = tables.schedule.update().where(c.model_id == r.model_id, c.table_name == r.table_name)
        connection.execute(query.values(next_at=following, last_at=now, last_result="under way"))
    return [(r.model_id, r.table_name) for r in due]


def keep_result(connection: Connection, model_id: int, table: str, words: str) -> None:
    """What came of a scheduled load."""
    c = tables.schedule.c
    query = tables.schedule.update().where(c.model_id == model_id, c.table_name == table)
    connection.execute(query.values(last_result=words[:500]))
