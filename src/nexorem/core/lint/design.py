"""Findings about what an author says of tables, and about facts that probes set beside each other."""

from __future__ import annotations

from functools import partial

from nexorem.core.design.matrix import probe_gaps
from nexorem.core.design.roles import grain_test, hierarchy_faults
from nexorem.core.lint.finding import Finding
from nexorem.core.model.elsewhere import where_rows_are
from nexorem.core.model.model import Table
from nexorem.core.model.names import columns_text
from nexorem.core.model.star import Star
from nexorem.core.words import counted, listed, verb


def of_design(star: Star) -> list[Finding]:
    """Grains that rows do not keep, hierarchies with two parents, and dimensions that one of several facts lacks."""
    faults = [f for table in star.model.tables if table.grain_columns for f in where_rows_are(partial(_grain, star, table))]
    faults += [f for table in star.model.tables if table.key for f in where_rows_are(partial(_key, star, table))]
    for hierarchy in star.model.hierarchies:
        name = hierarchy.name
        for fault in where_rows_are(partial(hierarchy_faults, star, hierarchy)):
            examples = "; ".join(f"{x.member} under {', '.join(map(str, x.parents))}" for x in fault.examples[:2])
            sentence = f"In the hierarchy {name}: {fault.sentence}" + (f" {examples}." if examples else "")
            mend = (
                "Give these members names of their own, or take another level."
                if examples
                else "Choose levels that are linked, or of one table."
            )
            faults.append(Finding("two_parents" if examples else "broken_hierarchy", "warning", f"hierarchy {name}", sentence, mend))
    return faults + _gaps(star)


def _grain(star: Star, table: Table) -> list[Finding]:
    about = f"table {table.name}"
    lost = [c for c in table.grain_columns if c not in star.rows[table.name].columns]
    if lost:
        sentence = f"The grain of {table.name} names {lost[0]}, which it does not have."
        return [Finding("lost_grain", "warning", about, sentence, "Say again which columns tell its rows apart.")]
    tested = grain_test(star, table.name, table.grain_columns)
    if not tested.repeated:
        return []
    key = ", ".join(str(x) for x in tested.examples[0].key)
    columns = columns_text(table.name, table.grain_columns)
    sentence = f"{counted(tested.repeated, 'row')} of {table.name} share {columns} with another: {key}."
    return [Finding("grain_repeated", "warning", about, sentence, "The grain is finer than said, or rows stand twice.")]


def _key(star: Star, table: Table) -> list[Finding]:
    """A declared key that repeats, or is empty somewhere."""
    if any(c not in star.rows[table.name].columns for c in table.key):
        return []
    tested = grain_test(star, table.name, table.key)
    columns = columns_text(table.name, table.key)
    parts = [
        f"{counted(tested.repeated, 'row')} share it with another" if tested.repeated else "",
        f"{counted(tested.empty, 'row')} {verb(tested.empty, 'has', 'have')} none" if tested.empty else "",
    ]
    if not any(parts):
        return []
    sentence = f"{columns} is declared to be the key of {table.name}: {' and '.join(p for p in parts if p)}."
    return [Finding("key_repeated", "warning", f"table {table.name}", sentence, "Remove the repeats in a step, or declare another key.")]


def _gaps(star: Star) -> list[Finding]:
    """By fact, the dimensions that it lacks in a probe that shows it beside another fact."""
    lacking: dict[str, dict[str, list[str]]] = {}
    for (fact, dimension), probes in probe_gaps(star).items():
        lacking.setdefault(fact, {})[dimension] = probes
    faults = []
    for fact, dimensions in lacking.items():
        names = list(dimensions)
        probes = list(dict.fromkeys(p for of_dimension in dimensions.values() for p in of_dimension))
        faults.append(
            Finding(
                "gap",
                "note",
                f"table {fact}",
                f"{fact} does not know {listed(names, 'or')}.",
                f"{', '.join(probes)} {'set' if len(probes) > 1 else 'sets'} it beside another fact there; its number stays the same.",
            )
        )
    return faults
