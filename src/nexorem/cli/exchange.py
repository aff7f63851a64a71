"""`nexorem import` and `export`: models between packages and the running store."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import click

from nexorem.cli import common
from nexorem.cli.query import AS_JSON
from nexorem.cli.serve import default_data
from nexorem.core.checks.run import run_check
from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.limits import Limits
from nexorem.core.model.star import Star
from nexorem.export.documents import DOCUMENTS, make_document
from nexorem.export.report import report
from nexorem.export.views import views
from nexorem.package.check_files import PackageFiles, files_of_checks
from nexorem.package.opened import opened
from nexorem.package.write import write_package
from nexorem.sql.dialects import DIALECTS, POSTGRESQL, dialect_of
from nexorem.store.cluster import running
from nexorem.store.database import connect
from nexorem.store.models import listed
from nexorem.store.releases import LATEST
from nexorem.work import releasing
from nexorem.work.actor import COMMAND_LINE
from nexorem.work.workspace import Workspace

STORE = click.option("--store", "folder", type=click.Path(path_type=Path, file_okay=False), help="The folder of the running store.")


@click.command()
@click.argument("package", type=click.Path(path_type=Path), required=False)
@click.option("--from-store", "name", metavar="NAME", help="A model of the running store, in place of a package.")
@click.option("--as", "kind", type=click.Choice(["package", "report", "views", *DOCUMENTS]), default="package", show_default=True)
@click.option("--data", type=click.Choice(["csv", "parquet"]), default="csv", show_default=True, help="How the rows are stored.")
@click.option("--by", "axes", metavar="A,B", help="Of views: the columns that measures stand by.")
@click.option("--measures", metavar="m,n", help="Of views: which measures; all without it.")
@click.option("--dialect", type=click.Choice(list(DIALECTS)), default=POSTGRESQL.name, show_default=True, help="Of views: whose SQL.")
@click.option("--schema", help="Of views: where the tables are.")
@common.clearance_options
@click.option("--fact", help="Of the star's picture: the fact in the middle.")
@click.option("--beside", metavar="FACT", help="Of the star's picture: a second fact beside it.")
@click.option("--out", type=click.Path(path_type=Path), help="Of a package a new folder or .zip; else a new file, or standard output.")
@STORE
@AS_JSON
@common.reporting
def export(
    package: Path | None,
    name: str | None,
    kind: str,
    data: str,
    out: Path | None,
    folder: Path | None,
    as_json: bool,
    fact: str | None,
    beside: str | None,
    axes: str | None,
    measures: str | None,
    dialect: str,
    schema: str | None,
    **options: Any,
) -> None:
    """Write a model: with its rows as a package of this project's own form, as the report of a release, or as SQL, views, a data
    dictionary or a picture. Of the store the report is that of the newest release; of a package it tells of the package."""
    if (package is None) == (name is None):
        raise refuse("bad_source", "Name a package, or a model with --from-store.", "One of the two, not both.")
    if kind == "package" and out is None:
        raise refuse("no_target", "A package is written to a folder or a .zip.", "Name it with --out.")
    if kind != "star-svg" and (fact or beside):
        raise refuse("bad_option", "--fact and --beside are for the star's picture.", "Leave them out, or ask --as star-svg.")
    if kind != "views" and (axes or measures or schema or options["clearance"]):
        raise refuse("bad_option", "--by, --measures, --schema and --clearance are for views.", "Leave them out, or ask --as views.")
    star, beside_it, made = _source(package, folder or default_data(), name)
    star = common.seen(star, options)
    if kind == "package":
        assert out
        write_package(star, out, data, beside_it)
    else:
        if kind == "views":
            text = views(star, common.names(axes), common.names(measures), dialect_of(dialect), schema)
        else:
            text = report(star, made()) if kind == "report" else make_document(star, kind, fact, beside)
        if out is None:
            click.echo(text, nl=False)
            return
        if out.exists():
            raise refuse("exists", f"{out.name} already exists.", "Name another place, or remove it first.")
        out.write_text(text, encoding="utf-8")
    click.echo(json.dumps({"written": str(out)}) if as_json else f"Wrote the {kind} {out}.")


Made = Callable[[], Mapping[str, Any]]


def _source(package: Path | None, folder: Path, name: str | None) -> tuple[Star, dict[str, bytes], Made]:
    """The model that is asked for, the files that its checks name, and what a report says of it."""
    if package is not None:
        star, files = opened(package), PackageFiles(package)
        return star, files_of_checks(star.model, files.content), lambda: _of_package(star, files)
    workspace, model_id = model_in(folder, str(name))
    star = workspace.star(model_id)[1]
    return star, workspace.beside(model_id, star.model), lambda: releasing.read(workspace, model_id, LATEST)


def _of_package(star: Star, files: PackageFiles) -> dict[str, Any]:
    """What the report of a package says: its checks are run for it."""
    checks = []
    for check in star.model.checks:
        outcome = run_check(star, check, common.budget(Limits()), files)
        words = {"name": check.name, "folder": check.folder, "state": outcome.state, "sentence": outcome.sentence}
        checks.append(words | {"guards": list(check.guards), "silenced": False})
    evidence = {"checks": checks, "coverage": None, "changes": [], "moved": []}
    now = dt.datetime.now(dt.UTC).isoformat()
    said: dict[str, Any] = {"number": 0, "name": "as it stands", "notes": "", "author": COMMAND_LINE.name, "reason": "", "made_at": now}
    return said | {"evidence": evidence}


@click.command("import")
@click.argument("package", type=click.Path(path_type=Path))
@STORE
@AS_JSON
@common.reporting
def import_package(package: Path, folder: Path | None, as_json: bool) -> None:
    """Put the model of a package into the running store."""
    workspace = store_at(folder or default_data())
    try:
        model_id = workspace.open(COMMAND_LINE, package)
        name = workspace.star(model_id)[0].model.name
    finally:
        workspace.close()  # what the server opens it from is on disk then
    click.echo(json.dumps({"id": model_id, "name": name}) if as_json else f"Imported {package} as {name}.")


def store_at(folder: Path) -> Workspace:
    """The store that a server runs in a folder."""
    return Workspace(connect(running(folder / "store").url()), folder)


def model_in(folder: Path, name: str) -> tuple[Workspace, int]:
    """A model of the running store by its name."""
    workspace = store_at(folder)
    ids = {m["name"]: m["id"] for m in listed(workspace.engine)}
    if name not in ids:
        raise refuse("unknown_model", f"The store has no model {name}.", near_hint(name, ids) or f"It has {', '.join(ids) or 'none'}.")
    return workspace, ids[name]
