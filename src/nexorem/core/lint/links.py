"""Findings about single links: keys that are not there, links that are loose, links that nothing switches on."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nexorem.core.design.keys import loose_reason
from nexorem.core.language import typed as t
from nexorem.core.lint.finding import Finding
from nexorem.core.model.check import check_keys
from nexorem.core.model.model import Link
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import edits_of
from nexorem.core.values import Vector
from nexorem.core.words import counted, verb

MOST_EXAMPLES = 5


def of_link(star: Star, link: Link) -> list[Finding]:
    """Orphans, and why a link is loose."""
    facts = star.facts(link)
    faults, about, firm = [], f"link {link.name}", link.name in star.firm
    if facts.orphans:
        examples, nearly = orphan_examples(star, link)
        what = f"{counted(facts.orphans, 'row')} of {link.from_table} {verb(facts.orphans, 'names', 'name')} a key"
        more = f" {counted(nearly, 'of them differs', 'of them differ')} from a real key by spaces or case only." if nearly else ""
        sentence = f"{what} that {link.to_table} does not have: {', '.join(examples)}.{more}"
        faults.append(Finding("orphans", "warning", about, sentence, _where_they_stand(link, firm)))
    disproved = check_keys(star, link) if link.firm is not False else []
    for wrong in disproved:
        loose = f" So the link {link.name} is loose: nothing is looked up over it." if not firm else ""
        faults.append(Finding("repeated_key", "warning", about, f"{wrong.message}{loose}", wrong.hint))
    if link.cardinality != "many-to-many" and not firm and not disproved:
        sentence = f"The link {link.name} is loose: {loose_reason(star, link)}."
        faults.append(Finding("loose", "note", about, sentence, "Nothing is looked up over it, and it gives no (unmatched) member."))
    return faults


def _where_they_stand(link: Link, firm: bool) -> str:
    """Where the rows without a partner are in grids: on a line of their own over a firm link, in totals alone over a loose one."""
    mend = "Mend the keys, or add what is missing."
    if not firm:
        over = "over this loose link" if link.active else "where a measure switches this loose link on"
        return f"By {link.to_table} they stand on no line {over}, and in totals alone. {mend}"
    if not link.active:
        return f"They stand under (unmatched) where a measure switches this link on. {mend}"
    return f"By {link.to_table} they stand under (unmatched). {mend}"


def orphan_examples(star: Star, link: Link) -> tuple[list[str], int]:
    """The commonest keys that are not there, and how many rows differ from a real one by spaces or case only."""
    if star.elsewhere is not None and star.stay & link.tables:
        return star.elsewhere.orphans(link, MOST_EXAMPLES), 0
    domain = star.domain(link.from_table, link.from_columns)
    matched = star.match(link.from_table, link.from_columns, link.to_table, link.to_columns)
    counts = np.bincount(domain.codes[:-1], minlength=domain.size)
    firsts = domain.firsts[:-1]
    keys = [star.column(link.from_table, c).take(firsts) for c in link.from_columns]
    full = np.logical_and.reduce([k.valid for k in keys])
    lost = [m for m in np.argsort(-counts, kind="stable").tolist() if m < domain.size - 1 and matched[m] < 0 and counts[m] and full[m]]
    texts = _joined([k.take(np.array(lost, np.int64)) for k in keys])
    theirs = star.domain(link.to_table, link.to_columns).firsts[:-1]
    keys_there = {_folded(x) for x in _joined([star.column(link.to_table, c).take(theirs) for c in link.to_columns])}
    nearly = sum(int(counts[m]) for m, x in zip(lost, texts, strict=True) if _folded(x) in keys_there)
    return [repr(x) if x != " ".join(x.split()) else x for x in texts[:MOST_EXAMPLES]], nearly


def _joined(parts: Sequence[Vector]) -> list[str]:
    """Keys of several columns as texts."""
    return [" + ".join(map(str, values)) for values in zip(*(p.tolist() for p in parts), strict=True)]


def _folded(text: str) -> str:
    return text.strip().casefold()


def unused_links(star: Star, bound: Sequence[t.MeasureValue]) -> list[Finding]:
    """Inactive links that no measure switches on."""
    switched = {e.link.name for m in bound for e in edits_of(m) if isinstance(e, t.Switched)}
    return [
        Finding(
            "unused_link",
            "note",
            f"link {k.name}",
            f"No measure switches on {k.name}, which is inactive.",
            f"Write given (via {star.model.link_text(k)}) where it is meant, or remove the link.",
        )
        for k in star.model.links
        if not k.active and k.name not in switched
    ]
