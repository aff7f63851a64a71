"""`nexorem explain`, `reach`, `lint` and `suggest`: how formulas and models are read, on a package."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from nexorem.cli import common
from nexorem.cli.query import AS_JSON, PACKAGE, axis_options, limit_options, limits_of, page_options, probe_json
from nexorem.core import results
from nexorem.core.design.suggest import suggestions
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.explain import explained
from nexorem.core.engine.probe import Probe, probe_of
from nexorem.core.lint.findings import findings
from nexorem.core.model.star import Star
from nexorem.core.plan.reach import reach_after
from nexorem.package.opened import opened
from nexorem.sql.dialects import POSTGRESQL
from nexorem.sql.own import own_places
from nexorem.sql.probe import compiled
from nexorem.sql.tree import text_of


@click.command()
@PACKAGE
@click.option("--measure", help="A measure; or define one.")
@axis_options
@page_options
@limit_options
@AS_JSON
@common.reporting
def explain(package: Path, measure: str | None, as_json: bool, probe_file: Path | None, **options: Any) -> None:
    """Show how a formula is read: its diagnostics, sentence, ledger, typed tree, plan with rows and milliseconds, and SQL."""
    limits = limits_of(options)
    star = opened(package)
    data = probe_json(probe_file, options)
    name = measure or next(iter(data["define"]), None) or next(iter(data.get("measures", [])), None)
    if name is None:
        raise refuse("no_measure", "There is no formula to explain.", "Name one with --measure, or write one with --define.")
    try:
        explanation = explained(star, probe_of(star, data | {"measures": [name]}), name, common.budget(limits))
    except Refused as refused:
        if as_json:
            click.echo(
                json.dumps({"measure": name, "diagnostics": [d.as_json() for d in refused.diagnostics]}, ensure_ascii=False, indent=1)
            )
        raise
    statement = written(star, probe_of(star, data | {"measures": [name]}))
    if as_json:
        click.echo(json.dumps(results.as_json(explanation) | {"sql": statement}, ensure_ascii=False, indent=1))
        return
    lines = [explanation.reading, "", "filters"]
    lines += [f"  {x.column}: {x.arriving or 'none'} › {x.leaving or 'none'} ({x.kind})" for x in explanation.ledger] or ["  none"]
    click.echo(
        "\n".join([*lines, "", "typed tree", *explanation.tree, "", "plan", *explanation.plan_text, "", "sql", *statement.splitlines()])
    )


def written(star: Star, probe: Probe) -> str:
    """A probe as SQL, or why it cannot be written."""
    try:
        return text_of(compiled(star, probe, POSTGRESQL, own_places(star)).statement, POSTGRESQL)
    except Refused as refused:
        return f"-- {refused.diagnostics[0].message}"


@click.command()
@PACKAGE
@click.option("--given", "edits", metavar="EDITS", help="Edits that come first, as they stand in the brackets of a given.")
@AS_JSON
@common.reporting
def reach(package: Path, edits: str | None, as_json: bool) -> None:
    """Who filters whom: for every two tables the links a filter takes from the one to the other, or what blocks it."""
    change = reach_after(opened(package), edits or "")
    if as_json:
        click.echo(json.dumps(results.as_json(change), ensure_ascii=False, indent=1))
        return
    for pair in change.pairs:
        if pair.path:
            click.echo(f"{pair.from_} filters {pair.to} over {' › '.join(pair.path)}")
        elif pair.blocked:
            stops = ", ".join(f"{s.link} ({s.reason})" for s in pair.stops or ())
            click.echo(f"{pair.from_} does not filter {pair.to}: blocked at {stops}")
        else:
            click.echo(f"{pair.from_} does not filter {pair.to}: no links lead there")


@click.command()
@PACKAGE
@AS_JSON
@common.reporting
def lint(package: Path, as_json: bool) -> None:
    """Findings about the model, its data and its measures; exit status 1 where one of them is a warning that nobody has accepted."""
    ranked = findings(opened(package))
    if as_json:
        click.echo(json.dumps({"findings": results.as_json(ranked)}, ensure_ascii=False, indent=1))
    else:
        for f in ranked:
            seen = f" Looked at in {', '.join(f.watchers)}." if f.group == "seen" else ""
            accepted = f" (accepted: {f.accepted})" if f.accepted is not None else ""
            click.echo(f"{f.about}: {f.code} ({f.weight}): {f.sentence} {f.mend}{seen}{accepted}")
    if any(f.weight == "warning" and f.accepted is None for f in ranked):
        sys.exit(1)


@click.command()
@PACKAGE
@AS_JSON
@common.reporting
def suggest(package: Path, as_json: bool) -> None:
    """Links that the data suggest and the model has not, with their evidence, the likeliest first. None is made."""
    suggested = suggestions(opened(package))
    if as_json:
        click.echo(json.dumps({"suggestions": results.as_json(suggested)}, ensure_ascii=False, indent=1))
        return
    for item in suggested:
        click.echo(f"{item.text} ({item.link['cardinality']}): {item.evidence.sentence}")
    if not suggested:
        click.echo("The data suggest no link that the model does not have.")
