"""A logical plan as stable text: its contexts with their filters, its steps, and what flows into each scan."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import assert_never

from nexorem.core.language import typed as t
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.proven import Proven
from nexorem.core.model.rows import ROWS
from nexorem.core.plan.contexts import AxisMember, Context, CurrentRow, Filter, Listed, MovedDates, Picked, Predicate, cell_context
from nexorem.core.plan.flow import flow_of
from nexorem.core.plan.logical import ContextStep, Needs, Placed, Plan, ValueStep, placed

Note = Callable[[ContextStep | ValueStep], str]


def print_plan(star: Proven, plan: Plan, start: Context | None = None, note: Note = lambda step: "") -> list[str]:
    """A line a step, and one for each filter of each context; `note` is put behind a step's line. `start` is context 0; without it there
    are no filters in it."""
    parts = iter(placed(star.model, plan, start or cell_context(star.state, (), ())))
    return _lines(star, next(parts), parts, note, "")


def _lines(star: Proven, part: Placed, inner: Iterator[Placed], note: Note, indent: str) -> list[str]:
    """The lines of a plan; the plans of rows in it are taken from `inner`, in their order."""
    lines = [f"{indent}c0 = where it is computed", *_filters(part.contexts[0], indent)]
    for step in part.plan.steps:
        lines.append(f"{indent}{step_text(star, step, part)}{note(step)}")
        if isinstance(step, ContextStep):
            lines += _filters(part.contexts[step.number], indent)
        for _ in step.needs.inner:
            lines += [f"{indent}  for each row:", *_lines(star, next(inner), inner, note, indent + "    ")]
    return [*lines, f"{indent}answer {', '.join(f'v{n}' for n in part.plan.roots)}"]


def _filters(context: Context, indent: str) -> list[str]:
    return [f"{indent}     {filter_text(f)}" for f in context.filters]


def filter_text(held: Filter) -> str:
    """A filter: what it is on, what it holds, and the columns it was made on where it has lost some."""
    if held.columns is ROWS:
        on = f"rows of {quoted(held.table)}"
    else:
        on = ", ".join(column_text(held.table, c) for c in held.columns)
    made_on = "its rows" if held.made_on is ROWS else ", ".join(held.made_on)
    return f"{on}: {_held_text(held)}{f', combinations left of those of {made_on}' if held.is_projected else ''}"


def _held_text(held: Filter) -> str:
    match held.holds:
        case AxisMember():
            return "the axis' member"
        case Picked(place):
            return f"pick {place + 1} of the page"
        case Predicate(edit):
            return f"{edit.text}{' of the page' if held.origin == 'condition' else ''}"
        case Listed(edit):
            return edit.text
        case MovedDates(edit, of):
            return f"{edit.text}, of {'; '.join(filter_text(f) for f in of) or 'all its dates'}"
        case CurrentRow(rows):
            return f"the current row of {rows.text}"
    assert_never(held.holds)


def step_text(star: Proven, step: ContextStep | ValueStep, part: Placed | None = None) -> str:
    """A step on a line; of a scan with what flows into it in its context of `part`, else with all that could."""
    if isinstance(step, ContextStep):
        return f"c{step.number} = c{step.parent}, {step.edit.text}{_with(step.needs, ' with ')}"
    return f"v{step.number} = {_value_text(star, step, part)}"


def _with(needs: Needs, word: str) -> str:
    return f"{word}{', '.join(f'v{n}' for _, n in needs.cells)}" if needs.cells else ""


def _value_text(star: Proven, step: ValueStep, part: Placed | None) -> str:
    node, at, inputs = step.node, f"c{step.context}", ", ".join(f"v{n}" for n in step.inputs)
    match node:
        case t.Aggregate():
            return f"scan {node.grain} in {at}: {node.text}; {_flow_text(star, node, step, part)}{_with(step.needs, '; with ')}"
        case t.Single():
            return f"{node.text} in {at}; {_flow_text(star, node, step, part)}{_with(step.needs, '; with ')}"
        case t.Iterated() | t.Rank():
            return f"{node.text} in {at}{_with(step.needs, '; with ')}"
        case t.Asked():
            constant = f" is {str(part.contexts[step.context].asked(node)).lower()}" if part else ""
            return f"{node.text} in {at}{constant}"
        case t.LetValue():
            return f"{node.definition.name or 'value'} of the row" if step.outer is None else f"v{step.outer} of the plan around"
        case t.Const():
            return repr(node.value)
        case t.Apply():
            return f"{node.function.name}({inputs})"
        case t.Fold():
            return f"{' '.join(f.name for f in node.functions)}({inputs})"
        case t.Cases():
            return f"case({inputs})"
        case t.Member():
            return f"in({inputs})"
        case t.Unknown() | t.ColumnValue() | t.RowName() | t.InRow() | t.InContext() | t.MeasureValue() | t.Let() | t.Edited():
            raise AssertionError("no step of a plan")
    assert_never(node)


def _flow_text(star: Proven, node: t.Aggregate | t.Single, step: ValueStep, part: Placed | None) -> str:
    if part is None:
        grain = node.grain if isinstance(node, t.Aggregate) else node.table
        sources = [f"{f.table} {f.how} {f.link.name}" for f in star.inflow(grain, node.state).walk() if f.link]
        return f"filters from {', '.join(sources) or 'itself'}"
    flow = flow_of(star, node, part.contexts[step.context])
    ways: dict[tuple[str, str], list[str]] = {}
    for a in flow.arrivals:
        ways.setdefault((" › ".join(a.links), a.how), []).append(a.filter.table)
    comes = [f"{' and '.join(dict.fromkeys(tables))}{f' over {links} ({how})' if links else ''}" for (links, how), tables in ways.items()]
    stops = f"; not from {', '.join(flow.unreached)}" if flow.unreached else ""
    return f"filters from {', '.join(comes) or 'nowhere'}{stops}"
