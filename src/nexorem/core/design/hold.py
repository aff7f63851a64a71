"""A measure, or the edits of a `given`, held over the star: what becomes of links and filters while it is computed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.model.names import quoted
from nexorem.core.model.paths import Inflow, LinkState
from nexorem.core.model.star import Star
from nexorem.core.plan.ledger import ledger
from nexorem.core.plan.reach import Crossing, Current, current
from nexorem.core.plan.tree import scans
from nexorem.core.results import Result

HELD = "what is held"


@dataclass(frozen=True, slots=True)
class HeldLink(Result):
    """A link that is not as in the model: on, inactive, off, two-way, or `to` a table."""

    link: str
    change: str


@dataclass(frozen=True, slots=True)
class AddedFlow(Result):
    """A flow that a formula puts between two tables."""

    from_: str
    to: str
    text: str


@dataclass(frozen=True, slots=True)
class HeldScan(Result):
    """A grain with the links that are not as in the model, the flows that are put there, the crossings of the filters that reach it
    (`runs`), and the current of every table under its links."""

    grain: str
    text: str
    links: tuple[HeldLink, ...]
    added: tuple[AddedFlow, ...]
    runs: tuple[Crossing, ...]
    currents: tuple[Current, ...]


@dataclass(frozen=True, slots=True)
class HeldColumn(Result):
    """What becomes of a filter on a column."""

    column: str
    kind: Literal["replaced", "cleared", "added", "moved", "carried"]


@dataclass(frozen=True, slots=True)
class HeldFilter(Result):
    """The columns of a table whose filters a formula edits."""

    table: str
    columns: tuple[HeldColumn, ...]


@dataclass(frozen=True, slots=True)
class Held(Result):
    """A measure, or the edits of a `given`, over the star."""

    name: str
    scans: tuple[HeldScan, ...]
    filters: tuple[HeldFilter, ...]


def held_measure(star: Star, name: str) -> Held:
    """A measure over the star; refuses where it is broken."""
    return _held(star, Binder(star).measure(name))


def held_given(star: Star, given: str, fact: str) -> Held:
    """The edits of a `given`, as they would stand around a count of the fact's rows; refuses with what is wrong with them."""
    Binder(star).given(given)  # on its own first: what is wrong is told at its place in what was typed
    formula = f"rows({quoted(fact)}) given ({given})"
    return _held(star, Binder(star, {HELD: formula}).measure(HELD))


def _held(star: Star, bound: t.MeasureValue) -> Held:
    held = tuple(
        HeldScan(
            scan.grain,
            scan.text,
            link_changes(star, scan.state),
            tuple(AddedFlow(k.to_table, k.from_table, k.ends_text) for k in scan.state.added),
            tuple(_runs(star.inflow(scan.grain, scan.state))),
            tuple(current(star, x.name, scan.state) for x in star.model.tables),
        )
        for scan in _distinct(scans(bound))
    )
    filters: dict[str, list[HeldColumn]] = {}
    # As if a filter sat on every column: what an edit does to it is told whether or not one does.
    arriving = {(x.name, c.name): "a filter" for x in star.model.tables for c in x.columns}
    for line in ledger(star.model, bound, arriving, {}):
        if line.kind != "kept" and line.name is not None:
            filters.setdefault(line.table, []).append(HeldColumn(line.name, line.kind))
    return Held(bound.name, held, tuple(HeldFilter(table, tuple(columns)) for table, columns in filters.items()))


def _distinct(aggregates: list[t.Aggregate]) -> list[t.Aggregate]:
    """One scan of each grain and link state."""
    return list({(s.grain, s.state): s for s in reversed(aggregates)}.values())[::-1]


def link_changes(star: Star, state: LinkState) -> tuple[HeldLink, ...]:
    """The links that are not as the model has them, and what they are instead."""
    changes = []
    for link in star.model.links:
        turned = dict(state.turned).get(link.name)
        if (link.name in state.active) != link.active:
            changes.append(HeldLink(link.name, "on" if link.name in state.active else "inactive"))
        if turned:
            changes.append(HeldLink(link.name, turned if turned in ("two-way", "off") else f"to {turned}"))
    return tuple(changes)


def _runs(flow: Inflow) -> list[Crossing]:
    """Every crossing into a root, the nearest first."""
    runs = []
    for source in flow.sources:
        assert source.link
        runs += [Crossing(source.link.name, source.table, flow.table), *_runs(source)]
    return runs
