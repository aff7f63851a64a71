"""What someone looks at: over which links and tables the numbers of probes and folios come, so that findings can be put in order."""

from __future__ import annotations

from dataclasses import dataclass, field

from nexorem.core.design.matrix import bound_probe
from nexorem.core.diagnostics import Refused
from nexorem.core.language import typed as t
from nexorem.core.model.paths import Inflow
from nexorem.core.model.specs import ProbeSpec
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
    watched = Attention()
    for probe in star.model.probes:
        watched.note(f"probe {probe.name}", probe.name)
        _look(star, probe, probe.name, watched)
    for folio in star.model.folios:
        watched.note(f"folio {folio.name}", folio.name)
        for tile in folio.tiles:
            if isinstance(tile.probe, str):
                watched.note(f"probe {tile.probe}", folio.name)
            elif tile.probe is not None:
                _look(star, tile.probe, folio.name, watched)
    return watched


def _look(star: Star, probe: ProbeSpec, watcher: str, watched: Attention) -> None:
    try:
        measures, filtered = bound_probe(star, probe)
    except Refused:
        return
    for table in filtered:
        watched.note(f"table {table}", watcher)
    for measure in measures:
        for node in nodes(measure):
            if isinstance(node, t.MeasureValue):
                watched.note(f"measure {node.name}", watcher)
        for scan in scans(measure):
            watched.note(f"table {scan.grain}", watcher)
            for chain in scan.lookups.values():
                for link in chain:
                    watched.note(f"link {link.name}", watcher)
            _ways(star.inflow(scan.grain, scan.state), filtered, watcher, watched)


def _ways(flow: Inflow, filtered: set[str], watcher: str, watched: Attention) -> bool:
    """Notes the tables and links on the ways of the filters that come to a flow; whether any does."""
    comes = flow.table in filtered
    for source in flow.sources:
        if _ways(source, filtered, watcher, watched):
            comes = True
            watched.note(f"link {source.link.name}" if source.link else "", watcher)
    if comes:
        watched.note(f"table {flow.table}", watcher)
    return comes
