"""Measures over chosen columns as SQL views, for those who go on in a database that has the tables."""

from __future__ import annotations

from collections.abc import Sequence

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.probe import Probe, probe_of
from nexorem.core.model.names import column_text
from nexorem.core.model.star import Star
from nexorem.core.words import listed
from nexorem.sql.dialects import Dialect
from nexorem.sql.own import own_places
from nexorem.sql.probe import Compiled, compiled
from nexorem.sql.tree import EMPTY, UNMATCHED, VALUE, text_of

KINDS = {VALUE: "value", EMPTY: "empty", UNMATCHED: "unmatched"}


def views(
    star: Star, axes: Sequence[str], measures: Sequence[str], dialect: Dialect, schema: str | None = None, totals: str = "none"
) -> str:
    """A view a measure: a line for each combination of the columns that has a value, in each column its value, and beside it what it is:
    `value`, `empty` or `unmatched`. Without names all measures that can be written so; of the others the reason stands as a
    comment. Refuses where a measure that is named cannot."""
    lines = [f"-- {star.model.title or star.model.name}: measures by {listed(list(axes)) if axes else 'nothing: one line each'}", ""]
    for name in measures or [m.name for m in star.model.measures]:
        probe = probe_of(star, {"rows": list(axes), "measures": [name]})
        try:
            made = compiled(star, probe, dialect, own_places(star, schema))
            lines += [_view(probe, made, dialect), ""]
        except Refused as refused:
            if measures:
                raise
            lines += [f"-- {_one_line(name)}: {refused.diagnostics[0].message}", ""]
    if len(lines) == 2:
        raise refuse("no_measure", "The model has no measure.", "Write one in Measure.")
    return "\n".join(lines).rstrip() + "\n"


def _view(probe: Probe, made: Compiled, dialect: Dialect) -> str:
    quote = dialect.shown.identifier_preparer.quote_identifier
    (measure,) = probe.measures
    columns = []
    for slot, (table, column) in zip(made.rows, probe.rows, strict=True):
        name = column_text(table, column)
        columns.append(f"CASE WHEN {slot.kind} = {VALUE} THEN {slot.name} END AS {quote(name)}")
        words = " ".join(f"WHEN {kind} THEN '{word}'" for kind, word in KINDS.items())
        columns.append(f"CASE {slot.kind} {words} END AS {quote(f'{name} is')}")
    columns.append(f"{made.names[0]} AS {quote(measure)}")
    body = text_of(made.statement, dialect).rstrip().replace("\n", "\n    ")
    listing = ",\n    ".join(columns)
    return f"CREATE VIEW {quote(view_name(measure))} AS\nSELECT\n    {listing}\nFROM (\n    {body}\n) AS grid;"


def view_name(measure: str) -> str:
    """The name of a measure's view, as long as databases keep it."""
    return measure.encode()[:63].decode(errors="ignore")


def _one_line(text: str) -> str:
    return " ".join(text.split())
