"""Who does something, and what they may."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from nexorem.core.diagnostics import refuse


class Need(Enum):
    """What a call needs of whoever makes it."""

    LOOK = "look at a model"
    EDIT = "change a model"
    BRING = "bring in rows, files and connections"
    KEEP = "open and remove models"


EVERYTHING = frozenset(Need)


@dataclass(frozen=True, slots=True)
class Actor:
    """Who does something: the name that the history gives them, and what they may do."""

    name: str
    may: frozenset[Need] = EVERYTHING

    def must(self, need: Need) -> None:
        """Refuses what this one may not do. Use-cases that change something ask, and the server's door does for each address."""
        if need not in self.may:
            raise refuse("not_allowed", f"{self.name} may not {need.value}.", "Ask whoever looks after the model.")


SCHEDULE = Actor("schedule", frozenset({Need.LOOK, Need.BRING, Need.EDIT}))
COMMAND_LINE = Actor("command line")
