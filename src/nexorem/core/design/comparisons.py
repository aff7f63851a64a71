"""What a measure can be held against: itself earlier, its share of the page, or another measure. What is offered can be computed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from nexorem.core.diagnostics import Refused
from nexorem.core.language.binder import Binder
from nexorem.core.model.names import quoted
from nexorem.core.model.star import Star
from nexorem.core.plan.dependence import reached_by
from nexorem.core.results import Result
from nexorem.core.values import NUMERIC

CHANGE = "+0.0%;-0.0%"
UNITS = ("year", "quarter", "month")


@dataclass(frozen=True, slots=True)
class AddedFormula(Result):
    """A formula of a probe's own; an empty one stands for the measure of this name."""

    name: str
    formula: str
    format: str


@dataclass(frozen=True, slots=True)
class Counterpart(Result):
    """Formulas that a probe shows beside a measure; the first is what it is held against. `key` tells the
    kinds apart: earlier, page, measure."""

    key: Literal["earlier", "page", "measure"]
    label: str
    detail: str
    adds: tuple[AddedFormula, ...]


def comparisons(star: Star, name: str) -> list[Counterpart]:
    """All that a saved measure can be compared with, those over time first; nothing for one that is not a number or does not bind."""
    measure = star.model.measure(name)
    if measure is None:
        return []
    try:
        bound = Binder(star).measure(name)
    except Refused:
        return []
    if bound.dtype not in NUMERIC:
        return []
    reach = set(reached_by(star, bound).tables)
    own, own_format = quoted(measure.name), measure.format
    offered = [*_earlier(star, measure.name, own_format, reach), _page(measure.name), *_others(star, measure.name, own, own_format)]
    return [c for c in offered if _binds(star, c)]


def _earlier(star: Star, name: str, format_: str, reach: set[str]) -> Iterator[Counterpart]:
    """By every calendar whose filters reach it; by another one it would be the same number."""
    calendars = [t.name for t in star.model.tables if t.calendar and t.name in reach]
    for calendar in calendars:
        by = f", by {calendar}" if len(calendars) > 1 else ""
        for unit in UNITS:
            before = f"{name}, a {unit} earlier{by}"
            change = f"({quoted(name)} - {quoted(before)}) / {quoted(before)}"
            yield Counterpart(
                "earlier",
                f"a {unit} earlier",
                calendar,
                (
                    AddedFormula(before, f"{quoted(name)} given (shift {quoted(calendar)} by -1 {unit})", format_),
                    AddedFormula(f"{name}, change in a {unit}{by}", change, CHANGE),
                ),
            )


def _page(name: str) -> Counterpart:
    share = f"{quoted(name)} / {quoted(name)} given (reset all)"
    return Counterpart("page", "the whole page", "as a share", (AddedFormula(f"{name}, share of the page", share, "0.0%"),))


def _others(star: Star, name: str, own: str, format_: str) -> Iterator[Counterpart]:
    for other in star.model.measures:
        if other.name != name:
            less = AddedFormula(f"{name} less {other.name}", f"{own} - {quoted(other.name)}", format_)
            yield Counterpart("measure", other.name, "difference", (AddedFormula(other.name, "", other.format), less))


def _binds(star: Star, offered: Counterpart) -> bool:
    """Whether all that it adds are numbers in this model."""
    binder = Binder(star, {added.name: added.formula for added in offered.adds if added.formula})
    try:
        return all(binder.measure(added.name).dtype in NUMERIC for added in offered.adds)
    except Refused:
        return False
