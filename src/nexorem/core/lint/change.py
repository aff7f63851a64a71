"""The findings that an edit of a model brings, and those that it takes away."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nexorem.core.lint.finding import RankedFinding
from nexorem.core.results import Result


@dataclass(frozen=True, slots=True)
class FindingsChange(Result):
    """The findings that appear and those that go."""

    appear: tuple[RankedFinding, ...]
    go: tuple[RankedFinding, ...]


def findings_change(now: Sequence[RankedFinding], then: Sequence[RankedFinding]) -> FindingsChange:
    """Two lists of findings compared by what they are about and what they say; who watches and what is accepted does not count."""
    before, after = ({(f.code, f.about, f.sentence) for f in side} for side in (now, then))
    appear = (f for f in then if (f.code, f.about, f.sentence) not in before)
    return FindingsChange(tuple(appear), tuple(f for f in now if (f.code, f.about, f.sentence) not in after))
