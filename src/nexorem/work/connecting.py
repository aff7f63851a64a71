"""Connections: ways to databases that a model keeps, and what is found there."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nexorem.gather.read import table_name
from nexorem.gather.sources.database import listed, reading
from nexorem.store import sources
from nexorem.store.spark import Spark, spark
from nexorem.work.actor import Actor, Need
from nexorem.work.workspace import Workspace

SECONDS = 30.0


def connections(workspace: Workspace, model_id: int) -> list[dict[str, Any]]:
    """Ways to databases, without passwords."""
    with workspace.engine.connect() as connection:
        return sources.connections(connection, model_id)


def put_connection(workspace: Workspace, actor: Actor, model_id: int, name: str, access: Mapping[str, Any], keep_password: bool) -> None:
    """Keeps a way to a database that answers; its password, enciphered, only where that is asked for."""
    actor.must(Need.BRING)
    workspace.star(model_id)
    with reading(dict(access), name):
        pass
    key = sources.secret_key(workspace.data)
    with workspace.engine.begin() as connection:
        sources.put_connection(connection, model_id, name, dict(access), access["password"] if keep_password else None, key)


def put_cluster(workspace: Workspace, actor: Actor, model_id: int, name: str, address: str) -> None:
    """Keeps a way to a cluster that answers."""
    actor.must(Need.BRING)
    workspace.star(model_id)
    with spark(address, SECONDS) as asking:
        asking.rows("SELECT 1")
    with workspace.engine.begin() as connection:
        access = {"kind": "cluster", "address": address}
        sources.put_connection(connection, model_id, name, access, None, sources.secret_key(workspace.data))


def remove_connection(workspace: Workspace, actor: Actor, model_id: int, name: str) -> None:
    """Forgets a connection."""
    actor.must(Need.BRING)
    with workspace.engine.begin() as connection:
        sources.remove_connection(connection, model_id, name)


def database_tables(workspace: Workspace, actor: Actor, model_id: int, name: str, password: str | None) -> list[dict[str, Any]]:
    """What a database has."""
    actor.must(Need.BRING)
    with workspace.engine.connect() as connection:
        access = sources.access_of(connection, model_id, name, sources.secret_key(workspace.data), password)
    if access.get("kind") == "cluster":
        with workspace.ways(model_id).asking(name, SECONDS) as asking:
            assert isinstance(asking, Spark)
            return [t | {"title": table_name(t["name"])} for t in asking.listed()]
    return [t | {"title": table_name(t["name"])} for t in listed(access, name)]
