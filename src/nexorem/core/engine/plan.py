"""Typed trees to a plan: a flat list of numbered steps, in which nothing is computed twice.

There are two kinds of steps. A `ContextStep` makes a context out of another one by a single edit; a `ValueStep`
computes one node in one context. Everything about links is settled here: what flows into each scan, and over what.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from nexorem.core.engine.scalar import children, inner_nodes
from nexorem.core.language import typed as t
from nexorem.core.model.paths import Inflow
from nexorem.core.model.star import Star


@dataclass(frozen=True, slots=True, eq=False)
class ContextStep:
    """Context `number` is `parent` after `edit`. `inputs` are the value steps of the edit's right side, by node."""

    number: int
    parent: int
    edit: t.Condition | t.Cleared
    inputs: tuple[tuple[t.InContext, int], ...]


@dataclass(frozen=True, slots=True, eq=False)
class ValueStep:
    """Value `number` is `node` in `context`; `inputs` are value steps, in the order of the node's children.

    A scan has `flow`, and `inner`: the plan, by node, of what stands in a row's context.
    """

    number: int
    context: int
    node: t.Typed
    inputs: tuple[int, ...] = ()
    flow: Inflow | None = None
    inner: tuple[tuple[t.InRow, Plan], ...] = ()


@dataclass(eq=False)
class Plan:
    """The steps in order, the value step of each root, and where each (node, context) was computed.

    Context 0 is the one the plan is executed in: of a grid's cells, or of the rows a scan runs over.
    """

    steps: list[ContextStep | ValueStep] = field(default_factory=list)
    roots: list[int] = field(default_factory=list)
    values: dict[tuple[int, int], int] = field(default_factory=dict)
    contexts: dict[tuple[int, int], int] = field(default_factory=dict)
    count: int = 1


class Planner:
    """Lowers typed trees into one plan, sharing what they have in common."""

    def __init__(self, star: Star) -> None:
        self.star = star
        self.plan = Plan()

    def add_root(self, node: t.Typed) -> None:
        """Adds a tree whose value is asked for."""
        self.plan.roots.append(self.value(node, 0))

    def value(self, node: t.Typed, context: int) -> int:
        """The value step for a node in a context."""
        key = id(node), context
        if key not in self.plan.values:
            self.plan.values[key] = self._lower(node, context)
        return self.plan.values[key]

    def _lower(self, node: t.Typed, context: int) -> int:
        match node:
            case t.MeasureValue():
                return self.value(node.body, context)
            case t.Edited():
                return self.value(node.body, self.edited(node.edits, context)[-1])
            case t.Aggregate():
                return self._scan(node, context)
        inputs = tuple(self.value(child, context) for child in children(node))
        return self._add(ValueStep(len(self.plan.steps), context, node, inputs))

    def edited(self, edits: Sequence[t.TypedEdit], context: int) -> list[int]:
        """The contexts before the first and after each edit; `via` changes no filter, so its context is the same."""
        found = [context]
        for edit in edits:
            if not isinstance(edit, t.Switched):
                key = id(edit), context
                if key not in self.plan.contexts:
                    self.plan.contexts[key] = self._edit(edit, context)
                context = self.plan.contexts[key]
            found.append(context)
        return found

    def _edit(self, edit: t.Condition | t.Cleared, context: int) -> int:
        inner = inner_nodes(edit.predicate) if isinstance(edit, t.Condition) else []
        inputs = tuple((n, self.value(n.body, context)) for n in inner if isinstance(n, t.InContext))
        number = self.plan.count
        self.plan.count += 1
        self.plan.steps.append(ContextStep(number, context, edit, inputs))
        return number

    def _scan(self, node: t.Aggregate, context: int) -> int:
        flow = self.star.inflow(node.grain, node.state)
        inner = tuple(
            (n, make_plan(self.star, [n.body])) for n in (*inner_nodes(node.argument), *inner_nodes(node.where)) if isinstance(n, t.InRow)
        )
        return self._add(ValueStep(len(self.plan.steps), context, node, (), flow, inner))

    def _add(self, step: ValueStep) -> int:
        self.plan.steps.append(step)
        return step.number


def make_plan(star: Star, roots: Sequence[t.Typed]) -> Plan:
    """The plan for several trees at once."""
    planner = Planner(star)
    for root in roots:
        planner.add_root(root)
    return planner.plan


def print_plan(plan: Plan, indent: str = "") -> list[str]:
    """The plan as stable text, a line a step."""
    lines = [f"{indent}c0 = where it is computed"]
    for step in plan.steps:
        if isinstance(step, ContextStep):
            using = f" with {', '.join(f'v{n}' for _, n in step.inputs)}" if step.inputs else ""
            lines.append(f"{indent}c{step.number} = c{step.parent}, {step.edit.text}{using}")
            continue
        lines.append(f"{indent}v{step.number} = {_step_text(step)}")
        for _, inner in step.inner:
            lines += [f"{indent}  for each row:", *print_plan(inner, indent + "    ")]
    return [*lines, f"{indent}answer {', '.join(f'v{n}' for n in plan.roots)}"]


def _step_text(step: ValueStep) -> str:
    node = step.node
    if isinstance(node, t.Aggregate):
        sources = [f"{f.table} {f.how} {f.link.name}" for f in (step.flow.walk() if step.flow else ()) if f.link]
        return f"scan {node.grain} in c{step.context}: {node.text}; filters from {', '.join(sources) or 'itself'}"
    if isinstance(node, t.Const):
        return repr(node.value)
    names = {t.Cases: "case", t.Member: "in"}
    label = names.get(type(node), "")
    if isinstance(node, t.Apply):
        label = node.function.name
    elif isinstance(node, t.Fold):
        label = " ".join(f.name for f in node.functions)
    return f"{label}({', '.join(f'v{n}' for n in step.inputs)})"
