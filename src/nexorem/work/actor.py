"""Who does something, and what they may."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from enum import Enum
from typing import Any

from nexorem.core.diagnostics import refuse
from nexorem.core.model.model import Model


class Need(Enum):
    """What a call needs of whoever makes it."""

    LOOK = "look at a model"
    TRY = "write trial measures, probes, folios and checks"
    EDIT = "change a model"
    BRING = "bring in rows, files and connections"
    KEEP = "open and remove models, release them, and say who may do what"


EVERYTHING = frozenset(Need)
ROLES: Mapping[str, frozenset[Need]] = {
    "reader": frozenset({Need.LOOK}),
    "author": frozenset({Need.LOOK, Need.TRY}),
    "modeler": EVERYTHING - {Need.KEEP},
    "owner": EVERYTHING,
}
CLEARED = ("reader", "author")  # the roles that rules of rows can be held for: who shapes tables sees what comes in


@dataclass(frozen=True, slots=True)
class Sight:
    """Which rows somebody sees: those that a clearance of the model leaves them, by what it knows of them."""

    clearance: str
    person: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Actor:
    """Who does something: the name that the history gives them, what they may do, and which rows they see, where that is not all."""

    name: str
    may: frozenset[Need] = EVERYTHING
    sight: Sight | None = None
    person: int | None = None  # the account, where there is one

    def must(self, need: Need) -> None:
        """Refuses what this one may not do. Use-cases that change something ask, and the server's door does for each address."""
        if need not in self.may:
            raise refuse("not_allowed", f"{self.name} may not {need.value}.", "Ask whoever looks after the model.")


SCHEDULE = Actor("schedule", frozenset({Need.LOOK, Need.BRING, Need.TRY, Need.EDIT}))
COMMAND_LINE = Actor("command line")

_SIGHT: ContextVar[Sight | None] = ContextVar("sight", default=None)


@contextmanager
def seeing(sight: Sight | None) -> Iterator[None]:
    """While it is entered, models are as somebody sees them (`Workspace.star`): whoever answers them cannot forget to ask."""
    token = _SIGHT.set(sight)
    try:
        yield
    finally:
        _SIGHT.reset(token)


def present_sight() -> Sight | None:
    """Which rows whoever is being answered sees; None where that is all."""
    return _SIGHT.get()


TRIED = ("probe", "folio", "check")  # that are about a model and change none of its numbers


def need_of(model: Model, change: Mapping[str, Any]) -> Need:
    """What an edit needs of whoever makes it: an author may write what stands beside a model, who may see what is its owner's to say."""
    kind = str(change.get("kind", ""))
    if kind == "together":
        needs = [need_of(model, x) for x in change.get("edits", ()) if isinstance(x, Mapping)]
        return next((n for n in (Need.KEEP, Need.EDIT, Need.TRY) if n in needs), Need.EDIT)
    verb, _, what = kind.partition("_")
    if what == "clearance":
        return Need.KEEP
    if what == "check" and _moves_guard(model, change):
        return Need.KEEP
    if what in TRIED and verb in ("put", "remove"):
        return Need.TRY
    if what == "measure":
        is_trial = _is_trial(model, str(change.get("name", "")))
        if verb == "add":
            is_trial = bool((change.get("measure") or {}).get("trial"))
        elif verb == "change":
            is_trial = is_trial and bool((change.get("set") or {}).get("trial", True))
        return Need.TRY if is_trial else Need.EDIT
    return Need.EDIT


def _moves_guard(model: Model, change: Mapping[str, Any]) -> bool:
    """Whether an edit has a check guard something else than before."""
    put = change.get("check") or {}
    name = change.get("was") or put.get("name") or change.get("name")
    before = next((c.guards for c in model.checks if c.name == name), ())
    return set(before) != set(put.get("guards") or ())


def _is_trial(model: Model, name: str) -> bool:
    measure = model.measure(name)
    return bool(measure and measure.trial)
