"""`nexorem serve` and `nexorem demo`: everything that is needed on one address, until Ctrl-C, for one person or a team."""

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
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

import click

from nexorem.cli.common import reporting
from nexorem.core.diagnostics import refuse

if TYPE_CHECKING:
    from nexorem.server.door import Door
    from nexorem.server.provider import Provider

PORT = 8471
LOOPBACK = "127.0.0.1"
DOOR = "door"  # in the data folder, for its owner alone: how a running Nexorem lets people in, and where it is
ROOT = Path(__file__).resolve().parents[3]


def default_data() -> Path:
    """Where the store lies: the system's place for root, the person's own otherwise."""
    if os.geteuid() == 0:
        return Path("/var/lib/nexorem")
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "nexorem"


def options(command: Callable[..., Any]) -> Callable[..., Any]:
    """The options of both commands."""
    command = click.option("--data", type=click.Path(path_type=Path, file_okay=False), help="The folder for the store.")(command)
    sign_in = "Let everybody in who reaches the port: any program and any person on this machine may then read and change every model."
    command = click.option("--no-sign-in", is_flag=True, help=sign_in)(command)
    memory = "The most gigabytes for models in memory; half of the machine's where nothing is said."
    command = click.option("--memory", type=click.FloatRange(0.1), help=memory)(command)
    return click.option("--port", type=click.IntRange(1, 65535), default=PORT, show_default=True, help="The port on loopback.")(command)


@dataclass(frozen=True, slots=True)
class Site:
    """Where Nexorem answers and whom it lets in. `public` is the address that a team reaches it at, empty for one person."""

    port: int
    host: str = LOOPBACK
    public: str = ""
    sign_in: bool = True
    proxies: frozenset[str] = frozenset()
    provider: Provider | None = None
    memory: int | None = None  # bytes for models

    @property
    def origin(self) -> str:
        """The address that people open, without a path."""
        return self.public or f"http://{LOOPBACK}:{self.port}"

    @property
    def mode(self) -> str:
        """How it lets people in."""
        return "team" if self.public else "alone" if self.sign_in else "open"

    def door(self) -> Door:
        """Who is let in."""
        from nexorem.server.door import Door, Locked, Team

        return Team(self.public, self.proxies, self.provider) if self.public else Locked() if self.sign_in else Door()


@click.command()
@options
@click.option("--host", default=LOOPBACK, show_default=True, help="The address of this machine to answer at.")
@click.option("--public-url", default="", help="For a team: the address at which a reverse proxy gives it, as https://models.example.org.")
@click.option("--trust-proxy", multiple=True, help="The address of a proxy whose X-Forwarded-For is believed; may be repeated.")
@click.option("--provider", type=click.Path(path_type=Path, dir_okay=False), help="A file that names an OpenID Connect provider.")
@reporting
def serve(
    port: int,
    data: Path | None,
    no_sign_in: bool,
    memory: float | None,
    host: str,
    public_url: str,
    trust_proxy: tuple[str, ...],
    provider: Path | None,
) -> None:
    """Serve the application: to one person on this machine, or with --public-url to a team."""
    from nexorem.server.provider import read_provider

    public = checked_public(public_url) if public_url else ""
    if no_sign_in and (public or host != LOOPBACK):
        raise refuse("needs_sign_in", "Whoever reaches it over a network signs in.", "Leave --no-sign-in out.")
    if host != LOOPBACK and not public:
        hint = "Say with --public-url at which address people open it."
        raise refuse("needs_public_url", f"{host} can be reached from other machines, and there nobody would sign in.", hint)
    run(
        Site(port, host, public, not no_sign_in, frozenset(trust_proxy), read_provider(provider) if provider else None, in_bytes(memory)),
        data or default_data(),
        with_demo=False,
    )


@click.command()
@options
@reporting
def demo(port: int, data: Path | None, no_sign_in: bool, memory: float | None) -> None:
    """Serve the application with the demo model, loaded if it is not there."""
    run(Site(port, sign_in=not no_sign_in, memory=in_bytes(memory)), data or default_data(), with_demo=True)


def in_bytes(gigabytes: float | None) -> int | None:
    """Gigabytes as bytes, if they were said."""
    return int(gigabytes * 1024**3) if gigabytes else None


def checked_public(url: str) -> str:
    """An address that people open, without a path; refuses what is none, and one without TLS that is not this machine."""
    parts = urlsplit(url)
    if parts.scheme not in ("http", "https") or not parts.netloc or parts.path.strip("/") or parts.query:
        raise refuse("bad_public_url", f"{url} is no address of a site.", "Write it as https://models.example.org.")
    if parts.scheme == "http" and parts.hostname not in ("localhost", LOOPBACK):
        raise refuse(
            "no_tls", "Passwords would go over the network for all to read.", "Put it behind a proxy with TLS, at an https address."
        )
    return f"{parts.scheme}://{parts.netloc}"


def claim_port(port: int, host: str = LOOPBACK) -> None:
    """Refuses a port that somebody uses, before anything is started."""
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as s:
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind((host, port))
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


def run(site: Site, data: Path, with_demo: bool) -> None:
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
    with only_one(data, site.port):
        claim_port(site.port, site.host)
        say("starting the store")
        store = cluster.start(data / "store")
        clear_leftovers(data)
        log_to(data / "log")
        try:
            with cluster.kept_running(store, say):
                serve_app(ready_app(store.url(), data, with_demo, site), data, site)
        finally:
            (data / DOOR).unlink(missing_ok=True)
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


def ready_app(url: str, data: Path, with_demo: bool, site: Site) -> Any:
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
        app = create_app(url, data=data, door=site.door(), memory=site.memory)
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


def for_owner(path: str, flags: int) -> int:
    """Opens a file that nobody but its owner can read."""
    Path(path).unlink(missing_ok=True)
    return os.open(path, flags, 0o600)


def way_in(app: Any, site: Site) -> str:
    """The address to be opened: one that lets this machine's person in, once; where a team has no account yet, that of its first."""
    from nexorem.store.people import count_people
    from nexorem.work.entering import new_address

    engine = app.extensions["nexorem"].engine
    try:
        if site.mode == "alone":
            return new_address(engine, site.origin)
        if site.mode == "team" and not count_people(engine):
            say("nobody has an account yet: nexorem invite YOU@EXAMPLE.ORG --operator prints the address at which the first is made")
        return f"{site.origin}/"
    finally:
        engine.dispose()


def say(text: str) -> None:
    """Progress, on standard error."""
    click.echo(f"nexorem: {text}", err=True)


def serve_app(app: Any, data: Path, site: Site) -> None:
    """Runs the server in this process until it is told to stop."""
    from gunicorn.app.base import BaseApplication

    from nexorem.server.app import in_background
    from nexorem.server.entrance import Entrance
    from nexorem.work.scheduling import Clock

    class Server(BaseApplication):  # type: ignore[misc]
        def load_config(self) -> None:
            settings = {
                "bind": f"[{site.host}]:{site.port}" if ":" in site.host else f"{site.host}:{site.port}",
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
        with open(data / DOOR, "w", encoding="utf-8", opener=for_owner) as file:
            file.write(f"{site.mode} {site.origin}\n")
        click.echo(f"Nexorem is at {way_in(app, site)}  (Ctrl-C stops it)")
        sys.stdout.flush()

    mine = os.getpid()
    with contextlib.suppress(SystemExit):
        Server().run()
    if os.getpid() != mine:
        # A worker that ends comes back here, too; what was started is the first process's to stop.
        os._exit(0)
