"""What a check depends on, from its typed trees: which tables, links and measures, and a text that is the same where its outcome is."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import replace

from nexorem.core.checks.binding import asked_of_check, loaded_table
from nexorem.core.checks.outside import OF_LINKS
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import Probe
from nexorem.core.language.binder import Binder
from nexorem.core.model.check_specs import CheckSpec, CountMust, NoneMust
from nexorem.core.model.model import model_json
from nexorem.core.model.paths import DoublePath
from nexorem.core.model.specs import spec_json
from nexorem.core.model.star import Star
from nexorem.core.plan.basis import Basis, basis_of


def check_basis(star: Star, check: CheckSpec) -> Basis | None:
    """What the outcome of a check is made from, so far as the model and its rows decide it; None for one that cannot be bound. A file, a
    database, a release and the day are not in it. Cost: one binding of its probe, which the star keeps."""
    try:
        made = _basis(star, check)
    except (Refused, DoublePath):
        return None
    said = replace(check, name="", description="", folder="", guards=(), silenced=None)
    made.lines.append(json.dumps(spec_json(said), sort_keys=True))
    return made


def check_digest(star: Star, check: CheckSpec) -> str:
    """The text that is the same where a check's outcome is, empty for one that cannot be bound."""
    basis = check_basis(star, check)
    return "" if basis is None else basis.digest(star)


def _basis(star: Star, check: CheckSpec) -> Basis:
    probe = asked_of_check(star, check)
    if probe is not None:
        return probe_basis(star, probe)
    match check.must:
        case CountMust():
            return basis_of(star, [Binder(star).computed_table("", str(check.rows))])
        case NoneMust(none=codes):
            return _links_basis(star, check.about) if OF_LINKS.issuperset(codes) else whole_basis(star)
        case _:
            return Basis({loaded_table(star, check).name: None})


def probe_basis(star: Star, probe: Probe) -> Basis:
    """What all cells of a probe are made from: how its lines are ordered is not in it."""
    plan = planned(star, probe)
    axes = (*probe.rows, *probe.columns, *((p.table, p.column) for p in probe.picks))
    made = basis_of(star, [*plan.measures, *plan.conditions, *plan.having], tables_of(axes))
    made.lines.append(f"{probe.rows} {probe.columns} {probe.measures} {dict(probe.define)} {probe.picks} {probe.conditions}")
    made.lines.append(f"{probe.totals} {probe.empty_lines} {probe.top} {probe.having} {probe.limit}")
    return made


def tables_of(columns: Iterable[tuple[str, str]]) -> list[str]:
    """The tables of some columns, each once."""
    return list(dict.fromkeys(table for table, _ in columns))


def _links_basis(star: Star, about: str | None) -> Basis:
    """The basis of what is found of links alone: each with the rows at its ends."""
    links = [k for k in star.model.links if about in (None, f"link {k.name}")]
    tables = dict.fromkeys(table for k in links for table in (k.from_table, k.to_table))
    lines = [f"{k} {k.name in star.firm}" for k in links]
    return Basis(tables, dict.fromkeys(k.name for k in links), {}, [*lines, str([(t.name, t.source) for t in star.model.tables])])


def whole_basis(star: Star) -> Basis:
    """The basis of what may depend on everything, as findings do."""
    model = star.model
    lines = [json.dumps(model_json(model), sort_keys=True)]
    tables, links, measures = (dict.fromkeys(x.name for x in each) for each in (model.tables, model.links, model.measures))
    return Basis(tables, links, measures, lines)
