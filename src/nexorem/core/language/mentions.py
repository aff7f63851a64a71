"""What a formula mentions, by its syntax alone: for what is not bound yet, or cannot be."""

from __future__ import annotations

from dataclasses import dataclass, field, fields, is_dataclass
from typing import Any

from nexorem.core.language import syntax as s


@dataclass(slots=True)
class Mentions:
    """Names as they are written, in their order. `names` are bare ones that no `let` and no `with` around them explains; `tables` those
    whose rows are run over or counted; `whole` those of which every column's values are asked for too."""

    names: dict[str, None] = field(default_factory=dict)
    columns: dict[tuple[str, str], None] = field(default_factory=dict)
    tables: dict[str, None] = field(default_factory=dict)
    whole: dict[str, None] = field(default_factory=dict)


def mentions(node: s.Node | s.Rows) -> Mentions:
    """What a formula, or the rows of a computed table, mentions. All columns of the tables of a computed table are its own."""
    found = Mentions()
    if isinstance(node, s.Rows):
        _rows(node, frozenset(), found, True)
    else:
        _any(node, frozenset(), found)
    return found


def _any(node: Any, known: frozenset[str], found: Mentions) -> None:
    """A piece of syntax, where the names of `known` mean something near."""
    match node:
        case s.BareName():
            if node.name.lower() not in known:
                found.names[node.name] = None
        case s.ColumnName():
            found.columns[node.table, node.column] = None
        case s.Let():
            for definition in node.definitions:
                _any(definition.value, known, found)
                known = known | {definition.name.lower()}
            _any(node.body, known, found)
        case s.Aggregate() | s.Rank():
            _over_rows(node, known, found)
        case s.SetIn():
            _any(node.columns, known, found)
            # Rows of the table itself are kept as rows; of any other, columns correspond by their places.
            own = isinstance(node.rows, s.TableRows) and node.rows.table.lower() == node.table.lower()
            _rows(node.rows, known, found, not own)
        case s.Rows():
            _rows(node, known, found, False)
        case _:
            _inside(node, known, found)


def _inside(node: Any, known: frozenset[str], found: Mentions) -> None:
    inside = node if isinstance(node, tuple) else [getattr(node, f.name) for f in fields(node)] if is_dataclass(node) else ()
    for part in inside:
        _any(part, known, found)


def _over_rows(node: s.Aggregate | s.Rank, known: frozenset[str], found: Mentions) -> None:
    rows = node.over if isinstance(node, s.Aggregate) else node.among
    inside = known
    if rows is not None:
        _rows(rows, known, found, False)
        inside = known | named_columns(rows)
    if isinstance(node, s.Rank):
        _any(node.operand, known, found)
    else:
        _any((node.argument, node.where), inside, found)
        _any(node.extra, known, found)


def _rows(node: s.Rows, known: frozenset[str], found: Mentions, values: bool) -> None:
    """A table expression; with `values` all columns of its rows are asked for."""
    match node:
        case s.TableRows():
            found.tables[node.table] = None
            if values or node.but:
                found.whole[node.table] = None
            _any(node.but, known, found)
        case s.JoinedRows():
            _rows(node.left, known, found, True)
            _rows(node.right, known, found, True)
        case s.KnownRows():
            _rows(node.rows, known, found, values)
        case s.WhereRows() | s.TopRows() | s.WithRows():
            _rows(node.rows, known, found, values)
            inside = known | named_columns(node.rows)
            if isinstance(node, s.WhereRows):
                _any(node.predicate, inside, found)
            elif isinstance(node, s.TopRows):
                _any(node.count, known, found)
                _any(node.by, inside, found)
            else:
                for definition in node.definitions:
                    _any(definition.value, inside, found)
                    inside = inside | {definition.name.lower()}
        case s.ColumnRows():
            _any(node.columns, known, found)
        case s.ListedRows():
            _any(node.lines, known, found)


def named_columns(rows: s.Rows) -> set[str]:
    """The names, in small letters, of the columns that rows have beside those of tables."""
    match rows:
        case s.WithRows():
            return named_columns(rows.rows) | {d.name.lower() for d in rows.definitions}
        case s.WhereRows() | s.TopRows() | s.KnownRows():
            return named_columns(rows.rows)
        case s.JoinedRows():
            return named_columns(rows.left)
        case s.ListedRows():
            return {f"column{i + 1}" for i in range(len(rows.lines[0]))}
    return set()
