"""What every model must satisfy before it is accepted: run on opening a package and after every edit.

What an author says of keys is held against the rows only when it is said: rows that come later, or with a package, may disprove it. The
link is loose then, and a finding tells it.
"""

from __future__ import annotations

from collections.abc import Sequence

from nexorem.core.diagnostics import Diagnostic, Refused
from nexorem.core.formats import pattern_fault
from nexorem.core.functions.registry import common_type
from nexorem.core.model.model import ROLES, Calendar, Column, Link, Model, Table
from nexorem.core.model.paths import doubled_paths, model_state
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct_any
from nexorem.core.values import iso
from nexorem.core.words import an

MOST_KEYS = 10


def check_names(model: Model) -> list[Diagnostic]:
    """Names that stand twice, whatever their case."""
    wrong = []
    lists = [
        ("table", [t.name for t in model.tables]),
        ("link", [k.name for k in model.links]),
        ("measure", [m.name for m in model.measures]),
        ("probe", [p.name for p in model.probes]),
        ("folio", [x.name for x in model.folios]),
    ]
    lists += [(f"column of {t.name}", [c.name for c in t.columns]) for t in model.tables]
    for what, names in lists:
        folded = [n.lower() for n in names]
        for name in dict.fromkeys(n for n in names if folded.count(n.lower()) > 1):
            wrong.append(
                Diagnostic("repeated_name", f"There are two {what}s named {name}.", place=name, hint="Names differ by more than case.")
            )
    return wrong


def check_link_types(model: Model, link: Link) -> list[Diagnostic]:
    """Both ends have as many columns, of comparable types."""
    if len(link.from_columns) != len(link.to_columns):
        return [Diagnostic("bad_link", f"{link.from_text} and {link.to_text} have different numbers of columns.", place=link.name)]
    wrong = []
    for a, b in zip(link.from_columns, link.to_columns, strict=True):
        kinds = [c.dtype for t, n in ((link.from_table, a), (link.to_table, b)) if (x := model.table(t)) and (c := x.column(n))]
        if common_type(kinds) is None:
            wrong.append(
                Diagnostic(
                    "bad_link",
                    f"{link.from_table}.{a} is {an(kinds[0])} and {link.to_table}.{b} {an(kinds[1])}: they are never equal.",
                    place=link.name,
                    hint="Bring one of them to the other's type.",
                )
            )
    return wrong


def check_keys(star: Star, link: Link) -> list[Diagnostic]:
    """The one side of a link has no key twice; in a one-to-one neither side has."""
    if link.cardinality == "many-to-many":
        return []
    facts = star.facts(link)
    sides = [(link.to_table, link.to_columns, facts.repeated)]
    if link.cardinality == "one-to-one":
        sides.append((link.from_table, link.from_columns, facts.from_repeated))
    wrong = []
    for table, columns, repeated in sides:
        if repeated:
            named = _repeats(star, table, columns, repeated[:MOST_KEYS])
            more = f" and {len(repeated) - MOST_KEYS} more" if len(repeated) > MOST_KEYS else ""
            text = link.to_text if table == link.to_table else link.from_text
            wrong.append(
                Diagnostic(
                    "repeated_key",
                    f"{text} is not unique: {'; '.join(named)}{more} stand{'' if len(repeated) > 1 else 's'} more than once.",
                    place=link.name,
                    hint="Make the link many-to-many, or remove the repeats.",
                )
            )
    return wrong


def _repeats(star: Star, table: str, columns: tuple[str, ...], rows: Sequence[int]) -> list[str]:
    """Some keys that repeat, as texts."""
    if table in star.stay and star.elsewhere is not None:
        return star.elsewhere.repeats(table, columns, len(rows))
    return [", ".join(str(iso(star.column(table, c).at(r))) for c in columns) for r in rows]


def _days(star: Star, table: str, date: str) -> tuple[int, int, int]:
    """Of a calendar: its rows with a day, how many different days these have, and how many days there are from the first to the last."""
    if table in star.stay and star.elsewhere is not None:
        return star.elsewhere.calendar(table, date)
    dates = star.column(table, date).rows()
    days = dates.data[dates.valid]
    distinct = distinct_any(days)
    return len(days), len(distinct), int(distinct[-1] - distinct[0] + 1) if len(distinct) else 0


def check_calendar(star: Star, table: Table, calendar: Calendar) -> list[Diagnostic]:
    """A calendar's dates are unique, never empty and without gaps."""
    column = table.column(calendar.date)
    if column is None or column.dtype != "date":
        return [Diagnostic("bad_calendar", f"The calendar {table.name} has no date column {calendar.date}.", place=table.name)]
    filled, distinct, span = _days(star, table.name, column.name)
    problems = []
    if filled < star.size(table.name):
        problems.append("has days that are empty")
    if distinct < filled:
        problems.append("has days that stand twice")
    if distinct != span:
        problems.append("leaves out days")
    return (
        [
            Diagnostic(
                "bad_calendar",
                f"{table.name}.{column.name} {' and '.join(problems)}.",
                place=table.name,
                hint="A calendar has every day once.",
            )
        ]
        if problems
        else []
    )


def check_paths(model: Model) -> list[Diagnostic]:
    """The one-path rule."""
    wrong = []
    for double in doubled_paths(model, model_state(model)):
        wrong.append(Diagnostic("double_path", double.sentence(), place=double.target, hint="Make one of these links inactive."))
    return wrong


def check_claims(before: Star, star: Star) -> list[Diagnostic]:
    """What an edit claims of keys and the rows disprove: of links that it makes or changes, and that did not claim the same, as little
    true, before."""
    wrong = []
    for link in star.model.links:
        earlier = before.model.link(link.name)
        if earlier != link and not (earlier and earlier.cardinality == link.cardinality and check_keys(before, earlier)):
            wrong += check_keys(star, link)
    return wrong


def check_model(star: Star, before: Star | None = None) -> list[Diagnostic]:
    """Everything that is wrong with a model and its rows; with the state `before` an edit, also what the edit claims."""
    model = star.model
    wrong = check_paths(model)
    wrong += check_claims(before, star) if before else []
    for table in model.tables:
        if table.calendar:
            wrong += check_calendar(star, table, table.calendar)
    return wrong


def checked_star(star: Star, before: Star | None = None) -> Star:
    """The star itself, or a refusal with all that is wrong with it; `before` is the state that an edit changed."""
    wrong = check_model(star, before)
    if wrong:
        raise Refused(wrong)
    return star


def check_shape(model: Model) -> list[Diagnostic]:
    """What can be said without the rows; to be clean before a `Star` is made."""
    wrong = check_names(model)
    for table in model.tables:
        if table.role not in ("", *ROLES):
            hint = f"It is one of {', '.join(ROLES)}, or nothing, and is found."
            wrong.append(Diagnostic("bad_role", f"{table.name} is called a {table.role}.", place=table.name, hint=hint))
        wrong += [x for c in table.columns for x in check_order(table, c)]
    for measure in model.measures:
        if fault := pattern_fault(measure.format):
            hint = "Write a pattern of UTS #35, as #,##0.00 or 0.0%."
            wrong.append(Diagnostic("bad_format", fault, place=measure.name, hint=hint))
    for link in model.links:
        wrong += check_link_ends(model, link) or check_link_types(model, link)
    return wrong


def check_order(table: Table, column: Column) -> list[Diagnostic]:
    """A column is ordered by another one of its table, and not in a ring."""
    place, met, at = f"{table.name}.{column.name}", {column.name}, column
    while at.order_by and not table.formula:
        by = table.column(at.order_by)
        if by is None:
            message = f"{place} is to be ordered by {at.order_by}, which {table.name} does not have."
            return [Diagnostic("unknown_column", message, place=place, hint="Name another of its columns, or none.")]
        if by.name in met:
            message = f"{place} would be ordered by itself."
            return [Diagnostic("ordered_in_a_ring", message, place=place, hint="Order one of the columns by what it holds.")]
        met.add(by.name)
        at = by
    return []


def check_link_ends(model: Model, link: Link) -> list[Diagnostic]:
    """Both ends are columns that are there."""
    wrong = []
    for name, columns in ((link.from_table, link.from_columns), (link.to_table, link.to_columns)):
        table = model.table(name)
        lost = [name] if table is None else [f"{name}.{c}" for c in columns if table.column(c) is None and not table.formula]
        wrong += [
            Diagnostic(
                "lost_key", f"The link {link.name} needs {x}, which is gone.", place=link.name, hint="Remove the link, or keep the column."
            )
            for x in lost
        ]
    return wrong
