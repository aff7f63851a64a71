"""The one traversal of typed trees: what stands directly in a node, and in which context it is computed.

Every reader of a tree goes through `parts`, which knows each kind of node; a new one is a type error here and nowhere is it passed over.
"""

from __future__ import annotations

from collections.abc import Iterator
from enum import Enum
from typing import NamedTuple, assert_never

from nexorem.core.language import typed as t
from nexorem.core.model.model import Model


class Role(Enum):
    """How a part is computed for the node it stands in."""

    SAME = "in the same context, or for the same row"
    ROW = "for each row that the node runs over"
    CELL = "once in the context that the node stands in"
    ROWS = "a table expression, in that context"
    BODY = "a measure's formula, in that context"
    INNER = "in the context of the current row"
    OUTER = "in the context just before an edit"
    NAMED = "where its `let` stands"
    EDIT = "an edit of the context"
    AFTER = "in the context after the edits"


class Part(NamedTuple):
    """A node inside another."""

    role: Role
    node: t.Node


def parts(node: t.Node) -> tuple[Part, ...]:
    """What stands directly in a node, in the order of the formula; of an aggregate its argument, its condition, its further argument."""
    if isinstance(node, t.RowsNode):
        return _parts_of_rows(node)
    if isinstance(node, t.TypedNode):
        return _parts_of_value(node)
    return _parts_of_edit(node)


def _several(role: Role, *nodes: t.Node | None) -> tuple[Part, ...]:
    return tuple(Part(role, x) for x in nodes if x is not None)


def _parts_of_value(node: t.Typed) -> tuple[Part, ...]:
    match node:
        case t.Unknown() | t.Const() | t.ColumnValue() | t.RowName() | t.Asked():
            return ()
        case t.Apply() | t.Fold():
            return _several(Role.SAME, *node.arguments)
        case t.Cases():
            return _several(Role.SAME, *(x for branch in node.branches for x in branch), node.otherwise)
        case t.Member():
            return _several(Role.SAME, node.operand, *node.items)
        case t.Let():
            return _several(Role.SAME, *(d.node for d in node.definitions), node.body)
        case t.LetValue():
            return _several(Role.NAMED, node.definition.node)
        case t.MeasureValue():
            return _several(Role.BODY, node.body)
        case t.InRow():
            return _several(Role.INNER, node.body)
        case t.InContext():
            return _several(Role.OUTER, node.body)
        case t.Edited():
            return (*_several(Role.EDIT, *node.edits), Part(Role.AFTER, node.body))
        case t.Aggregate():
            return (*_several(Role.ROW, node.argument, node.where), *_several(Role.CELL, node.extra))
        case t.Iterated():
            return (Part(Role.ROWS, node.over), *_several(Role.ROW, node.where, node.argument), *_several(Role.CELL, node.extra))
        case t.Single():
            return _several(Role.CELL, node.default)
        case t.Rank():
            return Part(Role.CELL, node.operand), Part(Role.ROWS, node.among), Part(Role.ROW, node.by)
    assert_never(node)


def _parts_of_rows(node: t.Rows) -> tuple[Part, ...]:
    match node:
        case t.BaseRows():
            return ()
        case t.KnownRows():
            return _several(Role.ROWS, node.rows)
        case t.WhereRows():
            return Part(Role.ROWS, node.rows), Part(Role.ROW, node.predicate)
        case t.TopRows():
            return Part(Role.CELL, node.count), Part(Role.ROWS, node.rows), Part(Role.ROW, node.by)
        case t.JoinedRows():
            return _several(Role.ROWS, node.left, node.right)
        case t.ListedRows():
            return _several(Role.CELL, *(x for line in node.lines for x in line))
        case t.WithRows():
            return (Part(Role.ROWS, node.rows), *_several(Role.ROW, *node.values))
    assert_never(node)


def _parts_of_edit(edit: t.TypedEdit) -> tuple[Part, ...]:
    match edit:
        case t.Condition() | t.Matched():
            return _several(Role.ROW, edit.predicate)
        case t.Listing():
            return _several(Role.ROWS, edit.rows)
        case t.Moved():
            return _several(Role.CELL, edit.by)
        case t.Cleared() | t.Restored() | t.Switched() | t.Turned():
            return ()
    assert_never(edit)


def typed_parts(node: t.Node, *roles: Role) -> list[t.Typed]:
    """The values directly in a node that are computed in one of these ways."""
    return [x for role, x in parts(node) if role in roles and isinstance(x, t.TypedNode)]


def children(node: t.Typed) -> tuple[t.Typed, ...]:
    """The scalar nodes that a node is computed from, of its own shape, in the order in which their values are taken."""
    return tuple(typed_parts(node, Role.SAME))


def column_values(node: t.Typed | None) -> list[t.ColumnValue]:
    """The columns that a node is computed from in its own row, as often as they are named."""
    if node is None:
        return []
    return [node] if isinstance(node, t.ColumnValue) else [c for child in children(node) for c in column_values(child)]


def rows_in(node: t.Node) -> list[t.Rows]:
    """The table expressions in a node or an edit, or a table expression and those inside it; the innermost first."""
    rows: list[t.Rows] = []
    queue: list[t.Rows] = [node] if isinstance(node, t.RowsNode) else _rows_parts(node)[::-1]
    while queue:
        at = queue.pop()
        rows.append(at)
        queue += _rows_parts(at)
    return rows[::-1]


def _rows_parts(node: t.Node) -> list[t.Rows]:
    return [x for role, x in parts(node) if role is Role.ROWS and isinstance(x, t.RowsNode)]


def row_trees(node: t.Node) -> list[t.Typed]:
    """The row-shaped trees that a node, an edit or a table expression evaluates for rows of its own; those of its table expressions
    first."""
    inside = [tree for rows in rows_in(node) for tree in typed_parts(rows, Role.ROW)]
    return inside if isinstance(node, t.RowsNode) else [*inside, *typed_parts(node, Role.ROW)]


def row_scopes(model: Model, node: t.Node) -> list[tuple[t.Rows, t.Typed]]:
    """The row-shaped trees of a node that may compute something in the context of a row, each with the rows it is evaluated for; those of
    its table expressions first. A condition runs over members, not rows."""
    scopes: list[tuple[t.Rows, t.Typed]] = []
    for rows in rows_in(node):
        if isinstance(rows, t.WhereRows | t.TopRows | t.WithRows):
            scopes += [(rows.rows, tree) for tree in typed_parts(rows, Role.ROW)]
    match node:
        case t.Aggregate():
            own: t.Rows | None = table_rows(model, node)
        case t.Iterated():
            own = node.over
        case t.Rank():
            own = node.among
        case _:
            own = None
    return [*scopes, *((own, tree) for tree in typed_parts(node, Role.ROW))] if own else scopes


def table_rows(model: Model, node: t.Aggregate) -> t.BaseRows:
    """The visible rows of an aggregate's grain, as a table expression."""
    table = model.table(node.grain)
    assert table
    columns = tuple(t.RowColumn(c.name, c.dtype, table.name, c.name) for c in table.columns)
    return t.BaseRows(node.span, table.name, columns, table.name, False, "", table.name, {table.name: ()}, node.state)


def cell_trees(node: t.Node) -> list[t.Typed]:
    """The cell-shaped trees beside a node's rows, computed once in the context it stands in, those of its table expressions too. Of a
    condition they are what it looks up in the context before it."""
    if isinstance(node, t.RowsNode):
        return [tree for rows in rows_in(node) for tree in typed_parts(rows, Role.CELL)]
    trees: list[t.Typed] = []
    for role, part in parts(node):
        if role is Role.CELL and isinstance(part, t.TypedNode):
            trees.append(part)
        elif role is Role.ROWS:
            trees += cell_trees(part)
        elif role is Role.ROW and isinstance(node, t.Condition | t.Matched) and isinstance(part, t.TypedNode):
            trees += [n.body for n in inner_nodes(part) if isinstance(n, t.InContext)]
    return trees


def inner_nodes(node: t.Typed | None) -> list[t.InRow | t.InContext]:
    """The cell-shaped nodes used inside a row-shaped one, in order."""
    if node is None:
        return []
    if isinstance(node, t.InRow | t.InContext):
        return [node]
    return [inner for child in children(node) for inner in inner_nodes(child)]


def walk(node: t.Node) -> Iterator[t.Node]:
    """A node and everything inside it, edits, table expressions and the formulas of measures too, each once, in the formula's order."""
    met: set[int] = set()
    queue = [node]
    while queue:
        at = queue.pop()
        if id(at) not in met:
            met.add(id(at))
            yield at
            queue += [x for _, x in reversed(parts(at))]


def nodes(node: t.Node) -> list[t.Typed]:
    """A node and every value inside it, each once."""
    return [x for x in walk(node) if isinstance(x, t.TypedNode)]


def below(node: t.Node) -> list[t.Typed]:
    """The values nearest inside a node, through its edits and table expressions."""
    nodes: list[t.Typed] = []
    queue = [x for _, x in reversed(parts(node))]
    while queue:
        at = queue.pop()
        if isinstance(at, t.TypedNode):
            nodes.append(at)
        else:
            queue += [x for _, x in reversed(parts(at))]
    return nodes


def scans(node: t.Node) -> list[t.Aggregate]:
    """Every aggregate that a formula computes."""
    return [x for x in walk(node) if isinstance(x, t.Aggregate)]


def effective(node: t.Node) -> list[t.Edited]:
    """Every `given` of a formula that has an effect."""
    return [x for x in walk(node) if isinstance(x, t.Edited) and not is_idle(x)]


def edits_of(node: t.Node) -> list[t.TypedEdit]:
    """Every edit that a formula makes and that has an effect."""
    return [edit for x in effective(node) for edit in x.edits]


def is_idle(node: t.Edited) -> bool:
    """Whether edits change nothing: what they are around are names of a `let` and constants, computed before them."""
    return all(isinstance(leaf, t.LetValue | t.Const) for leaf in leaves(node.body))


def leaves(node: t.Typed) -> list[t.Typed]:
    """What a scalar is made of in the end: names of a `let` are taken as they are."""
    below = children(node)
    return [leaf for child in below for leaf in leaves(child)] if below else [node]
