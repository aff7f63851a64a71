"""Findings about checks: those that name what is gone, and those that cannot fail."""

from __future__ import annotations

from nexorem.core.checks.binding import cannot_fail
from nexorem.core.diagnostics import Refused
from nexorem.core.lint.finding import Finding
from nexorem.core.model.check_specs import CheckSpec
from nexorem.core.model.star import Star


def of_check(star: Star, check: CheckSpec) -> list[Finding]:
    """All findings of one check. It is not run: nothing is told of its numbers."""
    about = f"check {check.name}"
    try:
        why = cannot_fail(star, check)
    except Refused as refused:
        first = refused.diagnostics[0]
        return [Finding("broken_check", "warning", about, f"The check {check.name} cannot be computed: {first.message}", first.hint)]
    if not why:
        return []
    sentence = f"The check {check.name} cannot fail: {why}."
    return [Finding("idle_check", "warning", about, sentence, "Say what would be wrong, or remove it.")]
