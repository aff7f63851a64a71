"""`nexorem query` and `trace`: on a package, with neither server nor database."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator
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
from nexorem.core.engine.trace import trace as trace_cell
from nexorem.core.engine.traced import Allowed, Arithmetic, CellFailure, CellValue, Trace, TraceNode
from nexorem.core.limits import Limits
from nexorem.core.values import FAULTS
from nexorem.core.words import counted, verb
from nexorem.export.grids import write_csv, written
from nexorem.package.read import open_package

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
    star = open_package(package)
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


@click.command()
@PACKAGE
@click.option("--measure", required=True, help="The measure, or a name from --define.")
@click.option("--at", "ats", multiple=True, metavar="'T.c=v'", help="A coordinate of the cell.")
@click.option("--into", "intos", multiple=True, metavar="PATH:KEY", help="Go on in a row of an iteration, by its node's path and its key.")
@page_options
@limit_options
@AS_JSON
@common.reporting
def trace(
    package: Path,
    measure: str,
    ats: tuple[str, ...],
    intos: tuple[str, ...],
    defines: tuple[str, ...],
    picks: tuple[str, ...],
    wheres: tuple[str, ...],
    as_json: bool,
    **options: Any,
) -> None:
    """Explain one cell step by step."""
    limits = limits_of(options)
    star = open_package(package)
    probe = probe_of(star, {"measures": [measure], **page_json(defines, picks, wheres)})
    tracing = trace_cell(star, probe, measure, [common.parse_at(star, a) for a in ats], common.budget(limits), list(map(parse_into, intos)))
    click.echo(json.dumps(results.as_json(tracing), ensure_ascii=False, indent=1) if as_json else "\n".join(trace_lines(tracing)))


def parse_into(text: str) -> tuple[str, int]:
    """`PATH:KEY`."""
    path, sign, key = text.rpartition(":")
    if not sign or not key.isdigit():
        raise refuse("bad_into", f"{text!r} names no row.", "Write the node's path, a colon and the row's key: 0.0:3.", "--into")
    return path, int(key)


def trace_lines(traced: Trace) -> list[str]:
    """A trace as text."""
    at = ", ".join(f"{k} {v}" for k, v in traced.coordinates.items()) or "the whole"
    return [f"{traced.measure} at {at} = {value_text(traced.value)}", *node_lines(traced.tree, "")]


def value_text(value: CellValue) -> str:
    """A cell's value, or why there is none."""
    return f"{value.error}: {value.message}" if isinstance(value, CellFailure) else str(value)


def node_lines(node: TraceNode, indent: str) -> Iterator[str]:
    """A node of a trace and those below it, a step of indent each."""
    yield f"{indent}{node.kind} {node.name or ''} {node.text} = {value_text(node.value)}".replace("  ", " ")
    for edit in node.edits:
        yield f"{indent}  edit {edit.text}"
        yield from (f"{indent}    {c.column}: {allowed(c.before)} › {allowed(c.after)} ({c.kind})" for c in edit.changes)
        if edit.cut:
            yield f"{indent}    it leaves {edit.cut.rows_after:,} of {edit.cut.rows_before:,} rows of {edit.cut.table}"
    for f in node.filters:
        columns = ", ".join(f"{c.column} {allowed(c)}" for c in f.columns) or f.table
        yield f"{indent}  filter {columns}: {f.rows_kept:,} of {f.rows_total:,} rows"
    for flow in node.flows:
        yield f"{indent}  over {flow.link}, {flow.from_} to {flow.to}: {flow.rows_before:,} › {flow.rows_after:,} rows"
    for stop in node.blocked:
        yield f"{indent}  stopped at {stop.link or stop.from_}: {stop.reason}" + (f", before {stop.to}" if stop.to else "")
    if node.arithmetic:
        yield from (f"{indent}  {line}" for line in arithmetic_lines(node.arithmetic))
    for unreached in node.unreached:
        mend = f"; {' or '.join(unreached.mends)} would carry it" if unreached.mends else ""
        yield f"{indent}  the filter on {unreached.table} does not reach it{mend}"
    if rows := node.iteration:
        yield f"{indent}  {counted(rows.rows_total, 'row')} of {rows.over}"
        yield from (f"{indent}    {r.key}: {', '.join(map(str, r.cells))} = {r.value}" for r in rows.rows)
    for child in node.children:
        yield from node_lines(child, indent + "  ")


def arithmetic_lines(sums: Arithmetic) -> Iterator[str]:
    """What an aggregate made of its rows."""
    filled = sums.rows_used if sums.rows_filled is None else sums.rows_filled
    valued = f", of which {filled:,} {verb(filled, 'has', 'have')} a value" if filled < sums.rows_used else ""
    yield f"{sums.function} over {sums.rows_used:,} of {sums.rows_total:,} rows of {sums.grain}{valued}"
    if sums.distinct and sums.distinct > 1:
        yield f"{sums.distinct:,} different values are visible: there is no single one. {sums.hint}".rstrip()


def allowed(column: Allowed | None) -> str:
    """What a filter allows, in a few words."""
    if column is None:
        return "any"
    values = ["(empty)" if v is None else str(v) for v in column.values] + (["(unmatched)"] if column.unmatched else [])
    return f"{column.count} of {column.total}" if column.count > 4 else ", ".join(values) or "nothing"
