"""What a finding is."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Finding:
    """One finding. `about` is what it is about: `link …`, `table …` or `measure …`; `weight` is warning or note."""

    code: str
    weight: str
    about: str
    sentence: str
    mend: str
