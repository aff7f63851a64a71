"""What of a model is proven: its probes, the tiles of its folios, and what its checks ask."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from nexorem.core.checks.binding import asked_of_check
from nexorem.core.checks.looked_at import looked_at
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.probe import Probe, read_probe
from nexorem.core.model.names import column_text
from nexorem.core.model.star import Star
from nexorem.core.words import listed


@dataclass(frozen=True, slots=True)
class Asked:
    """A probe that is proven. `about` is the probe, folio or check that it is of; `wrong` says why one cannot be asked."""

    about: str
    probe: Probe | None
    wrong: str = ""

    @property
    def words(self) -> str:
        """What it shows: its measures, and the columns that they stand by."""
        if self.probe is None:
            return ""
        columns = [column_text(*c) for c in (*self.probe.rows, *self.probe.columns)]
        return listed(self.probe.measures) + (f" by {listed(columns)}" if columns else "")


def asked(star: Star) -> Iterator[Asked]:
    """All of them, each once for what it is of. A check of rows, findings or loads asks no probe."""
    for looked in looked_at(star.model):
        if not looked.about.startswith("check "):
            try:
                yield Asked(looked.about, read_probe(star, looked.spec))
            except Refused as refused:
                yield Asked(looked.about, None, refused.diagnostics[0].message)
    for check in star.model.checks:
        try:
            probe = asked_of_check(star, check)
        except Refused as refused:
            yield Asked(f"check {check.name}", None, refused.diagnostics[0].message)
            continue
        if probe is not None:
            yield Asked(f"check {check.name}", probe)
