"""Findings about rules of rows: those that cannot be held, and the facts that none of them comes to."""

from __future__ import annotations

from nexorem.core.design.roles import role
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.cleared import PERSON, bound_rules, for_person, reached_by
from nexorem.core.lint.finding import Finding
from nexorem.core.model.specs import Clearance
from nexorem.core.model.star import Star
from nexorem.core.words import listed

NOBODY = dict.fromkeys(PERSON, "")


def of_clearance(star: Star, clearance: Clearance) -> list[Finding]:
    """What is wrong with a clearance."""
    about = f"clearance {clearance.name}"
    try:
        conditions = bound_rules(star, [for_person(rule, NOBODY) for rule in clearance.rules])
    except Refused as refused:
        first = refused.diagnostics[0]
        sentence = f"{clearance.name} cannot be held, and who has it sees nothing: {first.message}"
        return [Finding("broken_clearance", "warning", about, sentence, first.hint or "Mend its rule.")]
    reached = reached_by(star, conditions)
    missed = [x.name for x in star.model.tables if x.name not in reached and role(star, x) in ("fact", "bridge")]
    if not missed:
        return []
    sentence = f"No rule of {clearance.name} comes to {listed(missed)}: who has it sees all rows there."
    mend = "Link the table to one that a rule stands on, or put a rule on it."
    return [Finding("missed_by_rules", "warning", about, sentence, mend)]
