"""The flow of a scan: which filters of its context come to the rows it runs over, over which links, and which do not."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from nexorem.core.language import typed as t
from nexorem.core.model.paths import Inflow
from nexorem.core.model.proven import Proven
from nexorem.core.plan.contexts import Context, Filter


@dataclass(frozen=True, slots=True)
class Arrival:
    """A filter that comes to a grain over `links`, the first crossed first. `how` is the least certain of the steps: lookup, up or loose; a
    filter on the grain itself needs none."""

    filter: Filter
    links: tuple[str, ...]
    how: str


@dataclass(frozen=True, slots=True)
class Flow:
    """What flows into `grain` over the `tree` of links: the filters that arrive, and the tables with filters that do not."""

    grain: str
    tree: Inflow
    arrivals: tuple[Arrival, ...]
    unreached: tuple[str, ...]


Scanning = t.Aggregate | t.Single | t.BaseRows


def flow_of(star: Proven, node: Scanning, context: Context) -> Flow:
    """The flow into what a node runs over. Rows of `every` see no filter, those of `page` the page's."""
    grain = node.table if isinstance(node, t.Single) else node.grain
    tree = star.inflow(grain, node.state)
    trails = dict(trails_of(tree))
    seen = context.filters
    if isinstance(node, t.BaseRows) and node.quantifier:
        seen = context.page if node.quantifier == "page" else ()
    arrivals = tuple(Arrival(f, trails[f.table], tree.worst_step(f.table)) for f in seen if f.table in trails)
    return Flow(grain, tree, arrivals, tuple(dict.fromkeys(f.table for f in seen if f.table not in trails)))


def trails_of(flow: Inflow, trail: tuple[str, ...] = ()) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Every table that flows into a root, with the links its filters come over, the first crossed first."""
    own = (flow.link.name, *trail) if flow.link else trail
    yield flow.table, own
    for source in flow.sources:
        yield from trails_of(source, own)
