"""`nexorem compare`: two packages, or a release of the running store and a package: what is written, who filters whom, the numbers."""

from __future__ import annotations

import json
import sys
from functools import partial
from pathlib import Path
from typing import Any

import click

from nexorem.cli import common
from nexorem.cli.query import AS_JSON, limit_options, limits_of
from nexorem.core import results
from nexorem.core.checks.compared import NumbersMoved, checked_moved, looked_moved
from nexorem.core.design.change import reach_change
from nexorem.core.design.changed import parts_changed
from nexorem.core.diagnostics import refuse
from nexorem.core.model.star import Star
from nexorem.core.words import counted
from nexorem.package.opened import opened

MOST_SHOWN = 3


@click.command()
@click.argument("first")
@click.argument("second")
@click.option("--store", "folder", type=click.Path(path_type=Path, file_okay=False), help="The folder of the running store.")
@limit_options
@AS_JSON
@common.reporting
def compare(first: str, second: str, folder: Path | None, as_json: bool, **options: Any) -> None:
    """Compare two models; exit status 1 where they differ. Each is a package, or MODEL@RELEASE of the running store: a number, a name,
    `latest`, or `draft`."""
    limits = limits_of(options)
    before, after = (_star(text, folder) for text in (first, second))
    budget = partial(common.budget, limits)
    reach = reach_change(before, after)
    compared: dict[str, Any] = {
        "changes": parts_changed(before.model, after.model),
        "reach": reach,
        "checked": list(checked_moved(before, after, first, budget)),
        "looked": list(looked_moved(before, after, first, budget)),
    }
    if as_json:
        click.echo(json.dumps(results.as_json(compared), ensure_ascii=False, indent=1))
    else:
        _show(compared)
    if any(compared[k] for k in ("changes", "checked", "looked")) or reach.newly or reach.no_longer or reach.moved:
        sys.exit(1)


def _star(text: str, folder: Path | None) -> Star:
    if Path(text).exists() or "@" not in text:
        return opened(Path(text))
    from nexorem.cli.exchange import model_in
    from nexorem.cli.serve import default_data
    from nexorem.work.releasing import star_at

    name, _, release = text.rpartition("@")
    if not name or not release:
        raise refuse("bad_source", f"{text!r} names no release.", "Write MODEL@1, MODEL@latest or MODEL@draft.")
    workspace, model_id = model_in(folder or default_data(), name)
    return star_at(workspace, model_id, release)


def _show(compared: dict[str, Any]) -> None:
    for change in compared["changes"]:
        click.echo(change.words)
        if change.what == "measure" and change.before != change.after:
            for sign, formula in (("-", change.before), ("+", change.after)):
                if formula:
                    click.echo(f"    {sign} {formula}")
    reach = compared["reach"]
    for pairs, words in ((reach.newly, "newly filters"), (reach.no_longer, "no longer filters"), (reach.moved, "filters over another way")):
        for pair in pairs:
            click.echo(f"{pair.from_} {words} {pair.to}")
    for moved in (*compared["checked"], *compared["looked"]):
        _show_moved(moved)
    if not any(compared[k] for k in ("changes", "checked", "looked")):
        click.echo("They are the same, and so are their numbers.")


def _show_moved(moved: NumbersMoved) -> None:
    if moved.error:
        click.echo(f"{moved.about}: only one of them can answer it. {moved.error}")
        return
    click.echo(f"{moved.about}: {moved.changed:,} of {counted(moved.cells, 'cell')} moved")
    for failure in moved.widest[:MOST_SHOWN]:
        click.echo(f"    {failure.sentence}")
