"""`nexorem trace`: a cell of a package, explained."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from nexorem.cli import common
from nexorem.cli.query import AS_JSON, PACKAGE, limit_options, limits_of, page_json, page_options
from nexorem.core import results
from nexorem.core.diagnostics import refuse
from nexorem.core.engine.probe import probe_of
from nexorem.core.engine.trace import trace as trace_cell
from nexorem.core.engine.traced import Allowed, Arithmetic, CellFailure, CellValue, Trace, TraceNode
from nexorem.core.words import counted, verb
from nexorem.package.opened import opened


@click.command()
@PACKAGE
@click.option("--measure", required=True, help="The measure, or a name from --define.")
@click.option("--at", "ats", multiple=True, metavar="'T.c=v'", help="A coordinate of the cell.")
@click.option("--into", "intos", multiple=True, metavar="PATH:KEY", help="Go on in a row of an iteration, by its node's path and its key.")
@page_options
@common.clearance_options
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
    star = common.seen(opened(package), options)
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
