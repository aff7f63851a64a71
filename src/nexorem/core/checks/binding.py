"""What a check names, found in the model, without a row: whether it can be computed at all, and whether it can fail."""

from __future__ import annotations

from dataclasses import replace
from typing import assert_never

from nexorem.core.checks.add_up import totalled
from nexorem.core.checks.cells import probe_of_check
from nexorem.core.checks.tables import listing
from nexorem.core.diagnostics import Refused, near_hint, refuse
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import Probe, member_mask, read_probe
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.language.former import names_of
from nexorem.core.model.check_specs import (
    AddUpMust,
    AsInMust,
    CheckSpec,
    CountMust,
    FileMust,
    FreshMust,
    HoldMust,
    NoneMust,
    QueryMust,
    TableMust,
)
from nexorem.core.model.model import Table
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import walk


def holding(star: Star, spec: ProbeSpec, formula: str) -> Probe:
    """A probe with a formula over its measures as one more measure, the last one: it is computed in each cell's own context. Refuses one
    that is neither true nor false."""
    taken = {m.name.lower() for m in star.model.measures} | {name.lower() for name in spec.define}
    name = next(x for x in ("holds", *(f"holds {n}" for n in range(2, 1_000))) if x not in taken)
    asked = replace(spec, measures=(*spec.measures, name), define={**spec.define, name: formula}, sort=())
    probe = read_probe(star, asked)
    dtype = planned(star, probe).measures[-1].dtype
    if dtype not in ("boolean", "null"):
        said = f"What must hold is true or false; {formula} is of the type {dtype}."
        raise refuse("bad_check", said, "Compare it with something, as in … >= 0.", "must.hold")
    return probe


def asked_of_check(star: Star, check: CheckSpec) -> Probe | None:
    """The probe whose cells a check looks at, with what it adds to the one it is about; None for one of rows, findings or loads. Refuses
    one that names what is gone. What a file, a database or a release lists is known when it is read."""
    match check.must:
        case HoldMust(hold=formula):
            return holding(star, probe_of_check(star, check.probe), formula)
        case TableMust(table=table):
            return read_probe(star, listing(star, probe_of_check(star, check.probe), table)[0])
        case FileMust() | QueryMust() | AsInMust():
            return read_probe(star, probe_of_check(star, check.probe))
        case AddUpMust(add_up=columns):
            return totalled(star, probe_of_check(star, check.probe), columns)[0]
        case CountMust() | NoneMust() | FreshMust():
            return None
    assert_never(check.must)


def loaded_table(star: Star, check: CheckSpec) -> Table:
    """The table whose load a check is about; refuses one that is gone."""
    name = str(check.table)
    table = star.model.table(name)
    if table is None:
        near = near_hint(name, [x.name for x in star.model.tables])
        raise refuse("unknown_table", f"The table {name} does not exist.", near, "table")
    return table


def cannot_fail(star: Star, check: CheckSpec) -> str:
    """Why a check holds whatever the numbers are, empty where it does not; refuses one that names what is gone. No number is computed."""
    return _of_nothing(star, check) or _always(star, check)


def _of_nothing(star: Star, check: CheckSpec) -> str:
    """Why a check is of nothing: its page lets no row through, for it picks no member that there is."""
    if check.probe is None:
        return ""
    probe = read_probe(star, probe_of_check(star, check.probe))
    empty = next((p for p in probe.picks if not p.unmatched and not member_mask(star, p).any()), None)
    return f"its page lets nothing through, for {empty.table}.{empty.column} has no member that is picked" if empty else ""


def _always(star: Star, check: CheckSpec) -> str:
    probe = asked_of_check(star, check)
    plan = planned(star, probe) if probe else None
    match check.must:
        case HoldMust(hold=formula):
            assert plan is not None
            tree = plan.measures[-1].body
            asks = any(isinstance(n, t.MeasureValue | t.Aggregate | t.Iterated | t.Rank | t.Single | t.Asked) for n in walk(tree))
            return "" if asks else f"{formula} names no measure and adds up nothing"
        case TableMust(table=table, whole=whole):
            return "" if table.rows or whole else "its table lists no line"
        case FileMust() | QueryMust() | AsInMust() | AddUpMust():
            return ""
        case CountMust(count=bounds):
            Binder(star).computed_table("", str(check.rows))
            unbound = not bounds.at_least and bounds.at_most is None
            return "it has no bound" if unbound else ""
        case NoneMust():
            return "" if _is_there(star, check.about) else f"the model has no {check.about}"
        case FreshMust(fresh=meant):
            loaded_table(star, check)
            return "it has no bound" if meant.days is None and meant.rows_within is None else ""
    assert_never(check.must)


def _is_there(star: Star, about: str | None) -> bool:
    """Whether what findings are about is in the model."""
    if about is None:
        return True
    kind, _, name = about.partition(" ")
    if kind == "column":
        try:
            return bool(star.model.find_column(name))
        except Refused:
            return False
    known = kind in ("table", "link", "measure", "hierarchy", "probe", "folio")
    return known and name.lower() in (n.lower() for n in names_of(star.model, kind))
