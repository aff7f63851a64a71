"""What a finding is."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Finding:
    """One finding. `about` is what it is about: `link …`, `table …` or `measure …`; `weight` is warning or note; `key` tells
    findings of one code about one thing apart."""

    code: str
    weight: str
    about: str
    sentence: str
    mend: str
    key: str = ""


TIDY = ("unused_columns", "names_by_case", "disconnected", "no_measure", "unused_link", "really_many_to_one", "empty_folder")
GROUPS = ("seen", "unseen", "note", "tidy")  # by what they could do to a number, the worst first
