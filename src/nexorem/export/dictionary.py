"""A model as a Markdown data dictionary: tables, columns, links, hierarchies, measures and probes, in the words of their authors."""

from __future__ import annotations

from nexorem.core.design.roles import hierarchy_faults, role
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.candidates import candidate_keys
from nexorem.core.language.binder import Binder
from nexorem.core.language.reading import Reader
from nexorem.core.model.model import Link, Measure, Table
from nexorem.core.model.star import Star
from nexorem.core.words import counted
from nexorem.gather.sources.kinds import source_words


def dictionary(star: Star) -> str:
    """The whole dictionary."""
    model = star.model
    lines = [
        f"# {_cell(model.title or model.name)}",
        "",
        f"{len(model.tables)} tables, {len(model.links)} links, {len(model.measures)} measures.",
        "",
    ]
    lines += ["## Tables", ""]
    for table in model.tables:
        lines += _table(star, table)
    lines += [
        "## Links",
        "",
        *_rows(["link", "from", "to", "cardinality", "flow", "state", "matched", "description"], [_link(star, k) for k in model.links]),
        "",
    ]
    if model.hierarchies:
        lines += ["## Hierarchies", ""]
        for h in model.hierarchies:
            faults = "; ".join(f.sentence for f in hierarchy_faults(star, h))
            lines.append(f"- **{_cell(h.name)}**: {' › '.join(map(_cell, h.levels))}" + (f" ({_cell(faults)})" if faults else ""))
        lines.append("")
    lines += ["## Measures", ""]
    for measure in model.measures:
        lines += _measure(star, measure)
    if model.probes:
        lines += ["## Probes", ""]
        lines += [f"- **{_cell(p.name)}**: {_cell(p.description) or ', '.join(map(_cell, p.measures))}" for p in model.probes]
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


def _cell(value: object) -> str:
    """Text that stays one cell or one line of Markdown."""
    text = " ".join(str(value if value is not None else "").split())
    for sign in "\\|*`[":
        text = text.replace(sign, "\\" + sign)
    return text.replace("<", "&lt;")


def _rows(head: list[str], rows: list[list[str]]) -> list[str]:
    listed = [head, ["---"] * len(head), *([_cell(x) for x in row] for row in rows)]
    return ["| " + " | ".join(row) + " |" for row in listed]


def _table(star: Star, table: Table) -> list[str]:
    facts = [role(star, table), f"{counted(star.size(table.name), 'row')}"]
    facts += [f"from {source_words(dict(table.origin))}"] if table.origin else [f"from {table.source}"] if table.source else []
    facts += [f"subject {table.subject}"] if table.subject else []
    facts += ["hidden"] if table.hidden else []
    lines = [f"### {_cell(table.name)}", "", f"{_cell(', '.join(facts))}.", ""]
    lines += [_cell(table.description), ""] if table.description else []
    grain = [table.grain, f"rows are told apart by {', '.join(table.grain_columns)}" if table.grain_columns else ""]
    lines += [f"Grain: {_cell('; '.join(x for x in grain if x))}.", ""] if any(grain) else []
    lines += ["Computed:", "", *_code(table.formula), ""] if table.formula else []
    keys = {key[0] for key in candidate_keys(star, table.name) if len(key) == 1}
    rows = []
    for c in table.columns:
        marks = [*(["key"] if c.name in table.key else ["unique"] if c.name in keys else []), *(["hidden"] if c.hidden else [])]
        rows.append([c.name, c.dtype, ", ".join(marks), c.description + (f" = {c.formula}" if c.formula else "")])
    return [*lines, *_rows(["column", "type", "", "description"], rows), ""]


def _code(text: str) -> list[str]:
    """A block of code, indented: nothing in it can end it."""
    return [f"    {line}" for line in text.splitlines()]


def _link(star: Star, link: Link) -> list[str]:
    facts = star.facts(link)
    state = ("active" if link.active else "inactive") + ("" if link.name in star.firm else ", loose")
    matched = f"{facts.matched:,} of {star.size(link.from_table):,}"
    return [link.name, link.from_text, link.to_text, link.cardinality, link.flow, state, matched, link.description]


def _measure(star: Star, measure: Measure) -> list[str]:
    facts = [
        x
        for x in (
            f"home {measure.home}" if measure.home else "",
            f"folder {measure.folder}" if measure.folder else "",
            f"format {measure.format}" if measure.format else "",
            "trial" if measure.trial else "",
        )
        if x
    ]
    try:
        reading = Reader(star.model).sentence(Binder(star).measure(measure.name))
    except Refused as refused:
        reading = f"Cannot be computed: {refused.diagnostics[0].message}"
    lines = [f"### {_cell(measure.name)}", ""]
    lines += [_cell(measure.description), ""] if measure.description else []
    lines += [*_code(measure.formula), "", _cell(reading), ""]
    return lines + ([f"{_cell(', '.join(facts))}.", ""] if facts else [])
