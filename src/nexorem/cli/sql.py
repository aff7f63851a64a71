"""`nexorem sql`: a probe as one SQL statement, its answer from a database, and all grids of a package proven in PostgreSQL."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click

from nexorem.cli import common
from nexorem.cli.exchange import STORE
from nexorem.cli.query import AS_JSON, PACKAGE, axis_options, limit_options, limits_of, page_options, probe_json
from nexorem.cli.serve import default_data
from nexorem.core import results
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import Probe, probe_of
from nexorem.core.model.star import Star
from nexorem.core.words import counted
from nexorem.package.opened import opened
from nexorem.sql.asked import Asked, asked
from nexorem.sql.dialects import DIALECTS, POSTGRESQL, dialect_of
from nexorem.sql.own import own_places
from nexorem.sql.probe import compiled
from nexorem.sql.proof import Proof, cannot, tidy_lines
from nexorem.sql.tree import text_of
from nexorem.store import cluster
from nexorem.store.elsewhere import elsewhere
from nexorem.store.proving import MOST_SECONDS, ProofTables, axes_of

MARKS = {"proven": "✓", "differs": "✗", "cannot": "!"}


@click.command()
@PACKAGE
@axis_options
@page_options
@common.clearance_options
@limit_options
@click.option("--dialect", type=click.Choice(list(DIALECTS)), help="Whose SQL to write; PostgreSQL's without it.")
@click.option("--schema", help="Where the tables are in the database.")
@click.option(
    "--run",
    "url",
    metavar="URL",
    help="Answer it in a PostgreSQL or a cluster (sc://host:port) that has the tables.",
)
@click.option("--prove", "proving", is_flag=True, help="Hold the grid against PostgreSQL; without a probe all grids of the model.")
@STORE
@AS_JSON
@common.reporting
def sql(
    package: Path,
    dialect: str | None,
    schema: str | None,
    url: str | None,
    proving: bool,
    folder: Path | None,
    as_json: bool,
    probe_file: Path | None,
    **options: Any,
) -> None:
    """Write a probe as one SQL statement; --run answers it in a database, --prove tells whether PostgreSQL has the same numbers: exit
    status 1 where it has not."""
    limits = limits_of(options)
    star = common.seen(opened(package), options)
    data = probe_json(probe_file, options)
    if proving:
        if url or schema or dialect:
            raise refuse("bad_option", "Proofs are made in the private PostgreSQL.", "Leave --run, --schema and --dialect out.", "--prove")
        only = probe_of(star, data) if data.get("measures") else None
        with private(folder or default_data()) as address:
            prove(star, [Asked("the probe", only)] if only else list(asked(star)), ProofTables(address), limits, as_json)
        return
    probe = probe_of(star, data)
    if not url:
        dialect = dialect or POSTGRESQL.name
        made = compiled(star, probe, dialect_of(dialect), own_places(star, schema), limits)
        click.echo(text_of(made.statement, dialect_of(dialect)), nl=False)
        return
    if star.cleared:
        raise refuse("bad_option", "Rules of rows are not held by --run.", "Leave --run out, and run what is written.", "--clearance")
    if dialect:
        raise refuse("bad_option", "--run knows by the address whose SQL it asks in.", "Leave --dialect out.", "--run")
    with elsewhere(url, star.model, schema, min(limits.seconds, MOST_SECONDS)) as there:
        for line in tidy_lines(axes_of(probe), probe.measures, there.answer(probe, limits)):
            click.echo(json.dumps(line, ensure_ascii=False))


@contextmanager
def private(folder: Path) -> Iterator[str]:
    """The address of the private PostgreSQL of a data folder: the one that runs, or one that runs as long as it is needed."""
    try:
        yield cluster.running(folder / "store").url()
        return
    except Refused as refused:
        if refused.diagnostics[0].code != "not_running":
            raise
    store = cluster.start(folder / "store")
    try:
        yield store.url()
    finally:
        cluster.stop(store)


def prove(star: Star, all_asked: list[Asked], tables: ProofTables, limits: Any, as_json: bool) -> None:
    """Proves grids one by one and tells what came of each; exit status 1 where one differs."""
    told: list[tuple[str, Proof]] = []
    for number, one in enumerate(all_asked, 1):
        if not as_json and sys.stderr.isatty():
            click.echo(f"\r{number:,} of {len(all_asked):,}: {one.about[:60]:<60}", nl=number == len(all_asked), err=True)
        told.append((one.about, proof_of(star, one.probe, one.wrong, tables, limits)))
    with tables.connection() as connection:
        tables.tidy(connection)
    if as_json:
        click.echo(json.dumps({"proofs": [{"about": about, **results.as_json(p)} for about, p in told]}, ensure_ascii=False, indent=1))
    else:
        for about, proof in told:
            click.echo(f"{MARKS[proof.state]} {about}: {proof.sentence}")
            for difference in proof.differences[:5]:
                click.echo(f"    {difference.sentence}")
        cells = sum(p.equal for _, p in told)
        proven = sum(p.state == "proven" for _, p in told)
        all_told = f"{proven:,} of {counted(len(told), 'grid')} are proven, {counted(cells, 'cell')}."
        click.echo(all_told if told else "There is nothing to prove.")
    if any(p.state == "differs" for _, p in told):
        sys.exit(1)


def proof_of(star: Star, probe: Probe | None, wrong: str, tables: ProofTables, limits: Any) -> Proof:
    """What comes of one grid."""
    if probe is None:
        return cannot(wrong)
    try:
        return tables.prove(answer(star, probe, common.budget(limits)))
    except Refused as refused:
        return cannot(refused.diagnostics[0].message)
