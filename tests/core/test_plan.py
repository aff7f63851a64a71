"""Logical plans: one golden text a construct, and symbolic contexts held against the filters that executions compute with."""

import os
import unittest
from collections import Counter
from pathlib import Path
from unittest import mock

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.execute import Execution
from nexorem.core.engine.grid import answer
from nexorem.core.engine.order import TOTAL
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import probe_of
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.plan.logical import ContextStep, placed
from nexorem.core.plan.text import print_plan
from tests.core.small import STAR
from tests.oracle.random_models import Maker

GOLDEN = Path(__file__).with_name("plans.txt")
PROBE = {
    "rows": ["Port.name"],
    "columns": ["Cal.week"],
    "measures": ["x"],
    "picks": [{"column": "Port.region", "in": ["North"]}, {"where": "Cal.year = 2031"}],
}
LINE = "-" * 80


def plan_text(formula):
    """The plan of a formula on small's star, for a grid of ports by weeks under a pick and a condition."""
    probe = probe_of(STAR, PROBE | {"define": {"x": formula}})
    plan = planned(STAR, probe)
    return "\n".join(print_plan(STAR, plan.cells, plan.context(probe, (*probe.rows, *probe.columns))))


def golden():
    """Formulas and their plans."""
    for block in GOLDEN.read_text().split(f"{LINE}\n"):
        if block.strip():
            formula, _, text = block.partition("\n\n")
            yield formula.strip(), text.strip("\n")


class Golden(unittest.TestCase):
    def test_each_construct(self):
        """GOLDEN=write makes the texts anew, of the formulas that are there."""
        known = list(golden())
        if os.environ.get("GOLDEN") == "write":
            GOLDEN.write_text("".join(f"{LINE}\n{formula}\n\n{plan_text(formula)}\n" for formula, _ in known))
        for formula, text in known:
            with self.subTest(formula):
                self.assertEqual(plan_text(formula), text)

    def test_every_kind_of_step_is_there(self):
        """A new kind of edit or of value is to be shown too."""
        edits, values = set(), set()
        for formula, _ in golden():
            probe = probe_of(STAR, PROBE | {"define": {"x": formula}})
            plan = planned(STAR, probe)
            for part in placed(STAR.model, plan.cells, plan.context(probe, probe.rows)):
                for step in part.plan.steps:
                    (edits if isinstance(step, ContextStep) else values).add(
                        type(step.edit if isinstance(step, ContextStep) else step.node)
                    )
        self.assertEqual(edits, {*t.TypedEdit.__args__})
        lowered = {t.Unknown, t.ColumnValue, t.RowName, t.InRow, t.InContext, t.MeasureValue, t.Let, t.Edited}
        self.assertEqual(values, {*t.Typed.__args__} - lowered)

    def test_a_plan_is_made_once_a_shape(self):
        probes = [
            probe_of(STAR, PROBE | {"measures": ["share"], "picks": [{"column": "Port.region", "in": [x]}]}) for x in ("North", "South")
        ]
        self.assertIs(planned(STAR, probes[0]), planned(STAR, probes[1]))
        self.assertNotEqual(*(list(answer(STAR, p, Budget()).tidy()) for p in probes))
        self.assertIsNot(planned(STAR, probes[0]), planned(STAR.with_model(STAR.model), probes[0]))


class Executions:
    """Notes every plan that is executed, with its run."""

    def __init__(self):
        self.met = []
        run = Execution.run
        self.patched = mock.patch.object(Execution, "run", lambda own, batch: self.met.append(own) or run(own, batch))


def in_force(batch, place):
    """What the filters of one context of a batch are on, in their order."""
    return [(f.table, f.columns) for f in batch.filters if f.index[place] >= 0]


def cell_of(run, place):
    """The grid's cell that a context of a run, or of one for its rows, stands in."""
    while run.outer is not None:
        place, run = int(run.owners[place]), run.outer
    return place


class Contexts(unittest.TestCase):
    def test_symbolic_contexts_are_those_of_the_execution(self):
        """On every level of totals of random probes, in the plans of rows too: the same filters on the same columns, in one order, and
        `filtered` and `on_axis` are what the plan says."""
        told = Counter()
        for seed in range(int(os.environ.get("PLAN_SEEDS", "800"))):
            maker = Maker(seed)
            maker.with_measures(2)
            data = maker.probe([maker.model.measures[-1].name]) | {"totals": "all", "empty_lines": True, "sort": []}
            data = {k: v for k, v in data.items() if k not in ("top", "having")}
            seen = Executions()
            with seen.patched:
                try:
                    probe = probe_of(maker.star, data)
                    grid = answer(maker.star, probe, Budget())
                except Refused:
                    continue
            levels = [tuple(self.shown(grid, r, c)) for r in range(len(grid.rows.lines)) for c in range(len(grid.columns.lines))]
            for run in seen.met:
                root = run
                while root.outer is not None:
                    root = root.outer
                if root.plan is grid.plan.cells:
                    self.compare(maker, grid, run, levels, told, seed)
        self.assertGreater(min(told[x] for x in ("cell", "row", "projected", "asked")), 40, told)

    def shown(self, grid, row, column):
        """The axis columns that have a coordinate on a line of each axis."""
        for axis, line in ((grid.rows, row), (grid.columns, column)):
            yield from (name for name, code in zip(axis.columns, axis.lines[line], strict=True) if code != TOTAL)

    def compare(self, maker, grid, run, levels, told, seed):
        """Some contexts of a run of each level against the plan's."""
        places = {}
        for place in range(run.contexts[0].size):
            places.setdefault(levels[cell_of(run, place)], place)
        for level, place in places.items():
            parts = {id(x.plan): x for x in placed(maker.model, grid.plan.cells, grid.plan.context(grid.probe, level))}
            part = parts[id(run.plan)]
            for number, context in enumerate(part.contexts):
                batch = run.contexts[number]
                if batch.failed is None:
                    self.assertEqual(in_force(batch, place), [(f.table, f.columns) for f in context.filters], (seed, level, number))
                    told["row" if run.outer else "cell"] += 1
                    told["projected"] += any(f.is_projected for f in context.filters)
            for step in part.plan.steps:
                if not isinstance(step, ContextStep):
                    if isinstance(step.node, t.Asked):
                        self.assertEqual(run.values[step.number].at(place), part.contexts[step.context].asked(step.node), (seed, level))
                        told["asked"] += 1
                    if isinstance(step.node, t.Aggregate | t.Single | t.Iterated | t.Rank):
                        self.assertEqual(step.node.state, part.contexts[step.context].state, (seed, step.node.text))


if __name__ == "__main__":
    unittest.main()
