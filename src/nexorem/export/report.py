"""A release as one page of HTML that needs nothing else: no script, no font, no picture of elsewhere; made to be read and printed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from html import escape
from typing import Any

from nexorem.core.design.matrix import bus_matrix
from nexorem.core.diagnostics import Refused
from nexorem.core.language.binder import Binder
from nexorem.core.language.reading import Reader
from nexorem.core.lint.findings import findings
from nexorem.core.model.model import Measure
from nexorem.core.model.star import Star
from nexorem.core.words import counted, verb
from nexorem.export.matrix_svg import matrix_svg
from nexorem.export.star_svg import star_svg

STATES = {"holds": "✓ holds", "fails": "✗ fails", "cannot": "! cannot be computed", "not run": "not run"}
STYLE = """
body { font: 15px/1.5 system-ui, sans-serif; color: #23231f; background: #fff; max-width: 62rem; margin: 2.5rem auto; padding: 0 1.5rem; }
h1 { font-size: 1.9rem; margin: 0; } h2 { font-size: 1.25rem; margin: 2.4rem 0 .6rem; border-bottom: 1px solid #c9c6bb; }
h3 { font-size: 1rem; margin: 1.2rem 0 .2rem; } p { margin: .3rem 0; } .quiet { color: #5d5b52; }
table { border-collapse: collapse; width: 100%; font-size: .92rem; } th, td { text-align: left; vertical-align: top; padding: .25rem; }
th { border-bottom: 1px solid #8d8a7e; font-weight: 600; } td { border-bottom: 1px solid #e6e3d9; } td.number { text-align: right; }
pre { background: #f5f3ec; padding: .5rem .7rem; white-space: pre-wrap; font: .85rem/1.4 ui-monospace, monospace; margin: .3rem 0; }
.fails, .cannot { color: #8c2f14; font-weight: 600; } svg { max-width: 100%; height: auto; } section { break-inside: auto; }
tr, pre, h2, h3 { break-inside: avoid; break-after: auto; } h2, h3 { break-after: avoid; }
@media print { body { margin: 0; max-width: none; } }
"""


def report(star: Star, release: Mapping[str, Any]) -> str:
    """The page of a release: `release` has its number, name, notes, author, time, reason, and as `evidence` what was proven."""
    evidence = release["evidence"]
    title = f"{star.model.title or star.model.name}: {release['name']}"
    parts = [
        f"<h1>{escape(title)}</h1>",
        f"<p class='quiet'>Release {release['number']}, by {escape(str(release['author']))}, {escape(str(release['made_at'])[:16])}.</p>",
        *_paragraphs(release["notes"]),
        *([f"<p><b>Made although a check fails:</b> {escape(release['reason'])}</p>"] if release.get("reason") else []),
        *_changes(evidence),
        *_checks(evidence),
        *_coverage(evidence),
        *_proofs(evidence),
        *_pictures(star),
        *_measures(star),
        *_accepted(star),
    ]
    page = f"<title>{escape(title)}</title><style>{STYLE}</style></head><body>{''.join(parts)}</body></html>\n"
    return f'<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">{page}'


def _paragraphs(text: str) -> list[str]:
    return [f"<p>{escape(x)}</p>" for x in str(text).splitlines() if x.strip()]


def _rows(head: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    """A table; its cells are HTML."""
    lines = "".join("<tr>" + "".join(f"<td>{x}</td>" for x in row) + "</tr>" for row in rows)
    return f"<table><thead><tr>{''.join(f'<th>{escape(x)}</th>' for x in head)}</tr></thead><tbody>{lines}</tbody></table>"


def _changes(evidence: Mapping[str, Any]) -> list[str]:
    changes, moved = evidence.get("changes") or [], evidence.get("moved") or []
    if not changes and not moved:
        return []
    parts = ["<h2>What changed since the release before</h2>"]
    for change in changes:
        parts.append(f"<p>{escape(change['words'])}</p>")
        if change["what"] == "measure" and change["before"] != change["after"]:
            parts += [f"<pre>{escape(word)} {escape(x)}</pre>" for word, x in (("−", change["before"]), ("+", change["after"])) if x]
    if moved:
        parts.append("<h3>Checked numbers that moved</h3>")
        rows = ([escape(m["about"]), f"{m['changed']:,} of {m['cells']:,}", escape(_widest(m))] for m in moved)
        parts.append(_rows(("of", "cells", "the widest"), rows))
    return parts


def _widest(moved: Mapping[str, Any]) -> str:
    return moved["widest"][0]["sentence"] if moved.get("widest") else str(moved.get("error", ""))


def _checks(evidence: Mapping[str, Any]) -> list[str]:
    checks = evidence["checks"]
    if not checks:
        return ["<h2>Checks</h2><p>The model has no checks.</p>"]
    held = sum(c["state"] == "holds" for c in checks)
    rows = []
    for check in checks:
        state = f"<span class='{check['state'].replace(' ', '-')}'>{STATES[check['state']]}</span>" + (
            ", silenced" if check["silenced"] else ""
        )
        folder = f"<span class='quiet'>{escape(check['folder'])} › </span>" if check["folder"] else ""
        guards = f"<br><span class='quiet'>guards {escape(' and '.join(check['guards']))}</span>" if check["guards"] else ""
        rows.append([f"{folder}{escape(check['name'])}{guards}", state, escape(check["sentence"])])
    return [f"<h2>Checks</h2><p>{held:,} of {counted(len(checks), 'check')} hold.</p>", _rows(("check", "", ""), rows)]


def _coverage(evidence: Mapping[str, Any]) -> list[str]:
    coverage = evidence.get("coverage")
    if coverage is None:
        return ["<h2>Coverage</h2><p>It was not computed for this state of the model.</p>"]
    said = (
        f"Of {coverage['of']:,} changes that move a number, the checks notice {coverage['noticed']:,}; {coverage['changes']:,} were tried."
    )
    return [f"<h2>Coverage</h2><p>{said}</p>"]


def _proofs(evidence: Mapping[str, Any]) -> list[str]:
    proofs = evidence.get("proofs") or []
    if not proofs:
        return []
    proven = sum(p["state"] == "proven" for p in proofs)
    cells = sum(p["cells"] for p in proofs)
    said = f"{proven:,} of {counted(len(proofs), 'grid')} {verb(proven, 'is', 'are')} the same in SQL, {counted(cells, 'cell')}."
    rows = ([escape(p["about"]), escape(p["sentence"]), escape(f"{p['by']}, {p['made_at'][:16]}")] for p in proofs)
    return [f"<h2>Proven in SQL</h2><p>{said}</p>", _rows(("of", "", "by"), rows)]


def _pictures(star: Star) -> list[str]:
    facts = bus_matrix(star).facts
    pictures = [f"<h3>The star of {escape(f)}</h3>{star_svg(star, f)}" for f in facts]
    return ["<h2>Who filters whom</h2>", matrix_svg(star), *pictures]


def _measures(star: Star) -> list[str]:
    reader = Reader(star.model)
    return ["<h2>Measures</h2>", *(x for m in star.model.measures for x in _measure(star, reader, m))]


def _measure(star: Star, reader: Reader, measure: Measure) -> list[str]:
    try:
        reading = reader.sentence(Binder(star).measure(measure.name))
    except Refused as refused:
        reading = f"It cannot be computed: {refused.diagnostics[0].message}"
    described = [f"<p>{escape(measure.description)}</p>"] if measure.description else []
    return [f"<h3>{escape(measure.name)}</h3>", *described, f"<pre>{escape(measure.formula)}</pre><p class='quiet'>{escape(reading)}</p>"]


def _accepted(star: Star) -> list[str]:
    accepted = [f for f in findings(star) if f.accepted is not None]
    if not accepted:
        return []
    rows = ([escape(f.about), escape(f.sentence), escape(f.accepted or "")] for f in accepted)
    return ["<h2>Findings that are accepted</h2>", _rows(("of", "what is so", "why it may stand"), rows)]
