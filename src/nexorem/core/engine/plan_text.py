"""A plan as stable text; after an execution with its rows, cells and milliseconds."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nexorem.core.engine.plan import ContextStep, Needs, Plan, ValueStep
from nexorem.core.language import typed as t
from nexorem.core.model.star import Star
from nexorem.core.words import counted


def print_plan(star: Star, plan: Plan, notes: Mapping[int, str] | None = None, indent: str = "") -> list[str]:
    """A line a step. `notes` has, by id of a step, what its execution told."""
    notes = notes or {}
    lines = [f"{indent}c0 = where it is computed"]
    for step in plan.steps:
        if isinstance(step, ContextStep):
            using = f" with {', '.join(f'v{n}' for _, n in step.needs.cells)}" if step.needs.cells else ""
            line = f"c{step.number} = c{step.parent}, {step.edit.text}{using}"
        else:
            line = f"v{step.number} = {_step_text(star, step)}"
        lines.append(f"{indent}{line}{notes.get(id(step), '')}")
        lines += _inner(star, step.needs, notes, indent)
    return [*lines, f"{indent}answer {', '.join(f'v{n}' for n in plan.roots)}"]


def plan_steps(star: Star, plan: Plan, told: Mapping[int, tuple[int, float]]) -> list[dict[str, Any]]:
    """The steps of an executed plan: text, rows of the table that was scanned, contexts, milliseconds."""
    found = []
    for step in plan.steps:
        contexts, spent = told.get(id(step), (0, 0.0))
        rows = 0
        if isinstance(step, ContextStep):
            text = f"c{step.number} = c{step.parent}, {step.edit.text}"
        else:
            text = f"v{step.number} = {_step_text(star, step)}"
            rows = star.size(step.node.grain) if isinstance(step.node, t.Aggregate) else 0
        found.append({"step": text, "rows": rows, "cells": contexts, "milliseconds": round(spent, 3)})
    return found


def notes_of(star: Star, plan: Plan, told: Mapping[int, tuple[int, float]]) -> dict[int, str]:
    """What `print_plan` adds to the lines of an executed plan."""
    steps = plan_steps(star, plan, told)
    return {
        id(step): f"  [{counted(s['rows'], 'row')}, {counted(s['cells'], 'cell')}, {s['milliseconds']:.2f} ms]"
        for step, s in zip(plan.steps, steps, strict=True)
    }


def _inner(star: Star, needs: Needs, notes: Mapping[int, str], indent: str) -> list[str]:
    lines = []
    for _, inner in needs.inner:
        lines += [f"{indent}  for each row:", *print_plan(star, inner, notes, indent + "    ")]
    return lines


def _step_text(star: Star, step: ValueStep) -> str:
    node, at = step.node, f"c{step.context}"
    cells = f"; with {', '.join(f'v{n}' for _, n in step.needs.cells)}" if step.needs.cells else ""
    if isinstance(node, t.Aggregate):
        sources = [f"{f.table} {f.how} {f.link.name}" for f in star.inflow(node.grain, node.state).walk() if f.link]
        return f"scan {node.grain} in {at}: {node.text}; filters from {', '.join(sources) or 'itself'}{cells}"
    if isinstance(node, t.Iterated | t.Rank | t.Single | t.Asked):
        return f"{node.text} in {at}{cells}"
    if isinstance(node, t.LetValue):
        return f"{node.definition.name or 'value'} of the row" if step.outer is None else f"v{step.outer} of the plan around"
    if isinstance(node, t.Const):
        return repr(node.value)
    label = {t.Cases: "case", t.Member: "in"}.get(type(node), "")
    if isinstance(node, t.Apply):
        label = node.function.name
    elif isinstance(node, t.Fold):
        label = " ".join(f.name for f in node.functions)
    return f"{label}({', '.join(f'v{n}' for n in step.inputs)})"
