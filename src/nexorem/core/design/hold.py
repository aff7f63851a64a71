"""A measure, or the edits of a `given`, held over the star: what becomes of links and filters while it is computed."""

from __future__ import annotations

from typing import Any

from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.model.names import quoted
from nexorem.core.model.paths import Inflow, LinkState
from nexorem.core.model.star import Star
from nexorem.core.plan.ledger import ledger
from nexorem.core.plan.reach import current
from nexorem.core.plan.tree import scans

HELD = "what is held"


def held_measure(star: Star, name: str) -> dict[str, Any]:
    """A measure over the star; refuses where it is broken."""
    return _held(star, Binder(star).measure(name))


def held_given(star: Star, given: str, fact: str) -> dict[str, Any]:
    """The edits of a `given`, as they would stand around a count of the fact's rows; refuses with what is wrong with them."""
    Binder(star).given(given)  # on its own first: what is wrong is told at its place in what was typed
    formula = f"rows({quoted(fact)}) given ({given})"
    return _held(star, Binder(star, {HELD: formula}).measure(HELD))


def _held(star: Star, bound: t.MeasureValue) -> dict[str, Any]:
    """`scans`: each grain with the links that are not as in the model (`links`: on, inactive, off, two-way, or to a table), those put
    there (`added`), the crossings of the filters that reach it (`runs`) and the current of every table under it (`currents`).
    `filters`: by table, the columns whose filters the formula edits, and how."""
    told = []
    for scan in _distinct(scans(bound)):
        told.append(
            {
                "grain": scan.grain,
                "text": scan.text,
                "links": link_changes(star, scan.state),
                "added": [{"from": k.to_table, "to": k.from_table, "text": k.ends_text} for k in scan.state.added],
                "runs": _runs(star.inflow(scan.grain, scan.state)),
                "currents": [current(star, x.name, scan.state) for x in star.model.tables],
            }
        )
    filters: dict[str, list[dict[str, str]]] = {}
    # As if a filter sat on every column: what an edit does to it is told whether or not one does.
    arriving = {(x.name, c.name): "a filter" for x in star.model.tables for c in x.columns}
    for line in ledger(star.model, bound, arriving, {}):
        if line.kind != "kept" and line.name is not None:
            filters.setdefault(line.table, []).append({"column": line.name, "kind": line.kind})
    return {"name": bound.name, "scans": told, "filters": [{"table": x, "columns": c} for x, c in filters.items()]}


def _distinct(found: list[t.Aggregate]) -> list[t.Aggregate]:
    """One scan of each grain and link state."""
    return list({(s.grain, s.state): s for s in reversed(found)}.values())[::-1]


def link_changes(star: Star, state: LinkState) -> list[dict[str, str]]:
    """The links that are not as the model has them, and what they are instead."""
    found = []
    for link in star.model.links:
        turned = dict(state.turned).get(link.name)
        if (link.name in state.active) != link.active:
            found.append({"link": link.name, "change": "on" if link.name in state.active else "inactive"})
        if turned:
            found.append({"link": link.name, "change": turned if turned in ("two-way", "off") else f"to {turned}"})
    return found


def _runs(flow: Inflow) -> list[dict[str, str]]:
    """Every crossing into a root, the nearest first."""
    found = []
    for source in flow.sources:
        assert source.link
        found.append({"link": source.link.name, "from": source.table, "to": flow.table})
        found += _runs(source)
    return found
