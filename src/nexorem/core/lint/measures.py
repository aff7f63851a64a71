"""Findings about measures and names."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from nexorem.core.engine.reach import edits_of, named_columns, nodes
from nexorem.core.language import typed as t
from nexorem.core.language.bind_edits import flowing_into
from nexorem.core.lint.finding import Finding
from nexorem.core.model.star import Star

COMPARISONS = ("=", "<>", "<", "<=", ">", ">=")


def of_measure(star: Star, measure: t.MeasureValue) -> list[Finding]:
    """A clearing that stops at a loose link, and counts compared with 0."""
    found = []
    about = f"measure {measure.name}"
    for edit in edits_of(measure):
        if isinstance(edit, t.Cleared) and " wide " in f" {edit.text} ":
            cleared = set(edit.columns)
            behind = {x for table in cleared for x in flowing_into(star.model.links, star.state, table)} - cleared
            wide = edit.text.split()[edit.text.split().index("wide") + 1]
            if behind and "but" not in edit.text.split():
                names = ", ".join(sorted(behind))
                found.append(Finding("clear_stops", "warning", about,
                                     f"{measure.name} clears what {wide} looks up, and filters on {names} still reach it over a loose link "
                                     "or from the many side.", f"Write clear into {wide} where these are meant too."))  # fmt: skip
    if any(_counts_against_zero(n) for n in nodes(measure)):
        found.append(Finding("count_compared", "note", about,
                             f"{measure.name} compares a number of rows with 0: over no rows it is empty, not 0, and the comparison is not "
                             "true.", "Write … IS NULL, or COALESCE(rows(…), 0)."))  # fmt: skip
    return found


def _counts_against_zero(node: t.Typed) -> bool:
    if not isinstance(node, t.Apply) or node.function.name not in COMPARISONS:
        return False
    sides = [a.body if isinstance(a, t.InRow | t.InContext) else a for a in node.arguments]
    zero = any(isinstance(a, t.Const) and a.value == 0 and a.dtype in ("integer", "number") for a in sides)
    return zero and any(isinstance(a, t.Aggregate | t.Iterated) and a.function in ("rows", "count") for a in sides)


def of_names(star: Star, bound: Sequence[t.MeasureValue]) -> list[Finding]:
    """Names that differ by case only, and columns that nothing uses."""
    found = []
    spelled: dict[str, dict[str, str]] = {}
    for kind, name in _all_names(star):
        spelled.setdefault(name.lower(), {}).setdefault(name, kind)
    for names in spelled.values():
        if len(names) > 1:
            listed = " and ".join(f"{kind} {name}" for name, kind in names.items())
            found.append(Finding("names_by_case", "note", f"{next(iter(names.values()))} {next(iter(names))}",
                                 f"{listed} differ only by case.", "Spell them alike, or apart."))  # fmt: skip
    used = {c for m in bound for c in named_columns(m)} | set(_columns_of_probes(star))
    for table in star.model.tables:
        idle = [
            c.name for c in table.columns if not c.hidden and f"{table.name}.{c.name}" not in used and not _linked(star, table.name, c.name)
        ]
        idle = [c for c in idle if not (table.calendar and c == table.calendar.date) and c not in table.key]
        if idle:
            some = ", ".join(idle[:6]) + (f" and {len(idle) - 6} more" if len(idle) > 6 else "")
            found.append(Finding("unused_columns", "note", f"table {table.name}",
                                 f"No link, measure, hierarchy or probe uses {some} of {table.name}.",
                                 "Hide them, or leave them for picks."))  # fmt: skip
    return found


def _all_names(star: Star) -> Iterator[tuple[str, str]]:
    yield from (("table", x.name) for x in star.model.tables)
    yield from (("measure", m.name) for m in star.model.measures)
    yield from (("column", c.name) for x in star.model.tables for c in x.columns)


def _linked(star: Star, table: str, column: str) -> bool:
    ends = [(k.from_table, k.from_columns) for k in star.model.links] + [(k.to_table, k.to_columns) for k in star.model.links]
    return any(table == name and column in columns for name, columns in ends)


def _columns_of_probes(star: Star) -> Iterator[str]:
    for probe in star.model.probes:
        yield from _texts(probe.get("rows")) or ()
        yield from _texts(probe.get("columns")) or ()
        yield from (p["column"] for p in probe.get("picks") or () if isinstance(p, Mapping) and isinstance(p.get("column"), str))
    for hierarchy in star.model.hierarchies:
        yield from _texts(hierarchy.get("levels"))


def _texts(found: Any) -> list[str]:
    return [x for x in found if isinstance(x, str)] if isinstance(found, list | tuple) else []
