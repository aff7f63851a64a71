"""A check held against a model: every kind, one way in."""

from __future__ import annotations

from collections.abc import Iterator
from heapq import nlargest
from typing import assert_never

from nexorem.core.checks.add_up import totals_apart
from nexorem.core.checks.binding import holding, loaded_table
from nexorem.core.checks.cells import cells_of, probe_of_check
from nexorem.core.checks.fresh import stale
from nexorem.core.checks.moved import cells_moved
from nexorem.core.checks.outcome import MOST_FAILURES, Failure, Obstacle, Outcome, width
from nexorem.core.checks.outside import Outside
from nexorem.core.checks.tables import listed_apart
from nexorem.core.diagnostics import Diagnostic, Refused, refuse
from nexorem.core.engine.computed import evaluated
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.language.binder import Binder
from nexorem.core.limits import Budget
from nexorem.core.model.check_specs import (
    AddUpMust,
    AsInMust,
    Bounds,
    CheckSpec,
    CountMust,
    FileMust,
    FreshMust,
    HoldMust,
    NoneMust,
    QueryMust,
    TableMust,
    kind_of,
)
from nexorem.core.model.elsewhere import is_stay
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.values import iso
from nexorem.core.words import counted, verb

MOST_ROWS_SHOWN = 10
Counted = tuple[int, Iterator[Failure]]  # how many were tested, and those that fail


def run_check(star: Star, check: CheckSpec, budget: Budget, outside: Outside) -> Outcome:
    """Whether a check holds. Never raises for what the check or the model has wrong: that is an outcome of its own. Cost: its probe with
    the totals that it is about, or its rows, or what `outside` takes."""
    try:
        tested, failing = _held(star, check, budget, outside)
        kept, failed = _worst(failing)
    except Refused as refused:
        problems = tuple(map(_problem, refused.diagnostics))
        return Outcome("cannot", f"It cannot be computed: {problems[0].message}", problems=problems)
    return Outcome("fails" if failed else "holds", _sentence(check, tested, failed, kept), tested, failed, tuple(kept))


def _worst(failing: Iterator[Failure]) -> tuple[list[Failure], int]:
    """The worst failures, those first that are furthest from what they should be, and how many there are."""
    failed = 0

    def counted_failures() -> Iterator[Failure]:
        nonlocal failed
        for failure in failing:
            failed += 1
            yield failure

    return nlargest(MOST_FAILURES, counted_failures(), key=width), failed


def _held(star: Star, check: CheckSpec, budget: Budget, outside: Outside) -> Counted:
    match check.must:
        case HoldMust() as must:
            return _formula_apart(star, probe_of_check(star, check.probe), must, budget)
        case TableMust() as must:
            return listed_apart(star, probe_of_check(star, check.probe), must.table, must, budget)
        case FileMust() as must:
            return listed_apart(star, probe_of_check(star, check.probe), outside.file(must.file), must, budget, texts=True)
        case QueryMust() as must:
            probe = probe_of_check(star, check.probe)
            return listed_apart(star, probe, outside.answer_of(must.query), must, budget)
        case AsInMust(as_in=name):
            probe = probe_of_check(star, check.probe)
            return cells_moved(outside.release(name), star, probe, name, budget)
        case AddUpMust() as must:
            return totals_apart(star, probe_of_check(star, check.probe), must.add_up, budget)
        case CountMust() as must:
            return _count_apart(star, str(check.rows), must.count, budget)
        case NoneMust() as must:
            return _findings(star, check.about, must, outside)
        case FreshMust(fresh=meant):
            table = loaded_table(star, check)
            return stale(table.name, outside.loads(table.name), meant)
    assert_never(check.must)


def _formula_apart(star: Star, spec: ProbeSpec, must: HoldMust, budget: Budget) -> Counted:
    """The cells in which the formula is not true."""
    probe = holding(star, spec, must.hold)
    name = probe.measures[-1]
    grid = answer(star, probe, budget)
    cells = [c for c in cells_of(grid, len(spec.measures)) if must.in_ == "all" or c.total == (must.in_ == "totals")]

    def failing() -> Iterator[Failure]:
        for cell in cells:
            outcome = cell.values[name]
            values = {m: v for m, v in cell.values.items() if m != name}
            if isinstance(outcome, dict):
                yield Failure("error", f"{cell.words()}: {must.hold} cannot be computed: {outcome['error']}.", at=cell.at, values=values)
            elif outcome is None and must.empty == "fails":
                yield Failure("empty", f"{cell.words()}: {must.hold} comes to empty.", at=cell.at, values=values)
            elif outcome is False:
                yield Failure("false", f"{cell.words()}: {must.hold} is not true.", at=cell.at, values=values)

    return len(cells), failing()


def _count_apart(star: Star, rows: str, bounds: Bounds, budget: Budget) -> Counted:
    """The number of rows of a table expression in the empty context, where it is out of bounds, with the first rows."""
    if bounds.at_least is not None and bounds.at_most is not None and bounds.at_least > bounds.at_most:
        raise refuse("bad_check", f"At least {bounds.at_least:,} and at most {bounds.at_most:,} is never so.", place="must.count")
    size, first = _rows(star, rows, budget)
    low, high = bounds.at_least or 0, bounds.at_most
    if size >= low and (high is None or size <= high):
        return 1, iter(())
    expected = low if size < low else high
    shown = f" The first: {'; '.join(first)}." if first else ""
    what = (
        f"{rows} has {counted(size, 'row')}; at {'least' if size < low else 'most'} {expected:,} {verb(expected or 0, 'is', 'are')} meant."
    )
    return 1, iter([Failure("count", what + shown, values={"rows": size}, expected=expected, difference=float(size - (expected or 0)))])


def _rows(star: Star, rows: str, budget: Budget) -> tuple[int, list[str]]:
    """How many rows a table expression has in the empty context, and the first of them; none of these where they stay elsewhere."""
    bound = Binder(star, limits=budget.limits).computed_table("", rows)
    try:
        relation = evaluated(star, bound, budget)
    except Refused as refused:
        if not is_stay(refused):
            raise
        spec = ProbeSpec(measures=("\0rows",), define={"\0rows": f"rows({rows})"})
        grid = answer(star, read_probe(star, spec), budget)
        return int(grid.values[0].data[0]), []
    columns = [(c.name, relation.column(i)) for i, c in enumerate(relation.shape.columns)]
    shown = range(min(len(relation), MOST_ROWS_SHOWN))
    return len(relation), [", ".join(f"{n} {iso(v.at(r))}" for n, v in columns) for r in shown]


def _findings(star: Star, about: str | None, must: NoneMust, outside: Outside) -> Counted:
    """The findings of these codes about a thing, or about any."""
    looked = list(outside.findings(star, must.none, about))
    return len(must.none), (Failure("finding", f"{f.about}: {f.sentence}") for f in looked)


def _problem(d: Diagnostic) -> Obstacle:
    return Obstacle(d.code, d.message, d.place, d.hint)


def _sentence(check: CheckSpec, tested: int, failed: int, failures: list[Failure]) -> str:
    noun = {"count": "count", "none": "kind of finding", "add_up": "total", "fresh": "bound"}.get(kind_of(check.must), "cell")
    if not failed:
        return f"It holds: {counted(tested, noun)} looked at." if tested else "It holds of nothing: there was nothing to look at."
    if noun == "kind of finding":
        return f"It fails: {counted(failed, 'finding')}. {failures[0].sentence}"
    return f"It fails in {failed:,} of {counted(tested, noun)}. {failures[0].sentence}"
