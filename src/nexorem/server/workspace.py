"""Models in memory: the newest version of each, with its rows and everything derived from them."""

from __future__ import annotations

import threading
import time
from pathlib import Path
from typing import Any

from sqlalchemy import Engine

from nexorem.core.engine.computed import edited_star, make_star
from nexorem.core.language.binder import Binder
from nexorem.core.limits import Budget, Limits
from nexorem.core.model.check import checked_star
from nexorem.core.model.model import Model
from nexorem.core.model.star import Star
from nexorem.package.read import open_package
from nexorem.store import models


class Workspace:
    """The store with a cache in front. Safe to share between threads."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._stars: dict[int, tuple[models.Stored, Star]] = {}
        self._lock = threading.Lock()

    def budget(self) -> Budget:
        """What one request may take."""
        return Budget(Limits(), time.monotonic)

    def star(self, model_id: int) -> tuple[models.Stored, Star]:
        """A model as it stands, with its rows."""
        version = models.version_of(self.engine, model_id)
        with self._lock:
            found = self._stars.get(model_id)
            if found and found[0].version == version:
                return found
            stored = models.load(self.engine, model_id)
            star = edited_star(found[1], stored.model) if found else make_star(stored.model, models.rows_of(self.engine, model_id))
            self._stars[model_id] = stored, star
            return stored, star

    def edit(self, model_id: int, change: dict[str, Any], author: str, base: int) -> models.Stored:
        """Makes an edit; refuses one after which the model would not hold together."""
        _, star = self.star(model_id)

        def check(model: Model) -> None:
            _check_measure(checked_star(edited_star(star, model)), change)

        return models.edit(self.engine, model_id, change, author, base, check)

    def step(self, model_id: int, direction: str, expected: int, author: str) -> models.Stored:
        """Undo or redo."""
        _, star = self.star(model_id)

        def check(model: Model) -> None:
            checked_star(edited_star(star, model))

        return models.step(self.engine, model_id, direction, expected, author, check)

    def names(self) -> list[str]:
        """The names of the models in the store."""
        return [m["name"] for m in models.listed(self.engine)]

    def open(self, path: Path, only_if_new: bool = False) -> int:
        """Stores the model of a package; nothing is stored when anything is wrong with it."""
        return models.create(self.engine, open_package(path), only_if_new)


def _check_measure(star: Star, change: dict[str, Any]) -> None:
    """A measure's new formula has to make sense; an edit without a formula leaves it as it was."""
    if change["kind"] == "add_measure":
        Binder(star).measure(change["measure"]["name"])
    elif change["kind"] == "change_measure" and "formula" in change["set"]:
        Binder(star).measure(change["name"])
