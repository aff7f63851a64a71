"""Traces read as wholes: at which step nothing was left, and where two of them part."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import zip_longest

from nexorem.core.engine.traced import Allowed, CellFailure, CellValue, Emptied, PartingStep, Trace, TraceNode
from nexorem.core.words import counted, verb

MOST = 40


def emptied(tree: TraceNode) -> Emptied | None:
    """Why a node's value is empty: the step at which nothing was left; None where it is not empty."""
    if tree.value is not None:
        return None
    below = [below_empty for child in tree.children if child.value is None and (below_empty := emptied(child))]
    return below[0] if below else Emptied(tree.path, _why(tree))


def _why(node: TraceNode) -> str:
    sums = node.arithmetic
    if sums is None:
        rows = node.iteration
        if rows and rows.rows_total == 0:
            return f"{rows.over} has no rows here, so there is nothing to run over."
        return f"{node.text} is empty for these values: an operation with an empty side, or a division by zero."
    if sums.rows_visible == 0:
        nothing = next((f for f in node.flows if f.rows_before > 0 and f.rows_after == 0), None)
        if nothing:
            return f"Nothing is left of {nothing.to} after the filter that comes over {nothing.link} from {nothing.from_}."
        own = next((f for f in node.filters if f.rows_kept == 0), None)
        return f"No row of {own.table} passes its own filters." if own else f"{sums.grain} has no row that passes all its filters."
    if sums.rows_used == 0:
        are = verb(sums.rows_visible, "is", "are")
        return f"{counted(sums.rows_visible, 'row')} of {sums.grain} {are} visible, and its where leaves none of them."
    if sums.function in ("the", "single"):
        return f"{sums.distinct:,} different values are visible: there is no single one. {sums.hint}".strip()
    if sums.rows_used == 1:
        return f"The only row of {sums.grain} that is used is empty there."
    return f"All {sums.rows_used:,} rows of {sums.grain} that are used are empty there."


def parting(first: Trace, second: Trace) -> list[PartingStep]:
    """Where two traces part, in the order in which they are computed. The values come last, as what follows from the rest."""
    steps = [*_coordinates(first, second), *_nodes(first.tree, second.tree)]
    if first.value != second.value:
        steps.append(PartingStep("value", "0", "the value", _words(first.value), _words(second.value)))
    return steps[:MOST]


def _words(value: CellValue) -> str:
    if value is None:
        return "(empty)"
    if isinstance(value, CellFailure):
        return value.message or value.error
    if isinstance(value, float):
        return f"{value:,.6g}"
    return f"{value:,}" if isinstance(value, int) and not isinstance(value, bool) else str(value)


def _coordinates(first: Trace, second: Trace) -> Iterator[PartingStep]:
    a, b = first.coordinates, second.coordinates
    for column in dict.fromkeys([*a, *b]):
        if a.get(column, "all") != b.get(column, "all"):
            yield PartingStep("coordinate", "0", column, _words(a.get(column, "all")), _words(b.get(column, "all")))


def _nodes(a: TraceNode, b: TraceNode) -> Iterator[PartingStep]:
    """Differences of two nodes, then of those below them, pair by pair."""
    path = a.path
    if a.kind != b.kind:
        yield PartingStep("formula", path, "computed here", *(f"{x.kind} {x.title}" for x in (a, b)))
        return
    if a.text != b.text:
        yield PartingStep("formula", path, "the formula", a.text, b.text)
    for one, other in zip_longest(a.edits, b.edits):
        if one is None or other is None or one.text != other.text:
            yield PartingStep("edit", path, "the edit", one.text if one else "none", other.text if other else "none")
    yield from _filters(a, b)
    yield from _flows(a, b)
    sums = a.arithmetic, b.arithmetic
    if sums[0] and sums[1] and sums[0].rows_used != sums[1].rows_used:
        yield PartingStep("rows", path, f"rows of {sums[0].grain} used", _words(sums[0].rows_used), _words(sums[1].rows_used))
    for mine, theirs in zip(a.children, b.children, strict=False):
        yield from _nodes(mine, theirs)
    if len(a.children) != len(b.children):
        yield PartingStep("formula", path, "what is computed below", *(f"{len(x.children)} steps" for x in (a, b)))
    if path != "0" and a.value != b.value:
        yield PartingStep("value", path, f"{a.title} is", _words(a.value), _words(b.value))


def _flows(a: TraceNode, b: TraceNode) -> Iterator[PartingStep]:
    """Links that filters crossed in one alone, or that left other rows."""
    ours, theirs = ({f.link: f for f in x.flows} for x in (a, b))
    for link in dict.fromkeys([*ours, *theirs]):
        one, other = ours.get(link), theirs.get(link)
        if one is None or other is None:
            yield PartingStep("flow", a.path, f"filters over {link}", *("come" if x else "none comes" for x in (one, other)))
        elif one.rows_after != other.rows_after:
            sides = (f"{x.rows_after:,} of {x.rows_before:,} rows of {x.to} left" for x in (one, other))
            yield PartingStep("flow", a.path, f"after {link}", *sides)


def _filters(a: TraceNode, b: TraceNode) -> Iterator[PartingStep]:
    """Columns on which one side allows something else than the other."""
    allowed = [{c.column: c for f in x.filters for c in f.columns} for x in (a, b)]
    for column in dict.fromkeys([*allowed[0], *allowed[1]]):
        first, second = (_allowed(x.get(column)) for x in allowed)
        if first != second:
            yield PartingStep("filter", a.path, f"filter on {column}", first, second)


def _allowed(allowed: Allowed | None) -> str:
    if allowed is None:
        return "any"
    values = [_words(v) for v in allowed.values] + (["(unmatched)"] if allowed.unmatched else [])
    if allowed.count > len(allowed.values):
        return f"{allowed.count:,} of {allowed.total:,}: {', '.join(values[:3])} …"
    return ", ".join(values) or "nothing"
