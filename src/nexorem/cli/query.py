"""`nexorem query`, `trace`, `explain` and `export`: on a package, with neither server nor database."""

from __future__ import annotations

import csv
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from nexorem.cli import common
from nexorem.core.diagnostics import Diagnostic, refuse
from nexorem.core.engine.grid import Grid, answer
from nexorem.core.engine.plan import make_plan
from nexorem.core.engine.plan_text import print_plan
from nexorem.core.engine.probe import read_probe
from nexorem.core.engine.trace import trace as trace_cell
from nexorem.core.language.binder import Binder
from nexorem.core.language.printer import print_tree
from nexorem.core.model.star import Star
from nexorem.package.read import open_package
from nexorem.package.write import write_package

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


def page_json(defines: tuple[str, ...], picks: tuple[str, ...], wheres: tuple[str, ...]) -> dict[str, Any]:
    """The page's part of a probe."""
    return {"define": common.parse_define(defines), "picks": [*map(common.parse_pick, picks), *({"where": w} for w in wheres)]}


@click.command()
@PACKAGE
@click.option("--rows", metavar="A,B", help="Columns for the rows, with commas between.")
@click.option("--columns", metavar="C", help="Columns for the columns.")
@click.option("--measures", metavar="m,n", help="Measures, or names from --define.")
@page_options
@click.option("--totals", type=click.Choice(["none", "grand", "all"]), default=None, help="Which totals to compute.")
@click.option("--empty-lines", is_flag=True, help="Lines on which everything is empty, too.")
@click.option("--sort", "sorts", multiple=True, metavar="NAME[:desc]", help="Order lines by a measure or an axis.")
@click.option("--limit", type=int, help="The most cells to answer.")
@click.option("--probe", "probe_file", type=click.Path(path_type=Path, dir_okay=False), help="A file with a probe as JSON.")
@click.option("--format", "form", type=click.Choice(["jsonl", "csv", "json"]), default="jsonl", show_default=True)
@AS_JSON
@common.reporting
def query(package: Path, form: str, as_json: bool, probe_file: Path | None, **options: Any) -> None:
    """Answer a probe on a package: a grid's cells, one a line."""
    star = open_package(package)
    probe = read_probe(star, probe_json(probe_file, options))
    grid = answer(star, probe, common.budget())
    write_answer(grid, form)
    failed = {v.code for v in grid.values if isinstance(v, Exception)}
    if failed:
        common.tell([Diagnostic(code, "The computation of a cell failed.") for code in sorted(failed)], as_json)
        sys.exit(1)


def probe_json(probe_file: Path | None, options: dict[str, Any]) -> dict[str, Any]:
    """A probe from a file, from options, or from a file with options over it."""
    data: dict[str, Any] = {}
    if probe_file:
        try:
            data = json.loads(probe_file.read_text(encoding="utf-8"))
        except (UnicodeDecodeError, json.JSONDecodeError) as error:
            raise refuse("bad_json", f"The probe is no JSON: {error}.", place=str(probe_file)) from None
        if not isinstance(data, dict):
            raise refuse("bad_probe", "The probe is no JSON object.", place=str(probe_file))
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


def write_answer(grid: Grid, form: str) -> None:
    """The tidy answer on standard output."""
    if form == "jsonl":
        for cell in grid.tidy():
            click.echo(json.dumps(cell, ensure_ascii=False))
    elif form == "json":
        click.echo(json.dumps(list(grid.tidy()), ensure_ascii=False, indent=1))
    else:
        axes = [f"{t}.{c}" for t, c in (*grid.probe.rows, *grid.probe.columns)]
        writer = csv.writer(sys.stdout, lineterminator="\n")
        writer.writerow([*axes, *grid.probe.measures])
        for cell in grid.tidy():
            coordinates = [TOTAL if a not in cell else "(empty)" if cell[a] is None else cell[a] for a in axes]
            writer.writerow([*coordinates, *("" if cell[m] is None else _csv_value(cell[m]) for m in grid.probe.measures)])


def _csv_value(value: Any) -> Any:
    return f"error: {value['error']}" if isinstance(value, dict) else value


@click.command()
@PACKAGE
@click.option("--measure", required=True, help="The measure, or a name from --define.")
@click.option("--at", "ats", multiple=True, metavar="'T.c=v'", help="A coordinate of the cell.")
@page_options
@AS_JSON
@common.reporting
def trace(
    package: Path,
    measure: str,
    ats: tuple[str, ...],
    defines: tuple[str, ...],
    picks: tuple[str, ...],
    wheres: tuple[str, ...],
    as_json: bool,
) -> None:
    """Explain one cell step by step."""
    star = open_package(package)
    probe = read_probe(star, {"measures": [measure], **page_json(defines, picks, wheres)})
    told = trace_cell(star, probe, measure, [common.parse_at(star, a) for a in ats], common.budget())
    click.echo(json.dumps(told, ensure_ascii=False, indent=1) if as_json else "\n".join(trace_lines(told)))


def trace_lines(told: dict[str, Any]) -> list[str]:
    """A trace as text."""
    at = ", ".join(f"{k} {v}" for k, v in told["coordinates"].items()) or "the whole"
    lines = [f"{told['measure']} at {at} = {told['value']}"]

    def show(node: dict[str, Any], indent: str) -> None:
        lines.append(f"{indent}{node['kind']} {node.get('name', '')} {node['text']} = {node['value']}".replace("  ", " "))
        for edit in node["edits"]:
            lines.append(f"{indent}  edit {edit['text']}")
            lines.extend(
                f"{indent}    {c['column']}: {allowed(c['before'])} › {allowed(c['after'])} ({c['kind']})" for c in edit["changes"]
            )
        for f in node["filters"]:
            columns = ", ".join(map(allowed_column, f["columns"])) or f["table"]
            lines.append(f"{indent}  filter {columns}: {f['rows_kept']:,} of {f['rows_total']:,} rows")
        for f in node["flows"]:
            lines.append(f"{indent}  over {f['link']}, {f['from']} to {f['to']}: {f['rows_before']:,} › {f['rows_after']:,} rows")
        for b in node["blocked"]:
            lines.append(f"{indent}  stopped at {b['link'] or b['from']}: {b['reason']}" + (f", before {b['to']}" if b["to"] else ""))
        if "arithmetic" in node:
            sums = node["arithmetic"]
            lines.append(f"{indent}  {sums['function']} over {sums['rows_used']:,} of {sums['rows_total']:,} rows of {sums['grain']}")
        for child in node["children"]:
            show(child, indent + "  ")

    show(told["tree"], "")
    return lines


def allowed(found: dict[str, Any] | None) -> str:
    """What a filter allows, in a few words."""
    if found is None:
        return "any"
    values = ["(empty)" if v is None else str(v) for v in found["values"]] + (["(unmatched)"] if found["unmatched"] else [])
    if found["count"] > 4:
        return f"{found['count']} of {found['total']}"
    return ", ".join(values) or "nothing"


def allowed_column(found: dict[str, Any]) -> str:
    """The same with the column's name."""
    return f"{found['column']} {allowed(found)}"


@click.command()
@PACKAGE
@click.option("--measure", help="A measure; or define one.")
@click.option("--define", "defines", multiple=True, metavar="'x = FORMULA'")
@AS_JSON
@common.reporting
def explain(package: Path, measure: str | None, defines: tuple[str, ...], as_json: bool) -> None:
    """Show how a formula is read: its diagnostics, its typed tree and its plan."""
    star = open_package(package)
    define = common.parse_define(defines)
    name = measure or next(iter(define), None)
    if name is None:
        raise refuse("no_measure", "There is no formula to explain.", "Name one with --measure, or write one with --define.")
    told = explained(star, name, define)
    if as_json:
        click.echo(json.dumps(told, ensure_ascii=False, indent=1))
    else:
        click.echo("\n".join(["typed tree", *told["tree"], "", "plan", *told["plan"]]))


def explained(star: Star, name: str, define: dict[str, str]) -> dict[str, Any]:
    """A formula's stages as text."""
    bound = Binder(star, define).measure(name)
    return {"measure": bound.name, "dtype": bound.dtype, "tree": print_tree(bound), "plan": print_plan(star, make_plan(star, [bound]))}


@click.command()
@PACKAGE
@click.option("--as", "kind", type=click.Choice(["package"]), default="package", show_default=True)
@click.option("--data", type=click.Choice(["csv", "parquet"]), default="csv", show_default=True, help="How the rows are stored.")
@click.option("--out", type=click.Path(path_type=Path), required=True, help="A new folder, or a new .zip.")
@AS_JSON
@common.reporting
def export(package: Path, kind: str, data: str, out: Path, as_json: bool) -> None:
    """Write a model with its rows, as a package of this project's own form."""
    write_package(open_package(package), out, data)
    click.echo(f"Wrote the {kind} {out}.")
