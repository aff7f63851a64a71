"""`nexorem serve` and `nexorem demo`: everything that is needed on one loopback address, until Ctrl-C."""

from __future__ import annotations

import contextlib
import fcntl
import os
import shutil
import socket
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import click

from nexorem.cli.common import reporting
from nexorem.core.diagnostics import refuse

PORT = 8471
ROOT = Path(__file__).resolve().parents[3]


def default_data() -> Path:
    """Where the store lies: the system's place for root, the person's own otherwise."""
    if os.geteuid() == 0:
        return Path("/var/lib/nexorem")
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "nexorem"


def options(command: Callable[..., Any]) -> Callable[..., Any]:
    """The options of both commands."""
    command = click.option("--data", type=click.Path(path_type=Path, file_okay=False), help="The folder for the store.")(command)
    return click.option("--port", type=click.IntRange(1, 65535), default=PORT, show_default=True, help="The port on loopback.")(command)


@click.command()
@options
@reporting
def serve(port: int, data: Path | None) -> None:
    """Serve the application on loopback."""
    run(port, data or default_data(), with_demo=False)


@click.command()
@options
@reporting
def demo(port: int, data: Path | None) -> None:
    """Serve the application with the demo model, loaded if it is not there."""
    run(port, data or default_data(), with_demo=True)


def claim_port(port: int) -> None:
    """Refuses a port that somebody uses, before anything is started."""
    with socket.socket() as s:
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind(("127.0.0.1", port))
        except OSError:
            raise refuse("port_taken", f"Port {port} is taken by another program.", "Name another one with --port.") from None


@contextlib.contextmanager
def only_one(data: Path, port: int) -> Iterator[None]:
    """Holds the data folder. What a killed process held, the system has let go of."""
    with (data / "lock").open("a+") as lock:
        for _ in range(12):
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                time.sleep(0.25)
        else:
            lock.seek(0)
            raise refuse(
                "running",
                f"Nexorem already runs on {data}, at {lock.read().strip() or 'an address of its own'}.",
                "Use that one, or name another folder with --data.",
            )
        lock.seek(0)
        lock.truncate()
        lock.write(f"http://127.0.0.1:{port}/\n")
        lock.flush()
        yield


def run(port: int, data: Path, with_demo: bool) -> None:
    """Store, migration, demo, server; and all of it stopped at the end."""
    from nexorem.server.app import WEB
    from nexorem.server.observed import log_to
    from nexorem.store import cluster

    if not (WEB / "index.html").is_file():
        raise refuse("not_built", "The front end is not built.", "Start with ./nexorem demo or ./nexorem serve, which builds it.")
    try:
        data.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise refuse("data_folder", f"The folder {data} cannot be made: {error.strerror}.", "Name another one with --data.") from None
    with only_one(data, port):
        claim_port(port)
        say("starting the store")
        store = cluster.start(data / "store")
        clear_leftovers(data)
        log_to(data / "log")
        try:
            with cluster.kept_running(store, say):
                serve_app(ready_app(store.url(), data, with_demo), port)
        finally:
            say("stopping the store")
            cluster.stop(store)


def clear_leftovers(data: Path) -> None:
    """Removes what a killed process left half-made, and has everything temporary from now on where the next start finds it."""
    temporary = data / "temporary"
    shutil.rmtree(temporary, ignore_errors=True)
    temporary.mkdir(mode=0o700)
    tempfile.tempdir = os.environ["TMPDIR"] = str(temporary)
    for part in (data / "files").glob("*/.*.part"):
        part.unlink(missing_ok=True)


def ready_app(url: str, data: Path, with_demo: bool) -> Any:
    """The application on a migrated store, with the demo where it is asked for; no connection is left open."""
    from sqlalchemy.exc import OperationalError

    from nexorem.cli.demo import load_demo
    from nexorem.server.app import create_app
    from nexorem.server.problems import disk_is_full
    from nexorem.store import database

    try:
        engine = database.connect(url)
        database.migrate(engine)
        engine.dispose()
        app = create_app(url, data=data)
        if with_demo:
            load_demo(app.extensions["nexorem"], say)
        app.extensions["nexorem"].engine.dispose()
    except OperationalError as error:
        if disk_is_full(error):
            raise refuse("disk_full", f"The disk of {data} is full.", "Make room, or name another folder with --data.") from None
        raise refuse(
            "database", f"The store does not answer: {str(error.orig).splitlines()[0]}", f"Its log is in {data / 'store'}."
        ) from None
    return app


def say(text: str) -> None:
    """Progress, on standard error."""
    click.echo(f"nexorem: {text}", err=True)


def serve_app(app: Any, port: int) -> None:
    """Runs the server in this process until it is told to stop."""
    from gunicorn.app.base import BaseApplication

    from nexorem.server.app import in_background
    from nexorem.server.entrance import Entrance
    from nexorem.work.scheduling import Clock

    class Server(BaseApplication):  # type: ignore[misc]
        def load_config(self) -> None:
            settings = {
                "bind": f"127.0.0.1:{port}",
                "workers": 1,
                "worker_class": "nexorem.server.worker.Worker",
                "graceful_timeout": 2,
                "timeout": 120,
                "loglevel": "warning",
                "control_socket_disable": True,
                "when_ready": ready,
                "post_worker_init": lambda _worker: (Clock(app.extensions["nexorem"]), in_background(app)),
                "worker_exit": lambda _server, _worker: app.extensions["nexorem"].close(),
            }
            for key, value in settings.items():
                if key in self.cfg.settings:
                    self.cfg.set(key, value)

        def load(self) -> Any:
            return Entrance(app, app.extensions["events"])

    def ready(_server: Any) -> None:
        click.echo(f"Nexorem is at http://127.0.0.1:{port}/  (Ctrl-C stops it)")
        sys.stdout.flush()

    mine = os.getpid()
    with contextlib.suppress(SystemExit):
        Server().run()
    if os.getpid() != mine:
        # A worker that ends comes back here, too; what was started is the first process's to stop.
        os._exit(0)
