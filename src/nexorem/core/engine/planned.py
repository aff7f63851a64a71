"""A probe bound and planned: what of it is the same whatever its picks hold, kept for the next question of the same shape."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from nexorem.core.diagnostics import OverLimit, Refused
from nexorem.core.engine.probe import Probe
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.limits import DEFAULT_LIMITS, Limits
from nexorem.core.model.model import Model
from nexorem.core.model.paths import LinkState
from nexorem.core.model.proven import Proven
from nexorem.core.plan.contexts import Context, Filter, Picked, Predicate, cell_context, page_filter
from nexorem.core.plan.logical import Plan, make_plan
from nexorem.core.plan.tree import inner_nodes


@dataclass(eq=False)
class ProbePlan:
    """The typed trees of a probe (`conditions` are those of its page) and their plans. Shared between threads, and never changed."""

    model: Model
    state: LinkState
    measures: tuple[t.MeasureValue, ...]
    conditions: tuple[t.Condition, ...]
    having: tuple[t.Typed, ...]

    @cached_property
    def cells(self) -> Plan:
        """The plan of the measures."""
        return make_plan(self.model, self.measures)

    @cached_property
    def settled(self) -> tuple[bool, ...]:
        """For each condition of the page, whether it looks at nothing but its own columns: it is the same on every page."""
        return tuple(not inner_nodes(c.predicate) for c in self.conditions)

    @cached_property
    def lines(self) -> Plan:
        """The plan of what lines are kept by: the conditions on lines, then the measures."""
        return make_plan(self.model, [*self.having, *self.measures])

    def page(self, probe: Probe) -> tuple[Filter, ...]:
        """The page's filters: picks, then conditions in their order."""
        picks = [page_filter(i, p.table, (p.column,), Picked(i)) for i, p in enumerate(probe.picks)]
        return (*picks, *(page_filter(len(picks) + i, c.table, c.columns, Predicate(c)) for i, c in enumerate(self.conditions)))

    def context(self, probe: Probe, axes: Sequence[tuple[str, str]]) -> Context:
        """The context of the cells on the level of totals at which these axis columns have a coordinate; context 0 of the plans."""
        return cell_context(self.state, self.page(probe), axes)


def planned(star: Proven, probe: Probe, limits: Limits = DEFAULT_LIMITS) -> ProbePlan:
    """The plan of a probe; refuses with the errors of all its formulas. Costs nothing where a probe of this shape was planned on the star
    before."""
    read = limits.of_formulas()
    key = (probe.measures, tuple(probe.define.items()), probe.conditions, tuple(h.where for h in probe.having), read)
    return star.plans.kept(key, lambda: _bound(star, probe, read))


def _bound(star: Proven, probe: Probe, limits: Limits) -> ProbePlan:
    binder = Binder(star, probe.define, limits)
    measures = _measures(binder, probe.measures)
    conditions = tuple(binder.page_condition(text) for text in probe.conditions)
    return ProbePlan(star.model, star.state, measures, conditions, tuple(binder.having(h.where) for h in probe.having))


def _measures(binder: Binder, names: Sequence[str]) -> tuple[t.MeasureValue, ...]:
    """All measures bound; refuses with the errors of all."""
    bound, wrong = [], []
    for name in names:
        try:
            bound.append(binder.measure(name))
        except OverLimit:
            raise
        except Refused as refused:
            wrong += [d for d in refused.diagnostics if d not in wrong]
    if wrong:
        raise Refused(wrong)
    return tuple(bound)
