"""Loads held against how old they may be, and how much their rows may change from one to the next."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from nexorem.core.checks.outcome import Failure
from nexorem.core.checks.outside import LoadFacts
from nexorem.core.diagnostics import refuse
from nexorem.core.model.check_specs import Freshness
from nexorem.core.words import counted


def stale(table: str, loads: Sequence[LoadFacts], meant: Freshness) -> tuple[int, Iterator[Failure]]:
    """How many bounds were looked at, rows only where there is a load before to compare with, and what is wrong with a table's newest load;
    refuses where there is none."""
    if not loads:
        raise refuse("no_loads", f"{table} has no load: it is made here.", "Check the tables that it is made of.", "table")
    failures = []
    newest, *before = loads
    if meant.days is not None and newest.days > meant.days:
        said = f"{table} was loaded {newest.days:,.1f} days ago; at most {meant.days:,g} are meant."
        failures.append(Failure("stale", said, values={"days": newest.days}, expected=meant.days, difference=newest.days - meant.days))
    if meant.rows_within is not None and before:
        old, new = before[0].rows, newest.rows
        share = abs(new - old) / max(old, 1)
        if share > meant.rows_within:
            said = f"{table} has {counted(new, 'row')}; the load before had {old:,}. {share:.1%} apart; {meant.rows_within:.1%} is meant."
            failures.append(Failure("stale", said, values={"rows": new}, expected=old, difference=float(new - old)))
    return (meant.days is not None) + (meant.rows_within is not None and bool(before)), iter(failures)
