"""The cells of a probe as a check sees them: coordinates, whether they are totals, and what every measure is there."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TypeGuard

import numpy as np

from nexorem.core.checks.looked_at import tile_probe
from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.engine.grid import Grid, answered
from nexorem.core.engine.order import TOTAL, UNMATCHED, MemberJson
from nexorem.core.model.check_specs import TileOf
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.values import Cell


@dataclass(frozen=True, slots=True)
class CheckedCell:
    """One cell: `at` by `Table.column`, totals left out."""

    at: Mapping[str, MemberJson]
    total: bool
    values: Mapping[str, Cell]

    def words(self) -> str:
        """Where it is, for a sentence."""
        return place_text(self.at)


def probe_of_check(star: Star, probe: str | ProbeSpec | TileOf | None) -> ProbeSpec:
    """The probe that a check is about: by its name, as it is written, or as a folio's tile shows it."""
    if isinstance(probe, ProbeSpec):
        return probe
    if isinstance(probe, TileOf):
        return _tile(star, probe)
    named = star.model.probe(str(probe))
    if named is None:
        near = near_hint(str(probe), [p.name for p in star.model.probes])
        raise refuse("unknown_probe", f"The probe {probe} does not exist.", near, "probe")
    return named


def _tile(star: Star, of: TileOf) -> ProbeSpec:
    folio = next((x for x in star.model.folios if x.name.lower() == of.folio.lower()), None)
    if folio is None:
        raise refuse(
            "unknown_folio", f"The folio {of.folio} does not exist.", near_hint(of.folio, [x.name for x in star.model.folios]), "probe"
        )
    shown = tile_probe(star.model, folio, folio.tiles[of.tile - 1]) if of.tile <= len(folio.tiles) else None
    if shown is None:
        raise refuse("unknown_tile", f"The folio {folio.name} shows no probe in its tile {of.tile}.", "Name another of its tiles.", "probe")
    return shown


def cells_of(grid: Grid, measures: int) -> Iterator[CheckedCell]:
    """The cells in which one of the first so many measures has a value or an error."""
    names = grid.probe.measures
    shape = len(grid.rows.lines), len(grid.columns.lines)
    asked = np.logical_or.reduce([answered(v) for v in grid.values[:measures]]).reshape(shape)
    totals = [(axis.lines == TOTAL).any(axis=1) for axis in (grid.rows, grid.columns)]
    down, across = grid.rows.named(grid.star, UNMATCHED), grid.columns.named(grid.star, UNMATCHED)
    for r, c in np.argwhere(asked):
        values = {name: grid.value(i, int(r), int(c)) for i, name in enumerate(names)}
        yield CheckedCell({**down[r], **across[c]}, bool(totals[0][r] or totals[1][c]), values)


def value_text(value: object) -> str:
    """A value as sentences name it."""
    if value is None:
        return "empty"
    if isinstance(value, dict):
        return str(value.get("error", value))
    if is_number(value):
        return f"{value:,}" if isinstance(value, int) else f"{value:,.12g}"
    return str(value)


def is_number(value: object) -> TypeGuard[int | float]:
    """Whether a value is a number; true and false are none."""
    return isinstance(value, int | float) and not isinstance(value, bool)


def place_text(at: Mapping[str, MemberJson]) -> str:
    """Coordinates as sentences name them."""
    return ", ".join(map(member_text, at.values())) or "the whole"


def member_text(member: MemberJson) -> str:
    """A member as sentences name it."""
    return "(empty)" if member is None else "(unmatched)" if isinstance(member, dict) else str(member)
