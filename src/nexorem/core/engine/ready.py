"""What is derived of a large star before anybody asks for it: partners along its links, members of what its facts look up, and what its
own probes are answered from."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

import numpy as np

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.limits import Budget
from nexorem.core.model.model import Link
from nexorem.core.model.rows import coded_members
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star

LARGE = 100_000  # rows of a table: what fewer are derived from takes no time
FEW = 2_000  # members of a column by which one groups


def steps(star: Star, budget: Callable[[], Budget], probes: bool = True) -> Iterator[Callable[[], None]]:
    """What to do, one part after the other, the most asked for first; each takes a second or so of many millions of rows. A star without
    large tables gives nothing. What is derived is kept by the star as anything that was asked for. Its `probes` are asked where that is
    wanted, and no other place would have to answer them."""
    large = [t.name for t in star.model.tables if t.name not in star.stay and star.size(t.name) >= LARGE]
    chains = [(t, chain) for fact in large for t, chain in star.lookups(fact, star.state).items() if t not in star.stay]
    asked = star.model.probes if large and probes and not star.stay else ()
    for link in dict.fromkeys(k for _, chain in chains for k in chain):
        yield partial(_partners, star, link)
    for probe in asked:
        yield partial(_asked, star, probe, budget)
    for table, chain in chains:
        for column in _grouping(star, table):
            yield partial(_counted, star, table, column, chain)
    for probe in asked:  # indexes are made when they are asked for again
        yield partial(_asked, star, probe, budget)


def _grouping(star: Star, table: str) -> list[str]:
    """The columns of a table by which one groups: those of few members."""
    info = star.model.table(table)
    columns = [c.name for c in info.columns if not c.hidden] if info else []
    return [c for c in columns if (members := coded_members(star.rows[table].columns, c)) is not None and members <= FEW]


def _partners(star: Star, link: Link) -> None:
    star.partner_along((link,), np.zeros(0, np.int64))


def _counted(star: Star, table: str, column: str, chain: tuple[Link, ...]) -> None:
    star.member_counts(table, (column,), chain)


def _asked(star: Star, probe: ProbeSpec, budget: Callable[[], Budget]) -> None:
    try:
        answer(star, read_probe(star, probe), budget())
    except Refused:
        return  # whoever opens it is told
