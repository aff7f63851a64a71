"""Findings about how tables are linked, and about calendars."""

from __future__ import annotations

from functools import partial

from nexorem.core.lint.finding import Finding
from nexorem.core.model.elsewhere import where_rows_are
from nexorem.core.model.model import Link, Table
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct_any
from nexorem.core.words import counted, verb


def of_structure(star: Star) -> list[Finding]:
    """Two-way links, many-to-many links, bridges and calendars."""
    faults: list[Finding] = []
    for link in star.model.links:
        faults += _two_way(star, link)
        faults += _many_to_many(star, link)
    for table in star.model.tables:
        faults += _bridge(star, table)
        if table.calendar:
            faults += where_rows_are(partial(_calendar, star, table))
    return faults


def _two_way(star: Star, link: Link) -> list[Finding]:
    if link.flow != "two-way" or not link.active:
        return []
    faults = []
    mates = [k for k in star.model.links if k is not link and k.active and k.flow == "two-way" and k.tables & link.tables]
    if mates and min(k.name for k in mates) > link.name:
        names = ", ".join(k.name for k in mates)
        faults.append(
            Finding(
                "two_way_chain",
                "warning",
                f"link {link.name}",
                f"Filters run both ways over {link.name} and on over {names}: a pick in one table empties others far away.",
                "Make the links one-way, and write given (flow … two-way) in the measures that need it.",
            )
        )
    facts = star.facts(link)
    if facts.orphans or facts.empty:
        count = facts.orphans + facts.empty
        sentence = (
            f"{counted(count, 'row')} of {link.from_table} {verb(count, 'has', 'have')} no partner over the two-way link {link.name}: a "
            f"filter that comes up to {link.to_table} leaves them out."
        )
        mend = "Mend the keys, or make the link one-way."
        faults.append(Finding("two_way_unmatched", "warning", f"link {link.name}", sentence, mend))
    return faults


def _many_to_many(star: Star, link: Link) -> list[Finding]:
    if link.cardinality != "many-to-many":
        return []
    facts = star.facts(link)
    sides = [(link.to_text, not facts.repeated and not facts.key_empty and star.size(link.to_table) > 0)]
    sides.append((link.from_text, not facts.from_repeated and star.size(link.from_table) > 0))
    unique = next((text for text, one in sides if one), None)
    if unique is None:
        return []
    return [
        Finding(
            "really_many_to_one",
            "note",
            f"link {link.name}",
            f"The many-to-many link {link.name} could be many-to-one: {unique} is unique.",
            "Declare it many-to-one with that end as `to`; then it can be looked up through.",
        )
    ]


def _bridge(star: Star, table: Table) -> list[Finding]:
    """A table of little more than keys between two others, over which no filter comes from the one to the other."""
    looks_up = [k for k in star.model.links if k.from_table == table.name and k.active and k.cardinality != "many-to-many"]
    keys = {c for k in looks_up for c in k.from_columns}
    others = {k.to_table for k in looks_up}
    if len(others) != 2 or len(table.columns) - len(keys) > 1 or any(k.to_table == table.name for k in star.model.links):
        return []
    if any(k.flow == "two-way" for k in looks_up):
        return []
    a, b = sorted(others)
    return [
        Finding(
            "bridge_one_way",
            "note",
            f"table {table.name}",
            f"{table.name} looks like a bridge between {a} and {b}, and no filter comes over it from the one to the other.",
            f"Make the link to one of them two-way, or write given (flow … two-way) where {a} is to filter {b}.",
        )
    ]


def _calendar(star: Star, table: Table) -> list[Finding]:
    assert table.calendar
    dates = star.column(table.name, table.calendar.date).rows()
    days = distinct_any(dates.data[dates.valid])
    faults = []
    if len(days) and int(days[-1] - days[0]) + 1 != len(days):
        gaps = int(days[-1] - days[0]) + 1 - len(days)
        sentence = f"The calendar {table.name} leaves out {counted(gaps, 'day')}."
        mend = "Make it again over all days; moves by day and month need every one."
        faults.append(Finding("calendar_gap", "warning", f"table {table.name}", sentence, mend))
    for link in star.model.links:
        if link.to_table != table.name or link.to_columns != (table.calendar.date,) or len(days) == 0:
            continue
        theirs = star.column(link.from_table, link.from_columns[0]).rows()
        outside = int(((theirs.data < days[0]) | (theirs.data > days[-1]))[theirs.valid].sum())
        if outside:
            rows = f"{counted(outside, 'row')} of {link.from_table} {verb(outside, 'has', 'have')} a {link.from_columns[0]}"
            sentence = f"{rows} before the first or after the last day of {table.name}."
            faults.append(Finding("calendar_short", "warning", f"table {table.name}", sentence, "Make the calendar longer.", link.name))
    return faults
