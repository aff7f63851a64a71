"""What someone looks at: over which links and tables the numbers of probes and folios come, so that findings can be put in order."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from nexorem.core.design.matrix import bound_probe
from nexorem.core.diagnostics import Refused
from nexorem.core.language import typed as t
from nexorem.core.model.paths import Inflow
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import nodes, scans


@dataclass(slots=True)
class Attention:
    """By what a finding can be about (`link …`, `table …`, `measure …`, `probe …`, `folio …`), the names of the probes and folios whose
    numbers stand on it."""

    watchers: dict[str, dict[str, None]] = field(default_factory=dict)

    def note(self, about: str, watcher: str) -> None:
        """One more who looks at it."""
        self.watchers.setdefault(about.lower(), {})[watcher] = None

    def of(self, about: str) -> list[str]:
        """Who looks at it, in the model's order."""
        return list(self.watchers.get(about.lower(), ()))


def attention(star: Star) -> Attention:
    """What all probes and folios of a model look at; those that cannot be answered look at nothing but themselves."""
    found = Attention()
    for probe in star.model.probes:
        name = str(probe.get("name"))
        found.note(f"probe {name}", name)
        _look(star, probe, name, found)
    for folio in star.model.folios:
        name = str(folio.get("name"))
        found.note(f"folio {name}", name)
        tiles = folio.get("tiles")
        for tile in tiles if isinstance(tiles, list | tuple) else ():
            asked = tile.get("probe") if isinstance(tile, Mapping) else None
            if isinstance(asked, str):
                found.note(f"probe {asked}", name)
            elif isinstance(asked, Mapping):
                _look(star, asked, name, found)
    return found


def _look(star: Star, data: Mapping[str, Any], watcher: str, found: Attention) -> None:
    try:
        measures, filtered = bound_probe(star, data)
    except Refused:
        return
    for table in filtered:
        found.note(f"table {table}", watcher)
    for measure in measures:
        for node in nodes(measure):
            if isinstance(node, t.MeasureValue):
                found.note(f"measure {node.name}", watcher)
        for scan in scans(measure):
            found.note(f"table {scan.grain}", watcher)
            for chain in scan.lookups.values():
                for link in chain:
                    found.note(f"link {link.name}", watcher)
            _ways(star.inflow(scan.grain, scan.state), filtered, watcher, found)


def _ways(flow: Inflow, filtered: set[str], watcher: str, found: Attention) -> bool:
    """Notes the tables and links on the ways of the filters that come to a flow; whether any does."""
    comes = flow.table in filtered
    for source in flow.sources:
        if _ways(source, filtered, watcher, found):
            comes = True
            found.note(f"link {source.link.name}" if source.link else "", watcher)
    if comes:
        found.note(f"table {flow.table}", watcher)
    return comes
