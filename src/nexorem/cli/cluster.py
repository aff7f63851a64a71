"""`nexorem cluster-demo`: a cluster on loopback with the demo's tables, and a model over it, until Ctrl-C."""

from __future__ import annotations

import signal
import sys
from contextlib import suppress
from pathlib import Path

import click

from nexorem.cli.common import reporting
from nexorem.cli.over_cluster import over_cluster
from nexorem.cli.serve import PORT as WEB_PORT
from nexorem.cli.serve import claim_port, default_data, say
from nexorem.gather.recipe import gather, load_recipe
from nexorem.store.spark_cluster import cluster, home, put_tables, rows_of, write_tables

ROOT = Path(__file__).resolve().parents[3]
RECIPE = ROOT / "demo" / "lantern_isles" / "steps.json"
PORT = 15002
BOOKINGS = 10_000_000
SECONDS = 300.0


@click.command("cluster-demo")
@click.option("--bookings", type=click.IntRange(1_000), default=BOOKINGS, show_default=True, help="Rows of the largest table.")
@click.option("--port", type=click.IntRange(1, 65535), default=PORT, show_default=True, help="The connect server's port on loopback.")
@click.option("--web-port", type=click.IntRange(1, 65535), default=WEB_PORT, show_default=True, help="The application's port on loopback.")
@click.option("--data", type=click.Path(path_type=Path, file_okay=False), help="The folder for its tables and logs.")
@reporting
def cluster_demo(bookings: int, port: int, web_port: int, data: Path | None) -> None:
    """Start a standalone cluster on loopback, a master, two workers and the connect server, with the tables of the demo as Parquet, and the
    application with the demo's model over it."""
    home()
    claim_port(web_port)
    folder = (data or default_data()) / "cluster"
    files = made(folder / f"tables-{bookings}", bookings)
    say("starting the cluster")
    with cluster(folder, port) as address:
        say(f"putting {rows_of(files['booking']):,} bookings there")
        put_tables(address, files, SECONDS)
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, _stop)
        with suppress(KeyboardInterrupt):
            say("leaving the bookings of the demo's model there")
            with over_cluster(address, folder / "application", web_port) as page:
                click.echo(f"The cluster is at {address}, a model over it at {page}  (Ctrl-C stops both)")
                click.echo(f"Ask it with: ./nexorem sql demo/lantern_isles --rows Port.name --measures seats_sold --run {address}")
                sys.stdout.flush()
                while True:
                    signal.pause()
        say("stopping the cluster")


def _stop(*_: object) -> None:
    raise KeyboardInterrupt


def made(folder: Path, bookings: int) -> dict[str, Path]:
    """The demo's tables with so many bookings, made by its generator and shaped by its steps; those of before where they are there."""
    if not (folder / "whole").exists():
        sys.path.insert(0, str(ROOT))
        from demo.generate import generate

        say(f"making {bookings:,} bookings")
        generate(folder, bookings)
        raw = sorted(p for p in (folder / "raw").iterdir() if p.suffix in (".csv", ".xlsx"))
        write_tables(gather(raw, load_recipe(RECIPE)).star, folder)
        (folder / "whole").touch()
    return {p.stem: p for p in sorted(folder.glob("*.parquet"))}
