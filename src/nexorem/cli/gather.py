"""`nexorem gather`: files of any kind to a package, without server or database."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from nexorem.cli import common
from nexorem.cli.query import AS_JSON
from nexorem.core.diagnostics import refuse
from nexorem.core.lint.findings import findings
from nexorem.core.words import counted
from nexorem.gather.recipe import Gathered, Recipe, load_recipe
from nexorem.gather.recipe import gather as gather_files
from nexorem.package.check_files import PackageFiles, files_of_checks
from nexorem.package.write import write_package

BROKEN = ("broken_measure", "broken_probe", "broken_tile", "key_repeated")  # findings that a package is not finished with


@click.command()
@click.argument("files", type=click.Path(path_type=Path), nargs=-1, required=True)
@click.option("--out", type=click.Path(path_type=Path), required=True, help="A new folder, or a new .zip.")
@click.option("--steps", "steps", type=click.Path(path_type=Path), help="A JSON file with sources and shaping steps.")
@click.option("--missing", "missing", multiple=True, metavar="TEXT", help="A text that means empty in all files, such as NA.")
@click.option("--name", help="The name of the model; the steps file's, or that of OUT, by default.")
@click.option("--data", type=click.Choice(["csv", "parquet"]), default="csv", show_default=True, help="How the rows are stored.")
@AS_JSON
@common.reporting
def gather(
    files: tuple[Path, ...], out: Path, steps: Path | None, missing: tuple[str, ...], name: str | None, data: str, as_json: bool
) -> None:
    """Read FILES (CSV, XLSX, ODS, Parquet, Arrow, JSON Lines, packages as .zip) into a package.

    Types are found from all rows. Without --steps every table in the files becomes one of the package, as it is.
    """
    if out.exists():
        raise refuse("exists", f"{out.name} already exists.", "Name another place, or remove it first.", str(out))
    recipe = load_recipe(steps) if steps else Recipe(name=out.stem.lower().replace(" ", "-") or "model")
    if name:
        recipe = recipe.model_copy(update={"name": name})
    say: Callable[[str], None] = (lambda _: None) if as_json else lambda text: click.echo(f"nexorem: {text}", err=True)
    gathered = gather_files(files, recipe, say, missing)
    beside = files_of_checks(gathered.star.model, PackageFiles(steps.parent).content) if steps else {}
    write_package(gathered.star, out, data, beside)
    if as_json:
        click.echo(json.dumps(summary(gathered, out), ensure_ascii=False))
        return
    report = summary(gathered, out)
    for table in report["tables"]:
        click.echo(f"{table['name']}: {counted(table['rows'], 'row')}, {counted(len(table['columns']), 'column')}")
        for note in table["notes"]:
            click.echo(f"  {note}")
    for broken in report["broken"]:
        click.echo(f"nexorem: {broken['sentence']} {broken['mend']}", err=True)
    click.echo(f"Wrote the package {out}.")


def summary(gathered: Gathered, out: Path) -> dict[str, Any]:
    """What was read, table by table: rows, types, what did not fit."""
    tables = []
    for table in gathered.model.tables:
        reading = gathered.readings.get(table.name)
        report = reading.report if reading else {"notes": [], "broken": 0, "broken_rows": [], "columns": [], "rows": None}
        tables.append(
            {
                "name": table.name,
                "rows": gathered.star.size(table.name),
                "columns": [{"name": c.name, "type": c.dtype} for c in table.columns],
                "rows_read": report["rows"],
                "read": report["columns"],
                "notes": report["notes"],
                "broken": report["broken"],
                "broken_rows": report["broken_rows"],
                "steps": len(table.steps),
                "source": reading.source if reading else dict(table.origin),
            }
        )
    said = gathered.model.measures or gathered.model.probes or any(t.key for t in gathered.model.tables)
    broken = [
        {"about": f.about, "sentence": f.sentence, "mend": f.mend} for f in (findings(gathered.star) if said else ()) if f.code in BROKEN
    ]
    return {"written": str(out), "tables": tables, "broken": broken}
