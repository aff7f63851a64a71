"""`nexorem query` and `trace`: on a package, with neither server nor database."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from nexorem.cli import common
from nexorem.core import results
from nexorem.core.design.truth import looked_at, unmatched_marks
from nexorem.core.diagnostics import Diagnostic, refuse
from nexorem.core.engine.grid import Grid, answer
from nexorem.core.engine.probe import probe_of, unknown_members
from nexorem.core.limits import Limits
from nexorem.core.values import FAULTS
from nexorem.export.grids import write_csv, written
from nexorem.package.opened import opened

PACKAGE = click.argument("package", type=click.Path(path_type=Path))
AS_JSON = click.option("--json", "as_json", is_flag=True, help="Errors, too, as JSON.")
TOTAL = "(total)"


def page_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """The options that make a page."""
    for option in (
        click.option("--define", "defines", multiple=True, metavar="'x = FORMULA'", help="A formula for this call alone."),
        click.option(
            "--pick",
            "picks",
            multiple=True,
            metavar="'T.c=v|w'",
            help="Let only these values through; (empty) and (unmatched) are words for those members.",
        ),
        click.option("--where", "wheres", multiple=True, metavar="CONDITION", help="A condition over one table."),
    ):
        command = option(command)
    return command


def limit_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """The bounds of one call."""
    for name, unit, default in (
        ("max-seconds", "seconds of computing", Limits().seconds),
        ("max-memory", "MB of working memory", Limits().memory_bytes // 1024**2),
        ("max-levels", "levels of a formula", Limits().formula_levels),
        ("max-nodes", "parts of a formula", Limits().formula_nodes),
        ("max-characters", "characters of a formula", Limits().formula_characters),
        ("max-text", "bytes of one text", Limits().text_bytes),
        ("threads", "threads of a scan", Limits().workers),
    ):
        kind = click.FloatRange(0, min_open=True) if name == "max-seconds" else click.IntRange(1)
        command = click.option(f"--{name}", type=kind, default=default, show_default=True, help=f"The most {unit}.")(command)
    return command


def limits_of(options: dict[str, Any]) -> Limits:
    """The bounds that `limit_options` read; takes them out of the options."""
    return Limits(
        seconds=options.pop("max_seconds"),
        memory_bytes=options.pop("max_memory") * 1024**2,
        formula_levels=options.pop("max_levels"),
        formula_nodes=options.pop("max_nodes"),
        formula_characters=options.pop("max_characters"),
        text_bytes=options.pop("max_text"),
        workers=options.pop("threads"),
    )


def axis_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """The options that make a grid of a page."""
    for option in (
        click.option("--rows", metavar="A,B", help="Columns for the rows, with commas between."),
        click.option("--columns", metavar="C", help="Columns for the columns."),
        click.option("--measures", metavar="m,n", help="Measures, or names from --define."),
        click.option("--totals", type=click.Choice(["none", "grand", "all"]), default=None, help="Which totals to compute."),
        click.option("--empty-lines", is_flag=True, help="Lines on which everything is empty, too."),
        click.option("--sort", "sorts", multiple=True, metavar="NAME[:desc]", help="Order lines by a measure or an axis."),
        click.option("--limit", type=int, help="The most cells to answer."),
        click.option("--probe", "probe_file", type=click.Path(path_type=Path, dir_okay=False), help="A file with a probe as JSON."),
    ):
        command = option(command)
    return command


def page_json(defines: tuple[str, ...], picks: tuple[str, ...], wheres: tuple[str, ...]) -> dict[str, Any]:
    """The page's part of a probe."""
    return {"define": common.parse_define(defines), "picks": [*map(common.parse_pick, picks), *({"where": w} for w in wheres)]}


@click.command()
@PACKAGE
@axis_options
@page_options
@common.clearance_options
@limit_options
@click.option("--format", "form", type=click.Choice(["jsonl", "csv", "json"]), default="jsonl", show_default=True)
@click.option("--marks", "with_marks", is_flag=True, help="The marks of truth as JSON, a line behind the cells each.")
@click.option("--formatted", is_flag=True, help="Numbers as text, by their measure's format.")
@AS_JSON
@common.reporting
def query(package: Path, form: str, formatted: bool, with_marks: bool, as_json: bool, probe_file: Path | None, **options: Any) -> None:
    """Answer a probe on a package: a grid's cells, one a line. What is to be known of its numbers is said on standard error."""
    limits = limits_of(options)
    limits = replace(limits, probe_cells=max(limits.probe_cells, options["limit"] or 0))
    star = common.seen(opened(package), options)
    probe = probe_of(star, probe_json(probe_file, options))
    grid = answer(star, probe, common.budget(limits))
    write_answer(grid, form, formatted)
    tell_marks(grid, with_marks)
    failed = {code for v in grid.values if (code := v.fault_code())}
    if failed:
        common.tell([Diagnostic(code, dict(FAULTS)[code]) for code in sorted(failed)], as_json)
        sys.exit(1)


def probe_json(probe_file: Path | None, options: dict[str, Any]) -> dict[str, Any]:
    """A probe from a file, from options, or from a file with options over it."""
    data: dict[str, Any] = {}
    if probe_file:
        try:
            data = json.loads(probe_file.read_text(encoding="utf-8"))
        except (UnicodeDecodeError, json.JSONDecodeError) as error:
            raise refuse("bad_json", f"The probe is not JSON: {error}.", place=str(probe_file)) from None
        if not isinstance(data, dict):
            raise refuse("bad_probe", "The probe is not a JSON object.", place=str(probe_file))
    for key in ("rows", "columns", "measures"):
        if options[key] is not None:
            data[key] = common.names(options[key])
    own = page_json(options["defines"], options["picks"], options["wheres"])
    data["define"] = {**(data.get("define") or {}), **own["define"]}
    data["picks"] = [*(data.get("picks") or []), *own["picks"]]
    for key in ("totals", "limit"):
        if options[key] is not None:
            data[key] = options[key]
    if options["empty_lines"]:
        data["empty_lines"] = True
    if options["sorts"]:
        data["sort"] = [{"by": s.removesuffix(":desc"), "desc": s.endswith(":desc")} for s in options["sorts"]]
    return data


def tell_marks(grid: Grid, as_json: bool) -> None:
    """The marks of a grid's measures: as JSON on standard output, one a line, else as notes on standard error."""
    marks = [m for of_measure, _ in looked_at(grid) for m in of_measure] + unmatched_marks(grid)
    if as_json:
        for mark in marks:
            written = results.as_json(mark)
            click.echo(json.dumps({"mark": written.pop("kind"), **written}, ensure_ascii=False))
    sentences = [*unknown_members(grid.star, grid.probe), *(() if as_json else (m.sentence for m in marks))]
    for sentence in dict.fromkeys(sentences):
        click.echo(f"nexorem: {sentence}", err=True)


def write_answer(grid: Grid, form: str, formatted: bool = False) -> None:
    """The tidy answer on standard output."""
    tidy = written(grid) if formatted else grid.tidy()
    if form == "jsonl":
        for cell in tidy:
            click.echo(json.dumps(cell, ensure_ascii=False))
    elif form == "json":
        click.echo(json.dumps(list(tidy), ensure_ascii=False, indent=1))
    else:
        write_csv(grid, sys.stdout, formatted)
