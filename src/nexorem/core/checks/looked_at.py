"""The probes that people look at: those of the model, the tiles of its folios as they are shown, and what its checks ask."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from nexorem.core.model.model import Model
from nexorem.core.model.specs import FolioSpec, MemberPick, PickSpec, ProbeSpec, Tile


@dataclass(frozen=True, slots=True)
class Looked:
    """A probe that someone looks at. `about` is the probe, folio or check that it is of; `name` a saved probe's own, else empty."""

    about: str
    spec: ProbeSpec
    name: str = ""


def looked_at(model: Model) -> Iterator[Looked]:
    """All of them, those of the model first; a probe without measures shows nothing."""
    for probe in model.probes:
        if probe.measures:
            yield Looked(f"probe {probe.name}", probe, probe.name)
    for folio in model.folios:
        for tile in folio.tiles:
            shown = tile_probe(model, folio, tile)
            if shown is not None and shown.measures:
                yield Looked(f"folio {folio.name}", shown)
    for check in model.checks:
        if isinstance(check.probe, ProbeSpec) and check.probe.measures:
            yield Looked(f"check {check.name}", check.probe)


def tile_probe(model: Model, folio: FolioSpec, tile: Tile) -> ProbeSpec | None:
    """A tile's probe under the folio's picks that it takes: one on a column of its own takes the place of its own. None for a text, and for
    a probe that is gone."""
    probe = model.probe(tile.probe) if isinstance(tile.probe, str) else tile.probe
    if probe is None or tile.kind == "text":
        return None
    shared = [p for p in folio.picks if pick_key(p) not in tile.without and (not isinstance(p, MemberPick) or p.in_)]
    taken = {p.column for p in shared if isinstance(p, MemberPick)}
    own = [p for p in probe.picks if not isinstance(p, MemberPick) or p.column not in taken]
    more = (tile.against,) if tile.against and tile.against not in probe.measures else ()
    return replace(probe, picks=(*own, *shared), measures=(*probe.measures, *more))


def pick_key(pick: PickSpec) -> str:
    """What tells the picks of a page apart."""
    return pick.column if isinstance(pick, MemberPick) else pick.where
