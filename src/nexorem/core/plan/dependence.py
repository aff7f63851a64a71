"""What a formula depends on: the columns it names, and the tables whose filters and rows can change its value."""

from __future__ import annotations

from dataclasses import dataclass

from nexorem.core.language import typed as t
from nexorem.core.model.model import Model
from nexorem.core.model.proven import Proven
from nexorem.core.plan.effects import effect_of
from nexorem.core.plan.flow import trails_of
from nexorem.core.plan.tree import edits_of, inner_nodes, nodes, row_trees, rows_in, scans, walk


@dataclass(frozen=True, slots=True)
class ScanReach:
    """A scan, and every table whose filters come to it with the links they come over, the first crossed first."""

    grain: str
    text: str
    tables: dict[str, tuple[str, ...]]


@dataclass(frozen=True, slots=True)
class Reached:
    """What reaches a formula. `tables`, ascending, are all on whose filters its value can depend: those that reach a scan, and those it
    asks or runs over itself; `overrides` the columns, as text, whose filters it does away with or replaces."""

    scans: tuple[ScanReach, ...]
    tables: tuple[str, ...]
    overrides: tuple[str, ...]


def reached_by(star: Proven, node: t.Typed) -> Reached:
    """Which tables' filters reach a formula, scan by scan and over what, and the columns it sets or clears itself."""
    reached = tuple(ScanReach(x.grain, x.text, dict(trails_of(star.inflow(x.grain, x.state)))) for x in scans(node))
    own = {f"{table}.{c}" for edit in edits_of(node) for table, c in overridden(star.model, edit)}
    tables = {x for scan in reached for x in scan.tables} | _asked(star, node)
    return Reached(reached, tuple(sorted(tables)), tuple(sorted(own)))


def overridden(model: Model, edit: t.TypedEdit) -> list[tuple[str, str]]:
    """The columns whose coordinates an edit does away with: it clears, replaces or restores their filters. What moves dates still follows
    them."""
    return [] if isinstance(edit, t.Moved) else effect_of(model, edit).removed


def _asked(star: Proven, node: t.Typed) -> set[str]:
    """The tables whose filters a formula looks at beside its scans: for the one value of a column, for whether a filter is there, and
    for the rows that it runs over, ranks among or sets. Rows of `every` see no filter."""
    tables, flows = set(), []
    for at in walk(node):
        if isinstance(at, t.Asked):
            tables.add(at.table)
        elif isinstance(at, t.Single):
            flows.append(star.inflow(at.table, at.state))
        elif isinstance(at, t.BaseRows) and at.quantifier != "every":
            flows.append(star.inflow(at.grain, at.state))
    return tables | {f.table for flow in flows for f in flow.walk()}


def named_columns(node: t.Typed) -> list[str]:
    """Every column that a formula names to compute with or to filter by, as text, ascending."""
    columns: set[tuple[str, str]] = set()
    for at in walk(node):
        match at:
            case t.ColumnValue() | t.Single():
                columns.add((at.table, at.column))
            case t.Asked() if at.column:
                columns.add((at.table, at.column))
            case t.RowsNode() if at.identity is None:
                columns |= {(c.table, c.column) for c in at.columns if c.table and c.column}
            case t.Condition() | t.Listing():
                columns |= {(at.table, c) for c in at.columns or ()}
    return sorted(f"{table}.{column}" for table, column in columns)


def made_from(rows: t.Rows) -> set[str]:
    """The tables whose rows a table expression is made of."""
    return {x for part in rows_in(rows) if isinstance(part, t.BaseRows) for x in (part.grain, *part.lookups)}


def asked_tables(rows: t.Rows, home: str | None) -> set[str]:
    """The tables into which filters flow, or whose rows are looked up, while rows are computed; `home` is the table of a computed
    column."""
    tables = made_from(rows) if home is None else set()
    trees = row_trees(rows)
    for node in (n for tree in trees for n in nodes(tree)):
        if isinstance(node, t.Aggregate):
            tables.add(node.grain)
        elif isinstance(node, t.Single):
            tables.add(node.table)
        tables |= {x for inside in rows_in(node) for x in made_from(inside)}
        if isinstance(node, t.Edited):
            tables |= {x for edit in node.edits for inside in rows_in(edit) for x in made_from(inside)}
    if home is not None and any(inner_nodes(tree) for tree in trees):
        tables.add(home)
    return tables
