"""What reading one source may take, and how it tells where it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from nexorem.core.diagnostics import Refused, refuse

MOST_COLUMNS = 5_000
MOST_CELL = 1024**2  # bytes of one text
MOST_LINE = 16 * 1024**2  # bytes of one row
MOST_UNPACKED = 4 * 1024**3  # bytes of what a packed file holds
MOST_ROWS = 200_000_000
MOST_CELLS = 2_000_000_000
MOST_SHEET_CELLS = 60_000_000
Progress = Callable[[int, float], None]


def silent(_rows: int, _share: float) -> None:
    """Tells nobody."""


@dataclass(slots=True)
class Notes:
    """What a reader noticed and a person should know."""

    lines: list[str] = field(default_factory=list)
    broken: int = 0
    broken_rows: list[dict[str, object]] = field(default_factory=list)

    def add(self, line: str) -> None:
        """One sentence, once."""
        if line not in self.lines:
            self.lines.append(line)


def too_many_columns(count: int, place: str) -> Refused:
    """The error for a table that is far too wide."""
    return refuse(
        "too_many_columns",
        f"There are {count:,} columns; {MOST_COLUMNS:,} are the most.",
        "Turn columns into rows before, or choose a range.",
        place,
    )


def headings(texts: list[str], notes: Notes, place: str) -> list[str]:
    """Names for columns: empty ones get a number, repeated ones a number behind; both are told."""
    if len(texts) > MOST_COLUMNS:
        raise too_many_columns(len(texts), place)
    names: list[str] = []
    taken: set[str] = set()
    for place_of, raw in enumerate(texts, 1):
        base = " ".join(raw.replace("\0", " ").split())[:200]
        name = base or f"column {place_of}"
        number = 2
        while name.lower() in taken:
            name, number = f"{base or f'column {place_of}'} {number}", number + 1
        if not base:
            notes.add(f"Column {place_of} has no heading; it is called {name!r}.")
        elif name != base:
            notes.add(f"The heading {base!r} stands more than once; column {place_of} is called {name!r}.")
        taken.add(name.lower())
        names.append(name)
    return names
