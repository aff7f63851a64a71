"""`nexorem address` and `invite`: the way in for who can read the store's folder."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import click
from sqlalchemy import Engine

from nexorem.cli.common import reporting
from nexorem.cli.serve import DOOR, default_data
from nexorem.core.diagnostics import refuse
from nexorem.work.entering import new_address, new_invitation

DATA = click.option("--data", type=click.Path(path_type=Path, file_okay=False), help="The folder of the store.")


@contextmanager
def _running(data: Path) -> Iterator[tuple[Engine, str, str]]:
    """The store that a running Nexorem has, its address, and its mode."""
    from nexorem.store import cluster, database

    try:
        mode, address = (data / DOOR).read_text(encoding="utf-8").split()
    except (OSError, ValueError):
        raise refuse("not_running", f"No Nexorem runs on {data}.", "Start it with nexorem serve, or name its folder with --data.") from None
    engine = database.connect(cluster.running(data / "store").url())
    try:
        yield engine, mode, address
    finally:
        engine.dispose()


@click.command()
@DATA
@reporting
def address(data: Path | None) -> None:
    """Print an address that lets one browser in: it is good once. For a Nexorem that one person has to themselves."""
    with _running(data or default_data()) as (engine, mode, origin):
        if mode != "alone":
            hint = "Invite yourself with nexorem invite." if mode == "team" else f"Open {origin}/."
            raise refuse("no_address", "This Nexorem needs no such address.", hint)
        click.echo(new_address(engine, origin))


@click.command()
@click.argument("email")
@click.option("--operator", is_flag=True, help="Who looks after the installation, and all its models.")
@click.option("--opens", is_flag=True, help="Who may open models of their own.")
@DATA
@reporting
def invite(email: str, operator: bool, opens: bool, data: Path | None) -> None:
    """Print an invitation for EMAIL, to be sent to them: it is good once, for a week. For a Nexorem with accounts."""
    with _running(data or default_data()) as (engine, mode, origin):
        if mode != "team":
            raise refuse("no_accounts", "This Nexorem has no accounts.", "Start it with --public-url.")
        click.echo(new_invitation(engine, origin, email, operator, opens))
