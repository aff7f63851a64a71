"""What a formula mentions, by its syntax alone: for what is not bound yet, or cannot be."""

from __future__ import annotations

from dataclasses import dataclass, field, fields, is_dataclass
from typing import Any, assert_never, cast

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
    all_mentions = Mentions()
    if isinstance(node, s.Rows):
        _rows(node, frozenset(), all_mentions, True)
    else:
        _any(node, frozenset(), all_mentions)
    return all_mentions


def _any(node: Any, local: frozenset[str], into: Mentions) -> None:
    """A piece of syntax, where the names of `local` mean something near."""
    match node:
        case s.BareName():
            if node.name.lower() not in local:
                into.names[node.name] = None
        case s.ColumnName():
            into.columns[node.table, node.column] = None
        case s.Let():
            for definition in node.definitions:
                _any(definition.value, local, into)
                local = local | {definition.name.lower()}
            _any(node.body, local, into)
        case s.Aggregate() | s.Rank():
            _over_rows(node, local, into)
        case s.SetIn():
            _any(node.columns, local, into)
            # Rows of the table itself are kept as rows; of any other, columns correspond by their places.
            own = isinstance(node.rows, s.TableRows) and node.rows.table.lower() == node.table.lower()
            _rows(node.rows, local, into, not own)
        case s.RowsNode():
            _rows(cast(s.Rows, node), local, into, False)
        case _:
            _inside(node, local, into)


def _inside(node: Any, local: frozenset[str], into: Mentions) -> None:
    inside = node if isinstance(node, tuple) else [getattr(node, f.name) for f in fields(node)] if is_dataclass(node) else ()
    for part in inside:
        _any(part, local, into)


def _over_rows(node: s.Aggregate | s.Rank, local: frozenset[str], into: Mentions) -> None:
    rows = node.over if isinstance(node, s.Aggregate) else node.among
    inside = local
    if rows is not None:
        _rows(rows, local, into, False)
        inside = local | named_columns(rows)
    if isinstance(node, s.Rank):
        _any(node.operand, local, into)
    else:
        _any((node.argument, node.where), inside, into)
        _any(node.extra, local, into)


def _rows(node: s.Rows, local: frozenset[str], into: Mentions, values: bool) -> None:
    """A table expression; with `values` all columns of its rows are asked for."""
    match node:
        case s.TableRows():
            into.tables[node.table] = None
            if values or node.but:
                into.whole[node.table] = None
            _any(node.but, local, into)
        case s.JoinedRows():
            _rows(node.left, local, into, True)
            _rows(node.right, local, into, True)
        case s.KnownRows():
            _rows(node.rows, local, into, values)
        case s.WhereRows() | s.TopRows() | s.WithRows():
            _rows(node.rows, local, into, values)
            inside = local | named_columns(node.rows)
            if isinstance(node, s.WhereRows):
                _any(node.predicate, inside, into)
            elif isinstance(node, s.TopRows):
                _any(node.count, local, into)
                _any(node.by, inside, into)
            else:
                for definition in node.definitions:
                    _any(definition.value, inside, into)
                    inside = inside | {definition.name.lower()}
        case s.ColumnRows():
            _any(node.columns, local, into)
        case s.ListedRows():
            _any(node.lines, local, into)
        case s.BrokenRows():
            pass
        case _:
            assert_never(node)


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
        case s.TableRows() | s.ColumnRows() | s.BrokenRows():
            return set()
    assert_never(rows)
