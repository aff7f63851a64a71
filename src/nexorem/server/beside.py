"""The same probe under two states of a model: lines matched by their members, differing cells marked."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

MOST_LINES = 2_000

Line = list[dict[str, Any]]
Values = list[list[list[Any]]]


def beside(now: dict[str, Any], then: dict[str, Any]) -> dict[str, Any]:
    """Two answers, as `describe.grid_answer` gives them, put together over the lines that either has. `differs` counts the cells with
    different values; of many lines those that differ come first into the bound, and `more` counts the lines left out."""
    rows = _merged(now["rows"]["lines"], then["rows"]["lines"])
    columns = _merged(now["columns"]["lines"], then["columns"]["lines"])
    spread = [_spread(answer, rows, columns) for answer in (now, then)]
    differing = [
        [[a != b for a, b in zip(x, y, strict=True)] for x, y in zip(mine, theirs, strict=True)]
        for mine, theirs in zip(*spread, strict=True)
    ]
    changed = [any(any(m[r]) for m in differing) for r in range(len(rows))]
    kept = sorted(sorted(range(len(rows)), key=lambda r: not changed[r])[:MOST_LINES])
    measures = [
        {"name": a["name"], "dtype": b["dtype"] if a["error"] else a["dtype"], "format": a["format"], "now_unreached": a["unreached"],
         "then_unreached": b["unreached"]}
        for a, b in zip(now["measures"], then["measures"], strict=True)
    ]  # fmt: skip
    return {
        "rows": {"columns": now["rows"]["columns"], "lines": [rows[r] for r in kept]},
        "columns": {"columns": now["columns"]["columns"], "lines": columns}, "measures": measures,
        "now": [[m[r] for r in kept] for m in spread[0]], "then": [[m[r] for r in kept] for m in spread[1]],
        "differs": sum(sum(row) for m in differing for row in m), "changed": [i for i, r in enumerate(kept) if changed[r]],
        "more": len(rows) - len(kept),
    }  # fmt: skip


def _key(line: Line) -> str:
    return json.dumps(line, sort_keys=True)


def _merged(mine: Sequence[Line], theirs: Sequence[Line]) -> list[Line]:
    """Both lists of lines in one: the first as it is, what only the second has behind the line it follows there."""
    have = {_key(x) for x in mine}
    behind, followers = "", dict[str, list[Line]]()
    for line in theirs:
        key = _key(line)
        if key in have:
            behind = key
        else:
            followers.setdefault(behind, []).append(line)
    return [*followers.get("", []), *(x for line in mine for x in (line, *followers.get(_key(line), [])))]


def _spread(answer: dict[str, Any], rows: Sequence[Line], columns: Sequence[Line]) -> Values:
    """An answer's values on the lines of both; a line that it has not is empty."""
    at_row = {_key(x): i for i, x in enumerate(answer["rows"]["lines"])}
    at_column = {_key(x): i for i, x in enumerate(answer["columns"]["lines"])}
    places = [(at_row.get(_key(x)), [at_column.get(_key(y)) for y in columns]) for x in rows]
    return [[[None if r is None or c is None else m[r][c] for c in across] for r, across in places] for m in answer["values"]]
