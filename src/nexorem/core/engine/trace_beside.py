"""Traces read as wholes: at which step nothing was left, and where two of them part."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import zip_longest
from typing import Any

from nexorem.core.words import counted, verb

Node = Mapping[str, Any]
MOST = 40


def emptied(tree: Node) -> dict[str, Any] | None:
    """Why a node's value is empty: the `path` of the step at which nothing was left, and it in a sentence; None where it is not empty."""
    if tree["value"] is not None:
        return None
    below = [found for child in tree["children"] if child["value"] is None and (found := emptied(child))]
    if below:
        return below[0]
    return {"path": tree["path"], "sentence": _why(tree)}


def _why(node: Node) -> str:
    sums = node.get("arithmetic")
    if not sums:
        rows = node.get("iteration")
        if rows and rows["rows_total"] == 0:
            return f"{rows['over']} has no rows here, so there is nothing to run over."
        return f"{node['text']} is empty for these values: an operation with an empty side, or a division by zero."
    if sums["rows_visible"] == 0:
        nothing = next((f for f in node["flows"] if f["rows_before"] > 0 and f["rows_after"] == 0), None)
        if nothing:
            return f"Nothing is left of {nothing['to']} after the filter that comes over {nothing['link']} from {nothing['from']}."
        own = next((f for f in node["filters"] if f["rows_kept"] == 0), None)
        return f"No row of {own['table']} passes its own filters." if own else f"{sums['grain']} has no row that passes all its filters."
    if sums["rows_used"] == 0:
        rows, are = counted(sums["rows_visible"], "row"), verb(sums["rows_visible"], "is", "are")
        return f"{rows} of {sums['grain']} {are} visible, and its where leaves none of them."
    if sums["function"] in ("the", "single"):
        return f"{sums['distinct']:,} different values are visible: there is no single one. {sums['hint']}".strip()
    return f"All {sums['rows_used']:,} rows of {sums['grain']} that are used hold an empty there."


def parting(first: Mapping[str, Any], second: Mapping[str, Any]) -> list[dict[str, Any]]:
    """Where two traces part, in the order in which they are computed: for each difference what it is about, its path, and both sides in
    words. The values come last, as what follows from the rest."""
    found = list(_asked(first, second))
    found += _nodes(first["tree"], second["tree"])
    if first["value"] != second["value"]:
        found.append(_difference("value", "0", "the value", first["value"], second["value"]))
    return found[:MOST]


def _difference(kind: str, path: str, what: str, first: Any, second: Any) -> dict[str, Any]:
    return {"kind": kind, "path": path, "what": what, "first": _words(first), "second": _words(second)}


def _words(value: Any) -> str:
    if value is None:
        return "(empty)"
    if isinstance(value, Mapping):
        return str(value.get("message") or value.get("error") or dict(value))
    if isinstance(value, float):
        return f"{value:,.6g}"
    return f"{value:,}" if isinstance(value, int) and not isinstance(value, bool) else str(value)


def _asked(first: Mapping[str, Any], second: Mapping[str, Any]) -> Iterator[dict[str, Any]]:
    a, b = first["coordinates"], second["coordinates"]
    for column in dict.fromkeys([*a, *b]):
        if a.get(column, "all") != b.get(column, "all"):
            yield _difference("coordinate", "0", column, a.get(column, "all"), b.get(column, "all"))


def _nodes(a: Node, b: Node) -> list[dict[str, Any]]:
    """Differences of two nodes, then of those below them, pair by pair."""
    path = str(a["path"])
    if (a["kind"], a["text"]) != (b["kind"], b["text"]):
        if a["kind"] != b["kind"]:
            return [_difference("formula", path, "computed here", *(f"{x['kind']} {x.get('name') or x['text']}" for x in (a, b)))]
        found = [_difference("formula", path, "the formula", a["text"], b["text"])]
    else:
        found = []
    for one, other in zip_longest(a["edits"], b["edits"]):
        if one is None or other is None or one["text"] != other["text"]:
            found.append(_difference("edit", path, "the edit", one["text"] if one else "none", other["text"] if other else "none"))
    found += _filters(a, b, path)
    ours, theirs = ({f["link"]: f for f in x["flows"]} for x in (a, b))
    for link in dict.fromkeys([*ours, *theirs]):
        one, other = ours.get(link), theirs.get(link)
        if one is None or other is None:
            found.append(_difference("flow", path, f"filters over {link}", *("come" if x else "none comes" for x in (one, other))))
        elif one["rows_after"] != other["rows_after"]:
            sides = [f"{x['rows_after']:,} of {x['rows_before']:,} rows of {x['to']} left" for x in (one, other)]
            found.append(_difference("flow", path, f"after {link}", *sides))
    sums = a.get("arithmetic"), b.get("arithmetic")
    if sums[0] and sums[1] and sums[0]["rows_used"] != sums[1]["rows_used"]:
        found.append(_difference("rows", path, f"rows of {sums[0]['grain']} used", sums[0]["rows_used"], sums[1]["rows_used"]))
    for one, other in zip(a["children"], b["children"], strict=False):
        found += _nodes(one, other)
    if len(a["children"]) != len(b["children"]):
        counts = [f"{len(x['children'])} steps" for x in (a, b)]
        found.append(_difference("formula", path, "what is computed below", *counts))
    if path != "0" and a["value"] != b["value"]:
        found.append(_difference("value", path, f"{a.get('name') or a['text']} is", a["value"], b["value"]))
    return found


def _filters(a: Node, b: Node, path: str) -> list[dict[str, Any]]:
    """Columns on which one side allows something else than the other."""
    allowed = [{c["column"]: c for f in x["filters"] for c in f["columns"]} for x in (a, b)]
    found = []
    for column in dict.fromkeys([*allowed[0], *allowed[1]]):
        sides = [_allowed(x.get(column)) for x in allowed]
        if sides[0] != sides[1]:
            found.append(_difference("filter", path, f"filter on {column}", *sides))
    return found


def _allowed(found: Mapping[str, Any] | None) -> str:
    if found is None:
        return "any"
    values = [_words(v) for v in found["values"]] + (["(unmatched)"] if found["unmatched"] else [])
    if found["count"] > len(found["values"]):
        return f"{found['count']:,} of {found['total']:,}: {', '.join(values[:3])} …"
    return ", ".join(values) or "nothing"
