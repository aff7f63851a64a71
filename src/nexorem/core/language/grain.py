"""Finding the grain of an aggregate: the named table from which every other named table can be looked up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from nexorem.core.model.model import Link
from nexorem.core.model.paths import LinkState
from nexorem.core.model.proven import Proven


@dataclass(frozen=True, slots=True)
class Grain:
    """The grain, and for each named table the look-ups that lead there."""

    table: str
    lookups: Mapping[str, tuple[Link, ...]]


@dataclass(frozen=True, slots=True)
class NoGrain:
    """Why there is none."""

    message: str
    hint: str


def find_grain(star: Proven, state: LinkState, named: Sequence[str], own: str | None = None) -> Grain | NoGrain:
    """The grain for the tables named; `own` is the table of `rows(T)`, which decides by itself."""
    tables = list(dict.fromkeys([own, *named] if own else named))
    if not tables:
        return NoGrain(
            "This aggregate names no column, so there are no rows to run over.",
            "Name a column of the table that is meant, or count its rows with rows(Table).",
        )
    reach = {}
    for look in (star.lookups_down, star.lookups):
        reach = {x: look(x, state) for x in ([own] if own else tables)}
        for table, chains in reach.items():
            if all(x in chains for x in tables):
                return Grain(table, {x: chains[x] for x in tables})
    best = max(reach, key=lambda x: sum(y in reach[x] for y in tables))
    missing = [x for x in tables if x not in reach[best]]
    reasons = " ".join(why_not(star, state, best, list(reach[best]), x) for x in missing)
    named_text = " and ".join(tables) if len(tables) == 2 else ", ".join(tables)
    return NoGrain(
        f"No table's rows can look up all of {named_text}. {reasons}", "An aggregate runs over one table and what its rows look up."
    )


def why_not(star: Proven, state: LinkState, grain: str, reached: Sequence[str], missing: str) -> str:
    """The link that is missing, inactive, loose or the wrong way round between what `grain` looks up and a table."""
    between = [k for k in star.model.links if missing in k.tables and k.other(missing) in reached and k.from_table != k.to_table]
    for link in between:
        if link.to_table == missing and link.name in star.firm and link.name not in state.active:
            return f"{grain} does not look up {missing}: the link “{link.name}” is inactive."
    for link in between:
        if link.name not in star.firm and link.name in state.active:
            return f"{grain} does not look up {missing}: the link “{link.name}” is loose."
    for link in between:
        if link.from_table == missing and link.name in state.active:
            return f"{grain} does not look up {missing}: over “{link.name}” a row of {link.to_table} has many of {missing}."
    return f"{grain} does not look up {missing}: no firm active link leads there."
