"""The store as one file, taken while it runs, and a store made from one. It holds all models with their rows, history and releases, and the
files that were dropped; not the key that passwords of connections are encrypted with, nor what is kept to be quick."""

from __future__ import annotations

import datetime as dt
import io
import json
import shutil
import tarfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import psycopg

from nexorem import __version__
from nexorem.core.diagnostics import Refused, refuse
from nexorem.store import cluster as servers
from nexorem.store.cluster import ROLE, Cluster
from nexorem.store.proving import SCHEMA

FORMAT = 1
MANIFEST, DUMP, FILES = "manifest.json", "store.dump", "files"
CHECK = "nexorem_backup_check"  # the database that a backup is restored in to be checked


def back_up(cluster: Cluster, data: Path, out: Path) -> dict[str, Any]:
    """Writes a backup and restores it beside, to be sure; gives its manifest. Cost: the store, written, read and written once more."""
    if out.exists():
        raise refuse("exists", f"{out} is there already.", "Name a new file.")
    if not out.parent.is_dir():
        raise refuse("no_folder", f"There is no folder {out.parent}.", "Make it, or name another.")
    dump = cluster.folder / f"{DUMP}.part"
    part = out.with_name(f".{out.name}.part")
    try:
        with _password(cluster) as environment:
            cluster.run("pg_dump", "-Fc", "-N", SCHEMA, "-d", _database(cluster, ROLE), "-f", str(dump), environment=environment)
            _checked(cluster, dump, environment)
        with psycopg.connect(cluster.url().replace("+psycopg", "")) as connection:
            models = [row[0] for row in connection.execute("SELECT name FROM model ORDER BY name")]
        made_at = dt.datetime.now(dt.UTC).isoformat(timespec="seconds")
        manifest = {"format": FORMAT, "nexorem": __version__, "made_at": made_at, "models": models}
        with tarfile.open(part, "w") as tar:
            text = json.dumps(manifest, indent=1).encode()
            head = tarfile.TarInfo(MANIFEST)
            head.size = len(text)
            tar.addfile(head, io.BytesIO(text))
            tar.add(dump, DUMP)
            for file in sorted((data / FILES).rglob("*")):
                if file.is_file() and not file.is_symlink() and not file.name.startswith("."):
                    tar.add(file, str(file.relative_to(data)))
        part.replace(out)
        return manifest
    finally:
        dump.unlink(missing_ok=True)
        part.unlink(missing_ok=True)


def _checked(cluster: Cluster, dump: Path, environment: dict[str, str]) -> None:
    """Restores a dump into a database of its own, which is dropped again; refuses where it cannot be."""
    url = cluster.url().replace("+psycopg", "")
    with psycopg.connect(url.rsplit("/", 1)[0] + "/postgres", autocommit=True) as connection:
        connection.execute(f"DROP DATABASE IF EXISTS {CHECK}")
        connection.execute(f"CREATE DATABASE {CHECK}")
        try:
            cluster.run("pg_restore", *OPTIONS, "-d", _database(cluster, CHECK), str(dump), environment=environment)
        finally:
            connection.execute(f"DROP DATABASE {CHECK} WITH (FORCE)")


OPTIONS = ("--no-owner", "--exit-on-error", "--single-transaction")


def restore(file: Path, data: Path) -> dict[str, Any]:
    """Makes a store in a folder that has none; gives the backup's manifest. Nothing stays of one that does not come whole."""
    if (data / "store").exists() or (data / FILES).exists():
        raise refuse("exists", f"There is a store in {data}.", "Name a folder without one.")
    data.mkdir(parents=True, exist_ok=True)
    try:
        with tarfile.open(file) as tar:
            manifest = _manifest(tar)
            _unpacked(tar, data, manifest)
        return manifest
    except (tarfile.TarError, KeyError, EOFError, OSError) as error:
        _undone(data)
        raise refuse("bad_backup", f"{file} cannot be read as a backup: {error}.", "Name a file that nexorem backup made.") from None
    except BaseException:
        _undone(data)
        raise


def _manifest(tar: tarfile.TarFile) -> dict[str, Any]:
    try:
        held = tar.extractfile(MANIFEST)
        manifest: Any = json.loads(held.read()) if held else None
    except (ValueError, KeyError):
        manifest = None
    if not isinstance(manifest, dict) or "format" not in manifest:
        raise refuse("bad_backup", "It is no backup.", "Name a file that nexorem backup made.")
    if manifest["format"] != FORMAT:
        raise refuse("newer", f"It was made by Nexorem {manifest.get('nexorem')}, in another form.", "Restore it with that version.")
    return manifest


def _unpacked(tar: tarfile.TarFile, data: Path, manifest: dict[str, Any]) -> None:
    cluster = servers.start(data / "store")
    try:
        dump = cluster.folder / DUMP
        held = tar.extractfile(DUMP)
        assert held
        with dump.open("wb") as out:
            shutil.copyfileobj(held, out)
        dump.chmod(0o644)
        with _password(cluster) as environment:
            cluster.run("pg_restore", *OPTIONS, "-d", _database(cluster, ROLE), str(dump), environment=environment)
        dump.unlink()
        inside = [m for m in tar.getmembers() if m.isfile() and m.name.startswith(f"{FILES}/")]
        tar.extractall(data, inside, filter="data")
        with psycopg.connect(cluster.url().replace("+psycopg", "")) as connection:
            there = [row[0] for row in connection.execute("SELECT name FROM model ORDER BY name")]
        if there != manifest["models"]:
            raise refuse("bad_backup", "Its models are not those that it names.", "Restore another one.")
    finally:
        servers.stop(cluster)


def _undone(data: Path) -> None:
    for name in ("store", FILES):
        shutil.rmtree(data / name, ignore_errors=True)


def _database(cluster: Cluster, name: str) -> str:
    return f"postgresql://{ROLE}@127.0.0.1:{cluster.port}/{name}"


@contextmanager
def _password(cluster: Cluster) -> Iterator[dict[str, str]]:
    """The password where the server's programs look for it, and nobody else does."""
    yield {"PGPASSWORD": cluster.password_file.read_text().strip()}


@contextmanager
def store_of(folder: Path) -> Iterator[Cluster]:
    """The store in a folder: the one that runs, else it runs as long as this is entered."""
    ours = False
    try:
        cluster = servers.running(folder)
    except Refused:
        if not (folder / "made").exists():
            raise
        cluster, ours = servers.start(folder), True
    try:
        yield cluster
    finally:
        if ours:
            servers.stop(cluster)
