"""The steps of a table, one after the other, with what each did."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from nexorem.core.diagnostics import Diagnostic, Refused
from nexorem.core.limits import Budget
from nexorem.core.values import Array, iso
from nexorem.gather.frame import Frame, differing
from nexorem.gather.steps import columns as c
from nexorem.gather.steps import kinds as k
from nexorem.gather.steps import rows as r
from nexorem.gather.steps.result import Result, Setting

SAMPLE = 6
RUN: Mapping[type[Any], Callable[[Frame, Any, Setting], Result]] = {
    k.ChooseColumns: c.choose_columns,
    k.Rename: c.rename,
    k.Retype: c.retype,
    k.KeepRows: r.keep_rows,
    k.RemoveRepeats: r.remove_repeats,
    k.ColumnsToRows: r.columns_to_rows,
    k.RowsToColumns: r.rows_to_columns,
    k.SplitText: c.split_text,
    k.JoinText: c.join_text,
    k.Trim: c.trim,
    k.ChangeCase: c.change_case,
    k.Replace: c.replace,
    k.FillDown: c.fill_down,
    k.DatePart: c.date_part,
    k.DateOfParts: c.date_of_parts,
    k.Compute: c.compute,
    k.NumberRows: c.number_rows,
    k.Append: r.append,
    k.LookUp: r.look_up,
    k.AddMissing: r.add_missing,
}


@dataclass(frozen=True, slots=True, eq=False)
class Outcome:
    """What one step did: its words, the rows before and after it, or its error. A step behind an error waits."""

    words: str
    state: str  # "done", "off", "wrong" or "waits"
    before: Frame
    after: Frame
    rows: Array | None = None
    errors: tuple[Diagnostic, ...] = field(default=())
    milliseconds: float = 0.0


def replay(frame: Frame, steps: Sequence[Mapping[str, Any]], table: str, other: Callable[[str], Frame], budget: Budget) -> list[Outcome]:
    """Every step on what the one before it left; after one that is wrong the rest wait."""
    outcomes: list[Outcome] = []
    broken = False
    for number, data in enumerate(steps, 1):
        place = f"{table}, step {number}"
        words = str(data.get("kind", "step"))
        try:
            step = k.read_step(data, place)
            words = k.step_words(step)
            if step.off or broken:
                outcomes.append(Outcome(words, "off" if step.off else "waits", frame, frame))
                continue
            start = budget.milliseconds()
            budget.check()
            result = RUN[type(step)](frame, step, Setting(table, place, other, budget))
            outcomes.append(Outcome(words, "done", frame, result.frame, result.rows, (), budget.milliseconds() - start))
            frame = result.frame
        except Refused as refused:
            broken = True
            outcomes.append(Outcome(words, "wrong", frame, frame, None, tuple(refused.diagnostics)))
    return outcomes


def shaped(frame: Frame, steps: Sequence[Mapping[str, Any]], table: str, other: Callable[[str], Frame], budget: Budget) -> Frame:
    """The rows after all steps; refuses with the errors of the first step that fails."""
    outcomes = replay(frame, steps, table, other, budget)
    for outcome in outcomes:
        if outcome.errors:
            raise Refused(outcome.errors)
    return outcomes[-1].after if outcomes else frame


def outcome_json(outcome: Outcome) -> dict[str, Any]:
    """An outcome for reports and screens, with a sample of what changed."""
    before, after = outcome.before, outcome.after
    data: dict[str, Any] = {
        "words": outcome.words,
        "state": outcome.state,
        "rows_before": before.size,
        "rows_after": after.size,
        "columns_before": len(before.columns),
        "columns_after": len(after.columns),
        "milliseconds": round(outcome.milliseconds, 1),
        "errors": [d.as_json() for d in outcome.errors],
    }
    return data | {"sample": sample(outcome) if outcome.state == "done" else None}


def sample(outcome: Outcome) -> dict[str, Any]:
    """Some of what a step changed: cells, rows that went, or rows that are new."""
    before, after, rows = outcome.before, outcome.after, outcome.rows
    if rows is not None and len(rows) < before.size and after.columns.keys() == before.columns.keys():
        left = np.ones(before.size, bool)
        left[rows] = False
        gone = np.flatnonzero(left)
        return _table("rows that went", before, gone[:SAMPLE], len(gone))
    if rows is not None:
        new = np.flatnonzero(rows < 0)
        shown = new if len(new) else np.arange(after.size)
        return _table("rows that came" if len(new) else "rows as they are now", after, shown[:SAMPLE], len(shown))
    return _cells(before, after)


def _table(what: str, frame: Frame, rows: Array, count: int) -> dict[str, Any]:
    return {
        "what": what,
        "count": count,
        "columns": list(frame.columns),
        "rows": [int(x) + 1 for x in rows],
        "before": [],
        "after": frame.listed(rows),
    }


def _cells(before: Frame, after: Frame) -> dict[str, Any]:
    """Cells that differ, in the columns where some do."""
    size = after.size
    changed: dict[str, Array] = {}
    for name, v in after.columns.items():
        old = before.columns.get(name)
        if old is v:
            continue
        if old is not None and old.words is not v.words and np.array_equal(old.words, v.words):
            v = replace(v, words=old.words)
        changed[name] = v.valid.copy() if old is None else differing(old, v)
    some = {
        name: mask
        for name, mask in changed.items()
        if mask.any() or name not in before.columns or before.columns[name].dtype != after.columns[name].dtype
    }
    if not some:
        return {"what": "names and order of columns", "count": 0, "columns": list(after.columns), "rows": [], "before": [], "after": []}
    any_changed = np.logical_or.reduce(list(some.values()))
    rows = np.flatnonzero(any_changed)[:SAMPLE] if any_changed.any() else np.arange(min(SAMPLE, size))
    olds = [before.columns.get(n) for n in some]
    return {
        "what": "cells that changed",
        "count": int(sum(int(m.sum()) for m in some.values())),
        "columns": list(some),
        "rows": [int(x) + 1 for x in rows],
        "before": [[None if o is None else iso(o.at(int(x))) for o in olds] for x in rows],
        "after": [[iso(after.columns[n].at(int(x))) for n in some] for x in rows],
    }
