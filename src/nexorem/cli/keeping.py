"""`nexorem backup` and `restore`: the store as one file, and back."""

from __future__ import annotations

from pathlib import Path

import click

from nexorem.cli.common import reporting
from nexorem.cli.serve import default_data, only_one
from nexorem.core.words import counted
from nexorem.store import backup as backups

DATA = click.option("--data", type=click.Path(path_type=Path, file_okay=False), help="The folder of the store.")
WITHOUT = "Passwords of connections can be read with the key of this folder alone (`key`), which is not in it."


@click.command()
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False))
@DATA
@reporting
def backup(file: Path, data: Path | None) -> None:
    """Write the store, all models with their rows, history, releases and files, to one FILE, while it runs or not. It is checked by being
    restored beside the store."""
    folder = data or default_data()
    with backups.store_of(folder / "store") as cluster:
        manifest = backups.back_up(cluster, folder, file)
    click.echo(
        f"{file}: {counted(len(manifest['models']), 'model')}, {file.stat().st_size / 1024**2:,.1f} MB, restored once to be sure. {WITHOUT}"
    )


@click.command()
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False))
@DATA
@reporting
def restore(file: Path, data: Path | None) -> None:
    """Make a store from a backup FILE, in a folder that has none."""
    folder = data or default_data()
    folder.mkdir(parents=True, exist_ok=True)
    with only_one(folder, 0):
        manifest = backups.restore(file, folder)
    click.echo(
        f"{folder}: {counted(len(manifest['models']), 'model')} of {manifest['made_at']}. Start it with: nexorem serve --data {folder}"
    )
