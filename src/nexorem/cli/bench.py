"""`nexorem bench`: the benchmark suite, side by side with general-purpose engines."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click

from nexorem.cli.common import reporting
from nexorem.core.diagnostics import refuse

PARTS = ("star grid cells trace formula load memory gather arrival steps link probe prove crowd sql decision").split()
ROOT = Path(__file__).resolve().parents[3]


@click.command()
@click.option("--rows", type=click.IntRange(10_000), default=6_000_000, show_default=True, help="Fact rows of the star.")
@click.option("--runs", type=click.IntRange(1), default=7, show_default=True, help="Runs of each query, of which the median counts.")
@click.option(
    "--only",
    type=click.Choice(PARTS),
    multiple=True,
    help="Parts of it.",
)
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
@reporting
def bench(rows: int, runs: int, only: tuple[str, ...], as_json: bool) -> None:
    """Time the engine side by side with a columnar database and a data-frame library, two threads each."""
    sys.path.insert(0, str(ROOT))
    try:
        from bench.suite import as_table, measured
    except ImportError as error:
        raise refuse("no_bench", f"The benchmark needs {error.name}.", "Start it with ./nexorem bench, which installs that.") from None
    measurements = measured(rows, runs, set(only), lambda text: click.echo(f"nexorem: {text}", err=True))
    click.echo(json.dumps(measurements, indent=1, allow_nan=False) if as_json else as_table(measurements))
