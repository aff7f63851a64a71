"""What a mark of truth is, and the formula that would mend what it tells."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from nexorem.core.diagnostics import Refused
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.model.names import reference_text
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import below
from nexorem.core.results import Result
from nexorem.core.values import Array

MOST_CELLS = 20_000  # that a mark names one by one
CLOSE = 1e-9  # of the larger of two numbers that count as the same

MarkKind = Literal[
    "unreached",
    "partly",
    "overridden",
    "apart",
    "denominator",
    "whole",
    "dimension_side",
    "unmatched",
    "coarse",
    "lost",
    "uneven",
    "nested",
    "first",
    "fixed",
]
Columns = Sequence[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class MarkMend(Result):
    """The formula that a measure would have, under a label; `own` where it is one of the probe's own."""

    measure: str
    formula: str
    label: str
    own: bool


@dataclass(frozen=True, slots=True)
class Mark(Result):
    """What a person has to know of a measure's numbers: tables and columns that it is about (as probes write them), `cells` as (row line,
    column line) where it is about some of them alone, links, and formulas that would mend it; `why` is the cause of totals that are no
    sums. `measure` is empty of what is about no measure."""

    kind: MarkKind
    sentence: str
    tables: tuple[str, ...] = ()
    columns: tuple[str, ...] = ()
    cells: tuple[tuple[int, ...], ...] = ()
    mends: tuple[MarkMend, ...] = ()
    why: str = ""
    links: tuple[str, ...] = ()
    measure: str = ""


@dataclass(frozen=True, slots=True)
class Sums(Result):
    """What is known of a measure's totals: `sum` (its formula proves it), `found` (compared, and so), `apart` (compared, and not so), `not`
    (no sum by its kind, `why` tells which), or nothing where nothing was looked at; how many `totals` were compared."""

    status: Literal["", "sum", "found", "apart", "not"]
    why: str
    sentence: str
    totals: int


def make_mark(
    kind: MarkKind,
    sentence: str,
    tables: Sequence[str] = (),
    columns: Columns = (),
    *,
    cells: Array | None = None,
    mends: Iterable[MarkMend] = (),
    why: str = "",
    links: Sequence[str] = (),
) -> Mark:
    """A mark, its columns as probes write them; `cells` int64[n, 2]."""
    named = tuple(reference_text(table, column) for table, column in columns)
    places = () if cells is None else tuple(map(tuple, cells[:MOST_CELLS].tolist()))
    return Mark(kind, sentence, tuple(tables), named, places, tuple(mends), why, tuple(links))


def mend_of(star: Star, define: Mapping[str, str], measure: t.MeasureValue, at: t.Typed, text: str, label: str) -> MarkMend | None:
    """The formula of a measure, or of the probe's own, with other text in a node's place."""
    owner = owner_of_node(measure, at)
    if owner is None:
        return None
    own = star.model.measure(owner.name) is None and owner.name in define
    if not own and star.model.measure(owner.name) is None:
        return None
    formula = text if at is owner.body else owner.formula[: at.span.start] + text + owner.formula[at.span.end :]
    return MarkMend(owner.name, formula, label, own)


def mended_measure(star: Star, define: Mapping[str, str], mend: MarkMend, measure: t.MeasureValue) -> t.MeasureValue | None:
    """The measure as it would be with a mend; nothing where that cannot be computed, as a way that a filter could be carried may double
    another's. Only what is so no more with the mend is offered: an edit may be undone by one inside the formula."""
    try:
        return Binder(star, {**define, mend.measure: mend.formula}).measure(measure.name)
    except Refused:
        return None


def owner_of_node(measure: t.MeasureValue, at: t.Typed) -> t.MeasureValue | None:
    """The measure in whose own formula a node stands."""
    queue: list[tuple[t.MeasureValue, t.Typed]] = [(measure, measure.body)]
    met: set[int] = set()
    while queue:
        owner, node = queue.pop()
        if node is at:
            return owner
        if id(node) in met:
            continue
        met.add(id(node))
        queue += [(node if isinstance(node, t.MeasureValue) else owner, x) for x in below(node)]
    return None
