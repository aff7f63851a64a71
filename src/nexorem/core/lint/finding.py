"""What a finding is."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from nexorem.core.results import Result

Group = Literal["seen", "unseen", "note", "tidy"]


@dataclass(frozen=True, slots=True)
class Finding(Result):
    """One finding. `about` is what it is about: `link …`, `table …` or `measure …`; `weight` is warning or note; `key` tells
    findings of one code about one thing apart."""

    code: str
    weight: Literal["warning", "note"]
    about: str
    sentence: str
    mend: str
    key: str = ""


@dataclass(frozen=True, slots=True)
class RankedFinding(Finding):
    """A finding with what it could do: `seen` may make a number wrong that `watchers`, probes and folios, show; `unseen` one that nobody
    looks at yet; `note`; `tidy`. `accepted` is the reason for which it may stand, or None."""

    group: Group = "note"
    watchers: tuple[str, ...] = ()
    accepted: str | None = field(kw_only=True)


TIDY = ("unused_columns", "names_by_case", "disconnected", "no_measure", "unused_link", "really_many_to_one", "empty_folder")
GROUPS: tuple[Group, ...] = ("seen", "unseen", "note", "tidy")  # by what they could do to a number, the worst first
