"""The typed tree as stable text."""

from __future__ import annotations

from typing import assert_never

from nexorem.core.language import typed as t

Over = t.Unknown | t.RowName | t.Let | t.LetValue | t.Aggregate | t.Iterated | t.Single | t.Asked | t.Rank
Child = tuple[str, "t.Typed | t.Rows | None"]


def print_tree(node: t.Typed, indent: int = 0) -> list[str]:
    """A line a node. A measure's body stands where the measure is first met."""
    lines: list[str] = []
    met: set[str] = set()

    def show(node: t.Typed | t.Rows, depth: int) -> None:
        label, children = _rows(node) if isinstance(node, t.RowsNode) else _shown(node, met)
        lines.append(f"{'  ' * depth}{label}" + ("" if isinstance(node, t.RowsNode) else f" : {node.dtype}"))
        for prefix, child in children:
            if prefix:
                lines.append(f"{'  ' * (depth + 1)}{prefix}")
            if child is not None:
                show(child, depth + 1 + bool(prefix))

    show(node, indent)
    return lines


def _shown(node: t.Typed, met: set[str]) -> tuple[str, list[Child]]:
    match node:
        case t.Const():
            return f"constant {node.value!r}", []
        case t.ColumnValue():
            return f"column {node.table}.{node.column}", []
        case t.Apply():
            return node.function.name, [("", a) for a in node.arguments]
        case t.Fold():
            return "chain " + " ".join(f.name for f in node.functions), [("", a) for a in node.arguments]
        case t.Cases():
            items: list[Child] = []
            for condition, result in node.branches:
                items += [("when", condition), ("then", result)]
            return "case", [*items, ("else", node.otherwise)]
        case t.Member():
            return "in", [("", node.operand), *(("item", i) for i in node.items)]
        case t.MeasureValue():
            key = f"{node.name} {id(node.body)}"
            if key in met:
                return f"measure {node.name}, as above", []
            met.add(key)
            return f"measure {node.name}", [("", node.body)]
        case t.InRow():
            return "in the row's context", [("", node.body)]
        case t.InContext():
            return "in the context before", [("", node.body)]
        case t.Edited():
            return "given", [*(x for e in node.edits for x in _edit(e)), ("", node.body)]
    return _aggregated(node)


def _aggregated(node: Over) -> tuple[str, list[Child]]:
    match node:
        case t.RowName():
            return f"column {node.place + 1} of the rows", []
        case t.Let():
            return "let", [*((d.name or "its value", d.node) for d in node.definitions), ("in", node.body)]
        case t.LetValue():
            return f"the {node.definition.name or 'value'} of let", []
        case t.Aggregate():
            over = ", ".join(f"{x} by {' › '.join(k.name for k in chain)}" for x, chain in sorted(node.lookups.items()) if chain)
            label = f"{node.function}{' distinct' if node.distinct else ''} over {node.grain}" + (f", looking up {over}" if over else "")
            return label, _given([("", node.argument), ("with", node.extra), ("where", node.where)])
        case t.Iterated():
            label = f"{node.function}{' distinct' if node.distinct else ''} for each row"
            return label, _given([("of", node.over), ("", node.argument), ("with", node.extra), ("where", node.where)])
        case t.Single():
            word = "single" if node.test else "the"
            return f"{word} {node.table}.{node.column}", _given([("else", node.default)])
        case t.Asked():
            what = f"{node.table}.{node.column}" if node.column else node.table
            return f"{'on axis' if node.axis else 'filtered'} {what}", []
        case t.Rank():
            order = "ascending" if node.ascending else "descending"
            return f"rank, {order}", [("own value", node.operand), ("among", node.among), ("by", node.by)]
        case t.Unknown():
            return "unknown", []
    assert_never(node)


def _given(children: list[Child]) -> list[Child]:
    return [c for c in children if c[1] is not None]


def _edit(edit: t.TypedEdit) -> list[Child]:
    label = f"edit {edit.text}"
    if isinstance(edit, t.Condition | t.Matched):
        return [(label, edit.predicate)]
    if isinstance(edit, t.Listing):
        return [(label, edit.rows)]
    return [(label, edit.by if isinstance(edit, t.Moved) else None)]


def _rows(node: t.Rows) -> tuple[str, list[Child]]:
    match node:
        case t.BaseRows():
            what = {"": "visible", "every": "every", "page": "the page's"}[node.quantifier]
            columns = ", ".join(f"{c.table}.{c.column}" for c in node.columns)
            return f"{what} rows of {node.grain}" if node.identity else f"{what} combinations of {columns}, from {node.grain}", []
        case t.KnownRows():
            return "known", [("", node.rows)]
        case t.WhereRows():
            return "where", [("", node.rows), ("", node.predicate)]
        case t.TopRows():
            return f"top, {'smallest' if node.ascending else 'largest'} first", [("", node.rows), ("count", node.count), ("by", node.by)]
        case t.JoinedRows():
            return node.op, [("", node.left), ("", node.right)]
        case t.WithRows():
            names = [c.name for c in node.columns[-len(node.values) :]]
            return "with", [("", node.rows), *((n, v) for n, v in zip(names, node.values, strict=True))]
        case t.ListedRows():
            return "values", [(f"row {i + 1}" if j == 0 else "", x) for i, line in enumerate(node.lines) for j, x in enumerate(line)]
    assert_never(node)
