"""Changing a model: an edit with all that follows from it, and back and forth in the history."""

from __future__ import annotations

from typing import Any

from nexorem.store import models
from nexorem.work.actor import Actor
from nexorem.work.measuring import completed_measures
from nexorem.work.renaming import completed_rename
from nexorem.work.shaping import completed, from_outside
from nexorem.work.workspace import Workspace


def edit(workspace: Workspace, actor: Actor, model_id: int, change: dict[str, Any], base: int) -> models.Stored:
    """Makes an edit that was made on version `base`, with what follows from it in columns, names and measures.

    A Conflict where something it touches has changed since; a Refused where the model would not hold together after it."""
    stored, star = workspace.star(model_id)
    change = completed_rename(workspace, model_id, star, from_outside(change))
    change = completed_measures(star, completed(workspace, stored.model, change, model_id=model_id))
    return workspace.edit(actor, model_id, change, base)
