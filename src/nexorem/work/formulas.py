"""A formula as it is being written: what it means, or what is wrong with it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.probe import read_probe
from nexorem.core.engine.trace import trace
from nexorem.core.language.binder import Binder
from nexorem.core.language.printer import print_tree
from nexorem.core.language.reading import Reader
from nexorem.core.limits import Budget
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.plan.dependence import reached_by
from nexorem.core.plan.ledger import ledger
from nexorem.core.plan.logical import make_plan
from nexorem.core.plan.text import print_plan


def formula_answer(
    star: Star, name: str, formula: str, arriving: Mapping[str, str], page: Mapping[str, str], budget: Budget
) -> dict[str, Any]:
    """What a formula means under the name it has or will have, in the model as it stands: its errors, or its type, value, reading, ledger
    and plan. `arriving` and `page` are the filters that an example cell has, in words, by the names of their columns."""
    answer_of: dict[str, Any] = {"errors": [], "dtype": None, "value": None, "scans": [], "tables": [], "tree": [], "plan": []}
    answer_of |= {"formula": formula, "reading": "", "ledger": []}
    try:
        bound = Binder(star, {name: formula}).measure(name)
        probe = read_probe(star, ProbeSpec(measures=(name,), define={name: formula}))
        tracing = trace(star, probe, name, [], budget)
        filters, on_page = ({star.model.find_column(c): text for c, text in x.items()} for x in (arriving, page))
    except Refused as refused:
        answer_of["errors"] = [d.as_json() for d in refused.diagnostics]
        return answer_of
    reached = reached_by(star, bound)
    return {
        **answer_of,
        "dtype": bound.dtype,
        "value": tracing.value,
        "scans": [asdict(x) for x in reached.scans],
        "tables": list(reached.tables),
        "reading": Reader(star.model).sentence(bound),
        "ledger": [x.written() for x in ledger(star.model, bound, filters, on_page)],
        "tree": print_tree(bound),
        "plan": print_plan(star, make_plan(star.model, [bound])),
    }
