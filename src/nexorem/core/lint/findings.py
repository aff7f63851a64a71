"""Findings about a model, its data and its measures: what works, and yet deserves a look."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from nexorem.core.design.keys import loose_reason
from nexorem.core.design.roles import role
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.reach import edits_of, scans
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.lint.design import of_design
from nexorem.core.lint.finding import Finding
from nexorem.core.lint.measures import of_measure, of_names
from nexorem.core.lint.probes import of_folio, of_probe
from nexorem.core.lint.structure import of_structure
from nexorem.core.model.model import Link
from nexorem.core.model.star import Star

MOST_EXAMPLES = 5


def findings(star: Star) -> list[dict[str, Any]]:
    """All findings, warnings first."""
    bound, broken = _measures(star)
    found = [*broken]
    for link in star.model.links:
        found += _of_link(star, link)
    found += _unused_links(star, bound)
    found += _of_tables(star, bound)
    found += of_structure(star)
    found += of_design(star)
    found += of_names(star, bound)
    for measure in bound:
        found += of_measure(star, measure)
    for probe in star.model.probes:
        found += of_probe(star, probe)
    for folio in star.model.folios:
        found += of_folio(star, folio)
    return [asdict(f) for f in sorted(found, key=lambda f: f.weight != "warning")]


def _measures(star: Star) -> tuple[list[t.MeasureValue], list[Finding]]:
    binder = Binder(star)
    bound, broken = [], []
    for measure in star.model.measures:
        try:
            bound.append(binder.measure(measure.name))
        except Refused as refused:
            first = refused.diagnostics[0]
            broken.append(
                Finding(
                    "broken_measure",
                    "warning",
                    f"measure {measure.name}",
                    f"{measure.name} cannot be computed: {first.message}",
                    first.hint or "Mend its formula, or the links it needs.",
                )
            )
    return bound, broken


def _of_link(star: Star, link: Link) -> list[Finding]:
    facts = star.facts(link)
    found = []
    if facts.orphans:
        listed, nearly = orphan_examples(star, link)
        rows, verb = ("rows", "name") if facts.orphans > 1 else ("row", "names")
        what = f"{facts.orphans:,} {rows} of {link.from_table} {verb} a {link.to_table} that does not exist"
        more = f" {nearly:,} of them differ from a real key by spaces or case only." if nearly else ""
        found.append(
            Finding(
                "orphans",
                "warning",
                f"link {link.name}",
                f"{what}: {', '.join(listed)}.{more}",
                "They stand under (unmatched) in every grid. Mend the keys, or add what is missing.",
            )
        )
    if link.cardinality != "many-to-many" and link.name not in star.firm:
        found.append(
            Finding(
                "loose",
                "note",
                f"link {link.name}",
                f"The link {link.name} is loose: {loose_reason(star, link)}.",
                "Nothing is looked up over it, and it gives no (unmatched) member.",
            )
        )
    return found


def orphan_examples(star: Star, link: Link) -> tuple[list[str], int]:
    """The commonest keys that are not there, and how many rows differ from a real one by spaces or case only."""
    domain = star.domain(link.from_table, link.from_columns)
    matched = star.match(link.from_table, link.from_columns, link.to_table, link.to_columns)
    counts = np.bincount(domain.codes[:-1], minlength=domain.size)
    columns = [star.column(link.from_table, c) for c in link.from_columns]
    lost = [
        m
        for m in np.argsort(-counts, kind="stable")
        if m < domain.size - 1 and matched[m] < 0 and counts[m] and all(c.at(int(domain.firsts[m])) is not None for c in columns)
    ]
    texts = [", ".join(str(c.at(int(domain.firsts[m]))) for c in columns) for m in lost]
    theirs = star.domain(link.to_table, link.to_columns)
    keys = {_folded(", ".join(str(star.column(link.to_table, c).at(int(r))) for c in link.to_columns)) for r in theirs.firsts[:-1]}
    nearly = sum(int(counts[m]) for m, x in zip(lost, texts, strict=True) if _folded(x) in keys)
    return [repr(x) if x != x.strip() else x for x in texts[:MOST_EXAMPLES]], nearly


def _folded(text: str) -> str:
    return text.strip().casefold()


def _unused_links(star: Star, bound: list[t.MeasureValue]) -> list[Finding]:
    switched = {e.link.name for m in bound for e in edits_of(m) if isinstance(e, t.Switched)}
    return [
        Finding("unused_link", "note", f"link {k.name}", f"No measure switches on {k.name}, which is inactive.",
                f"Write given (via {star.model.link_text(k)}) where it is meant, or remove the link.")
        for k in star.model.links if not k.active and k.name not in switched
    ]  # fmt: skip


def _of_tables(star: Star, bound: list[t.MeasureValue]) -> list[Finding]:
    counted = {scan.grain for m in bound for scan in scans(m)}
    found = []
    for table in star.model.tables:
        kind = role(star, table)
        if kind == "fact" and table.name not in counted:
            found.append(
                Finding(
                    "no_measure",
                    "note",
                    f"table {table.name}",
                    f"No measure runs over the fact {table.name}.",
                    "Write one, or take the table out.",
                )
            )
        if kind == "disconnected":
            found.append(
                Finding(
                    "disconnected",
                    "note",
                    f"table {table.name}",
                    f"{table.name} is linked to nothing.",
                    "Link it, or leave it as a table of choices.",
                )
            )
        if star.size(table.name) == 0:
            found.append(Finding("empty_table", "warning", f"table {table.name}", f"{table.name} has no rows.", "Load it again."))
    return found
