"""What a measure can be held against: itself earlier, its share of the page, or another measure. What is offered can be computed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from nexorem.core.diagnostics import Refused
from nexorem.core.language.binder import Binder
from nexorem.core.model.names import quoted
from nexorem.core.model.star import Star
from nexorem.core.plan.dependence import reached_by
from nexorem.core.values import NUMERIC

CHANGE = "+0.0%;-0.0%"
UNITS = ("year", "quarter", "month")


@dataclass(frozen=True, slots=True)
class Comparison:
    """Formulas, as (name, formula, format), that a probe shows beside a measure; the first is what it is held against. `key` tells the
    kinds apart: earlier, page, measure."""

    key: str
    label: str
    detail: str
    adds: tuple[tuple[str, str, str], ...]

    def as_json(self) -> dict[str, Any]:
        """As it travels."""
        adds = [{"name": name, "formula": formula, "format": format_} for name, formula, format_ in self.adds]
        return {"key": self.key, "label": self.label, "detail": self.detail, "adds": adds}


def comparisons(star: Star, name: str) -> list[Comparison]:
    """All that a saved measure can be compared with, those over time first; nothing for one that is no number or does not bind."""
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


def _earlier(star: Star, name: str, format_: str, reach: set[str]) -> Iterator[Comparison]:
    """By every calendar whose filters reach it; by another one it would be the same number."""
    calendars = [t.name for t in star.model.tables if t.calendar and t.name in reach]
    for calendar in calendars:
        by = f", by {calendar}" if len(calendars) > 1 else ""
        for unit in UNITS:
            before = f"{name}, a {unit} earlier{by}"
            change = f"({quoted(name)} - {quoted(before)}) / {quoted(before)}"
            yield Comparison(
                "earlier",
                f"a {unit} earlier",
                calendar,
                (
                    (before, f"{quoted(name)} given (shift {quoted(calendar)} by -1 {unit})", format_),
                    (f"{name}, change in a {unit}{by}", change, CHANGE),
                ),
            )


def _page(name: str) -> Comparison:
    share = f"{quoted(name)} / {quoted(name)} given (reset all)"
    return Comparison("page", "the whole page", "as a share", ((f"{name}, share of the page", share, "0.0%"),))


def _others(star: Star, name: str, own: str, format_: str) -> Iterator[Comparison]:
    for other in star.model.measures:
        if other.name != name:
            less = (f"{name} less {other.name}", f"{own} - {quoted(other.name)}", format_)
            yield Comparison("measure", other.name, "difference", ((other.name, "", other.format), less))


def _binds(star: Star, offered: Comparison) -> bool:
    """Whether all that it adds are numbers in this model."""
    binder = Binder(star, {name: formula for name, formula, _ in offered.adds if formula})
    try:
        return all(binder.measure(name).dtype in NUMERIC for name, _, _ in offered.adds)
    except Refused:
        return False
