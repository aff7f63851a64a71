"""Findings about a model, its data and its measures: what works, and yet deserves a look."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from nexorem.core.checks.outside import OF_LINKS
from nexorem.core.diagnostics import Refused
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.lint.attention import Attention, attention
from nexorem.core.lint.checks import of_check
from nexorem.core.lint.clearances import of_clearance
from nexorem.core.lint.design import of_design
from nexorem.core.lint.finding import GROUPS, TIDY, Finding, Group, RankedFinding
from nexorem.core.lint.links import of_link, unused_links
from nexorem.core.lint.measures import of_measure
from nexorem.core.lint.names import of_damage, of_names, of_tables, used_names
from nexorem.core.lint.probes import of_folio, of_probe
from nexorem.core.lint.row_sums import of_row_sums
from nexorem.core.lint.structure import of_structure
from nexorem.core.model.star import Star

UNANSWERED = ("broken_measure", "broken_probe", "broken_tile")  # there is no number at all


def findings(star: Star) -> list[RankedFinding]:
    """All findings, those first that could do most to a number someone looks at."""
    binder = Binder(star)
    bound, broken = _measures(star, binder)
    used = used_names(star, binder)
    faults = [*of_damage(star), *broken]
    faults += [f for link in star.model.links for f in of_link(star, link)]
    faults += [*unused_links(star, bound), *of_tables(star, bound, used), *of_structure(star), *of_design(star), *of_names(star, used)]
    faults += [f for measure in bound for f in of_measure(star, measure)]
    faults += of_row_sums(star, binder, bound)
    faults += [f for probe in star.model.probes for f in of_probe(star, probe)]
    faults += [f for folio in star.model.folios for f in of_folio(star, folio)]
    faults += [f for check in star.model.checks for f in of_check(star, check)]
    faults += [f for clearance in star.model.clearances for f in of_clearance(star, clearance)]
    looked_at = attention(star)
    reasons = {x.finding: x.reason for x in star.model.accepted}
    ranked = [_ranked(f, looked_at, reasons.get((f.code, f.about, f.key))) for f in faults]
    # The order of the model stands behind: sorting is stable.
    return sorted(ranked, key=lambda f: (GROUPS.index(f.group), f.code not in UNANSWERED, -len(f.watchers)))


def findings_about(star: Star, codes: Collection[str], about: str | None) -> list[Finding]:
    """The findings of some codes about a thing (`link …`, `table …`), or about any, in no order. Of links alone no more is looked at than
    they."""
    if OF_LINKS.issuperset(codes):
        links = (k for k in star.model.links if about in (None, f"link {k.name}"))
        every: Iterable[Finding] = (f for link in links for f in of_link(star, link))
    else:
        every = findings(star)
    return [f for f in every if f.code in codes and about in (None, f.about)]


def _ranked(finding: Finding, looked_at: Attention, reason: str | None) -> RankedFinding:
    watchers = looked_at.of(finding.about)
    group: Group = "tidy" if finding.code in TIDY else "note" if finding.weight == "note" else "seen" if watchers else "unseen"
    f = finding
    return RankedFinding(f.code, f.weight, f.about, f.sentence, f.mend, f.key, group, tuple(watchers), accepted=reason)


def _measures(star: Star, binder: Binder) -> tuple[list[t.MeasureValue], list[Finding]]:
    bound, broken = [], []
    for measure in star.model.measures:
        try:
            bound.append(binder.measure(measure.name))
        except Refused as refused:
            first = refused.diagnostics[0]
            sentence = f"{measure.name} cannot be computed: {first.message}"
            mend = first.hint or "Mend its formula, or the links it needs."
            broken.append(Finding("broken_measure", "warning", f"measure {measure.name}", sentence, mend))
    return bound, broken
