"""Blame: since which edit a check fails, and which edits moved a number. States of the past are looked at in memory, and most edits are
known without a look to have moved nothing."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Protocol

from nexorem.core.diagnostics import Refused
from nexorem.core.model.edits import Edit
from nexorem.core.model.model import Model
from nexorem.core.model.star import Star
from nexorem.core.plan.basis import Basis

ONE_BY_ONE = 24  # states that are looked at one after the other before the history is searched by halves
SHOWN = frozenset({"description", "role", "hidden", "subject", "grain", "grain_columns", "format", "folder"})  # no number stands on these
NOTES = (
    "place_tables",
    "accept_finding",
    "reopen_finding",
    "put_renamed",
    "put_check",
    "remove_check",
    "put_hierarchy",
    "remove_hierarchy",
    "put_clearance",
    "remove_clearance",
    "put_folio",
    "remove_folio",
)


class Past(Protocol):
    """The states of a model: 0 before the first edit, `newest` as it stands."""

    newest: int

    def edit(self, number: int) -> Edit:
        """The edit that led to a state."""

    def star(self, number: int) -> Star:
        """A state; refuses one whose rows are no longer kept."""


@dataclass(frozen=True, slots=True)
class Question:
    """What is asked of states: `basis` is what its answer stands on, None where it has none; `probes`, in small letters, the saved probes
    that it names; `everything` that it may depend on any part of the model, as findings do."""

    basis: Callable[[Star], Basis | None]
    probes: frozenset[str] = frozenset()
    everything: bool = False


@dataclass(frozen=True, slots=True)
class Blame:
    """`number` is the edit since which it fails, None where it never held as far back as can be seen; `looked` how many states were looked
    at; `gone` tells that rows of before are no longer kept; `halved` that the history was searched by halves."""

    number: int | None
    looked: int
    gone: bool = False
    halved: bool = False


@dataclass(frozen=True, slots=True)
class Moved:
    """An edit that moved a value; `gone` stands for one before which nothing can be seen."""

    number: int
    before: object
    after: object
    gone: bool = False


def blame(past: Past, question: Question, holds: Callable[[Star], bool]) -> Blame:
    """Since which edit something that does not hold has not: the newest one before which it did. Far back the history is searched by
    halves, which finds an edit that broke it, the newest if there is but one."""
    looked, at = 0, past.newest
    for moved in moves(past, question, holds):
        looked += 1
        at = moved.number
        if moved.gone:
            return Blame(None, looked, gone=True)
        if moved.before:
            return Blame(at, looked)
        if looked >= ONE_BY_ONE:
            break
    else:
        return Blame(None, looked)
    return _halved(past, at - 1, holds, looked)


def _halved(past: Past, high: int, holds: Callable[[Star], bool], looked: int) -> Blame:
    """`high` is a state that does not hold: back by doubled steps to one that does, then by halves to where it ends."""
    step, low = 1, high
    while low > 0:
        low = max(0, high - step)
        looked += 1
        try:
            if holds(past.star(low)):
                break
        except Refused:
            return Blame(None, looked, gone=True, halved=True)
        high, step = low, step * 2
    else:
        return Blame(None, looked, halved=True)
    while high - low > 1:
        middle = (low + high) // 2
        looked += 1
        if holds(past.star(middle)):
            low = middle
        else:
            high = middle
    return Blame(high, looked, halved=True)


def moves(past: Past, question: Question, value: Callable[[Star], object]) -> Iterator[Moved]:
    """Every edit that could have moved a value, the newest first, with the value before it and after it: where they are equal, it did not.
    Ends at the first state that can no longer be made."""
    star = past.star(past.newest)
    after, basis = value(star), question.basis(star)
    for number in range(past.newest, 0, -1):
        if not may_move(past.edit(number), basis, star.model, question):
            continue
        try:
            star = past.star(number - 1)
        except Refused:
            yield Moved(number, None, after, gone=True)
            return
        before, basis = value(star), question.basis(star)
        yield Moved(number, before, after)
        after = before


def may_move(edit: Edit, basis: Basis | None, model: Model, question: Question) -> bool:
    """Whether an edit could have altered what stands on a basis, which is that of the state after it."""
    kind = edit["kind"]
    if kind == "together":
        return any(may_move(x, basis, model, question) for x in edit["edits"])
    if question.everything:
        return True
    if kind in NOTES:
        return False
    if kind in ("put_probe", "remove_probe"):
        return str(edit.get("name") or edit["probe"]["name"]).lower() in question.probes
    if basis is None:
        return True
    changed = set(edit.get("set") or ())
    if changed and changed <= SHOWN:
        return False
    if kind.endswith("measure"):
        names = {str(edit.get("name") or edit["measure"]["name"]), str((edit.get("set") or {}).get("name") or "")}
        return not {n.lower() for n in names}.isdisjoint(n.lower() for n in basis.measures)
    if kind == "change_link" and changed <= {"active", "flow", "description"}:
        link = model.link(edit["name"])
        return link is None or not link.tables.isdisjoint(basis.tables)
    return True
