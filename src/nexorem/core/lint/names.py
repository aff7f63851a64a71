"""Which names are used, and findings about names: those that differ by case only, columns and tables that nothing uses."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass

from nexorem.core.design.roles import role
from nexorem.core.diagnostics import Refused
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.language.uses import bind_text, columns_of, listed_in, texts_of
from nexorem.core.lint.finding import Finding
from nexorem.core.model.model import Table
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import scans
from nexorem.core.words import listed

MADE_TO_STAND_APART = ("bands", "list", "parameter")


@dataclass(frozen=True, slots=True)
class Used:
    """Names in small letters: columns as `table.column`, and tables."""

    columns: frozenset[str]
    tables: frozenset[str]


def used_names(star: Star, binder: Binder) -> Used:
    """Everything that formulas, conditions, axes, picks, orders and hierarchies name. `binder` has bound the model's measures already."""
    columns = {n.name.lower() for n in binder.named if n.kind == "column"}
    tables = {n.name.lower() for n in binder.named if n.kind == "table"}
    for text in (x for x in texts_of(star.model) if x.kind != "measure"):
        own = Binder(star, {str(text.key[-1]): text.formula} if text.key[-2:-1] == ("define",) else None)
        with suppress(Refused):  # what was named up to there counts
            bind_text(star, own, text)
        columns |= {n.name.lower() for n in own.named if n.kind == "column"}
        tables |= {n.name.lower() for n in own.named if n.kind == "table"}
    columns |= {_column_name(star, x) for x in _listed_columns(star)}
    return Used(frozenset(columns), frozenset(tables | {c.split(".")[0] for c in columns}))


def _column_name(star: Star, text: str) -> str:
    try:
        return ".".join(star.model.find_column(text)).lower()
    except Refused:
        return text.lower()


def _listed_columns(star: Star) -> Iterator[str]:
    """Columns that probes, folios, hierarchies and checks list."""
    for probe in star.model.probes:
        yield from _columns_of(probe)
    for folio in star.model.folios:
        for probe in (folio.shared(), *folio.own_probes()):
            yield from _columns_of(probe)
    for check in star.model.checks:
        yield from listed_in(star.model, check, "column")
    for hierarchy in star.model.hierarchies:
        yield from hierarchy.levels


def _columns_of(probe: ProbeSpec) -> Iterator[str]:
    yield from columns_of(probe)
    for order in probe.sort:
        yield from (order.by, *order.at)


def of_names(star: Star, used: Used) -> list[Finding]:
    """Names of one kind that differ by case only, and columns that nothing uses."""
    return [*_by_case(star), *(f for table in star.model.tables for f in _idle(star, table, used))]


def _by_case(star: Star) -> Iterator[Finding]:
    """A measure and a table, which a formula writes alike, and columns of different tables, which someone meant to be the same."""
    bare = [("table", x.name) for x in star.model.tables] + [("measure", m.name) for m in star.model.measures]
    columns = [("column", c.name) for x in star.model.tables for c in x.columns]
    for names in (bare, columns):
        spelled: dict[str, dict[str, str]] = {}
        for kind, name in names:
            spelled.setdefault(name.lower(), {}).setdefault(name, kind)
        for spellings in spelled.values():
            if len(spellings) > 1:
                first = next(iter(spellings))
                sentence = f"{listed([f'{kind} {name}' for name, kind in spellings.items()])} differ only by case."
                sentence = sentence[0].upper() + sentence[1:]
                yield Finding("names_by_case", "note", f"{spellings[first]} {first}", sentence, "Spell them alike, or apart.")


def _idle(star: Star, table: Table, used: Used) -> Iterator[Finding]:
    ends = [(k.from_table, k.from_columns) for k in star.model.links] + [(k.to_table, k.to_columns) for k in star.model.links]
    kept = {c.lower() for name, columns in ends if name == table.name for c in columns} | {c.lower() for c in table.key}
    kept |= {table.calendar.date.lower()} if table.calendar else set()
    idle = [
        c.name
        for c in table.columns
        if not c.hidden and f"{table.name}.{c.name}".lower() not in used.columns and c.name.lower() not in kept
    ]
    if idle and not table.hidden:
        sentence = f"No link, formula, hierarchy, probe, folio or check uses {listed(idle)} of {table.name}."
        them = "them" if len(idle) > 1 else "it"
        yield Finding("unused_columns", "note", f"table {table.name}", sentence, f"Hide {them}, or leave {them} for picks.")


def of_tables(star: Star, bound: list[t.MeasureValue], used: Used) -> list[Finding]:
    """Facts without measures, tables without links or rows."""
    counted_over = {scan.grain for m in bound for scan in scans(m)}
    faults = []
    for table in star.model.tables:
        about, kind = f"table {table.name}", role(star, table)
        if kind == "fact" and table.name not in counted_over:
            sentence = f"No measure runs over the fact {table.name}."
            faults.append(Finding("no_measure", "note", about, sentence, "Write one, or take the table out."))
        if kind == "disconnected" and star.model.links and not _meant_to_stand_apart(table, used):
            mend = "Link it, or take it out; a table of choices is used by a formula or a pick."
            faults.append(Finding("disconnected", "note", about, f"{table.name} is linked to nothing, and nothing uses it.", mend))
        if star.size(table.name) == 0:
            faults.append(Finding("empty_table", "warning", about, f"{table.name} has no rows.", "Load it again."))
    return faults


def _meant_to_stand_apart(table: Table, used: Used) -> bool:
    return table.origin.get("kind") in MADE_TO_STAND_APART or table.name.lower() in used.tables or table.hidden


def of_damage(star: Star) -> list[Finding]:
    """What an older version let through, and was put right when the model was opened."""
    faults = []
    for item in star.model.damage:
        about, part, was = item.about, item.part, item.was
        what = f"its part {part}" if part else "it"
        short = was if len(was) <= 80 else was[:80] + "…"
        sentence = f"Of the {about} {what} was stored as {short}, which it cannot be; it was left out, or taken as a text."
        mend = "Look whether it is as it should be, then accept this finding."
        faults.append(Finding("damaged", "warning", about, sentence, mend, part))
    return faults
