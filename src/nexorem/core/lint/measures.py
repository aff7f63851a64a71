"""Findings about measures."""

from __future__ import annotations

from nexorem.core.language import typed as t
from nexorem.core.language.bind_edits import flowing_into
from nexorem.core.lint.finding import Finding
from nexorem.core.model.names import quoted
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import edits_of, nodes

COMPARISONS = ("=", "<>", "<", "<=", ">", ">=")


def of_measure(star: Star, measure: t.MeasureValue) -> list[Finding]:
    """A clearing that stops at a loose link, and counts compared with 0."""
    faults = []
    about = f"measure {measure.name}"
    for edit in edits_of(measure):
        if isinstance(edit, t.Cleared) and edit.target == "wide" and not edit.but:
            cleared = set(edit.columns)
            behind = {x for table in cleared for x in flowing_into(star.model.links, star.state, table)} - cleared
            if behind:
                names, wide = ", ".join(sorted(behind)), quoted(edit.table)
                faults.append(
                    Finding(
                        "clear_stops",
                        "warning",
                        about,
                        f"{measure.name} clears what {wide} looks up, and filters on {names} still reach it over a loose link "
                        "or from the many side.",
                        f"Write clear into {wide} where these are meant too.",
                    )
                )
    if any(_counts_against_zero(n) for n in nodes(measure)):
        faults.append(
            Finding(
                "count_compared",
                "note",
                about,
                f"{measure.name} compares a number of rows with 0: over no rows it is empty, not 0, and the comparison is not true.",
                "Write … IS NULL, or COALESCE(rows(…), 0).",
            )
        )
    return faults


def _counts_against_zero(node: t.Typed) -> bool:
    if not isinstance(node, t.Apply) or node.function.name not in COMPARISONS:
        return False
    sides = [a.body if isinstance(a, t.InRow | t.InContext) else a for a in node.arguments]
    zero = any(isinstance(a, t.Const) and a.value == 0 and a.dtype in ("integer", "number") for a in sides)
    return zero and any(isinstance(a, t.Aggregate | t.Iterated) and a.function in ("rows", "count") for a in sides)
