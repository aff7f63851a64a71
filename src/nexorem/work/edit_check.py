"""What an edit has to be before it is kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from nexorem.core.language.binder import Binder
from nexorem.core.model.check import checked_star
from nexorem.core.model.model import Model
from nexorem.core.model.star import Star
from nexorem.store.models import Stored
from nexorem.work.actor import Actor, need_of
from nexorem.work.memory import Signatures

Made = tuple[Star, Signatures]


class EditCheck:
    """Refuses a model that does not hold together; `make` makes the star of one, `before` is the star as it stands, `more` has more to
    ask of it. The star that was made for that is the model's own once the edit is kept."""

    def __init__(self, make: Callable[[Model], Made], more: Callable[[Star], None] | None = None, before: Star | None = None) -> None:
        self.make, self.more, self.before = make, more, before
        self._made: tuple[Model, Made] | None = None

    def __call__(self, model: Model) -> None:
        """Refuses it."""
        made = self.make(model)
        checked_star(made[0], self.before)
        if self.more:
            self.more(made[0])
        self._made = model, made

    def made_for(self, stored: Stored) -> Made | None:
        """What was made for a model that was stored then; None where the store gives a part of it back in another form."""
        return self._made[1] if self._made and self._made[0] == stored.model else None


def asking(actor: Actor) -> Callable[[Model, Mapping[str, Any]], None]:
    """Refuses edits that somebody may not make, when they are taken back or made again."""
    return lambda model, change: actor.must(need_of(model, change))


def check_measure(star: Star, change: Mapping[str, Any]) -> None:
    """A measure's new formula has to make sense; an edit without a formula leaves it as it was."""
    if change["kind"] == "add_measure":
        Binder(star).measure(change["measure"]["name"])
    elif change["kind"] == "change_measure" and "formula" in change["set"]:
        Binder(star).measure(change["name"])
