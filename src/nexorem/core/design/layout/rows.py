"""Which row of a star a card stands in: the facts in row 0, what hangs on them above (below 0) and below, in rows no wider than they
should be.

Found by moving one card at a time to the row where it costs least, from a first guess by the cheapest ways from the facts.
"""

from __future__ import annotations

import math

from nexorem.core.design.layout.graph import Card, Drawing, Line

ROW = 150.0  # a row with the lines below it, about
GAP = 30.0
SAME_ROW = 5.0  # what a line between two cards of one row costs, in rows that another spans more than it must
FAR = 0.15  # what a row further from the middle costs a card
CROWDED = 40.0
LEAST_WIDTH = 640.0
ROUNDS = 30

Rows = dict[str, int]


def reached(drawing: Drawing) -> tuple[dict[str, str], list[str]]:
    """By card that lines lead to from the roots, the card before it on the cheapest way; and all of them, nearest first."""
    lines = drawing.beside()
    costs = {c.name: 0 for c in drawing.roots}
    before: dict[str, str] = {}
    nearest = [c.name for c in drawing.roots]
    steps = {(costs[n] + x.cost, i, n, x.other(drawing.cards[n]).name) for n in nearest for i, x in enumerate(lines[n])}
    while steps:
        step = min(steps)
        steps.remove(step)
        cost, _, name, other = step
        if other in costs:
            continue
        costs[other], before[other] = cost, name
        nearest.append(other)
        card = drawing.cards[other]
        steps |= {(cost + x.cost, i, other, x.other(card).name) for i, x in enumerate(lines[other]) if x.other(card).name not in costs}
    return before, nearest


def rows_of(drawing: Drawing, shape: float) -> Rows:
    """The row of each card that is reached; `shape` is how many times wider than high the window is. Cost: the links, a few dozen times."""
    before, nearest = reached(drawing)
    width = _wanted_width([drawing.cards[n] for n in nearest], shape)
    rows = _first_guess(drawing, before, nearest)
    loads: dict[int, float] = {}
    for name, row in rows.items():
        loads[row] = loads.get(row, 0.0) + drawing.cards[name].room + GAP
    roots = {c.name for c in drawing.roots}
    lines = drawing.beside()
    for _ in range(ROUNDS):
        moved = False
        for name in nearest:
            if name in roots:
                continue
            card, now = drawing.cards[name], rows[name]
            mine = [(x, rows[x.other(card).name]) for x in lines[name] if x.other(card).name in rows]
            best = min(
                range(min(loads) - 1, max(loads) + 2), key=lambda r: (round(_cost(card, mine, r, now, loads, width), 6), abs(r - now))
            )
            if best != now:
                rows[name], moved = best, True
                loads[now] -= card.room + GAP
                loads[best] = loads.get(best, 0.0) + card.room + GAP
        if not moved:
            break
    used = sorted({*rows.values()})
    above, below = [r for r in used if r < 0], [r for r in used if r > 0]
    number = {0: 0} | {r: i - len(above) for i, r in enumerate(above)} | {r: i + 1 for i, r in enumerate(below)}
    return {name: number[row] for name, row in rows.items()}


def _wanted_width(cards: list[Card], shape: float) -> float:
    """How wide rows are for all to have the window's shape."""
    total = sum(c.room + GAP for c in cards)
    return max(LEAST_WIDTH, math.sqrt(total * ROW * shape))


def _cost(card: Card, lines: list[tuple[Line, int]], row: int, now: int, loads: dict[int, float], width: float) -> float:
    """What it costs to have a card in a row."""
    spans = sum(SAME_ROW if other == row else abs(other - row) - 1 for _, other in lines)
    load = loads.get(row, 0.0) + (card.room + GAP if row != now else 0.0)
    over, without = max(0.0, load / width - 1), max(0.0, (load - card.room - GAP) / width - 1)
    return spans + FAR * abs(row) + CROWDED * (over * over - without * without) + 0.02 * load / width


def _first_guess(drawing: Drawing, before: dict[str, str], nearest: list[str]) -> Rows:
    """What hangs on a root all above or all below it, the larger parts first, where there is more room."""
    roots = {c.name for c in drawing.roots}
    branch: dict[str, str] = {}
    depth = dict.fromkeys(roots, 0)
    for name in nearest:
        if name not in roots:
            branch[name] = name if before[name] in roots else branch[before[name]]
            depth[name] = depth[before[name]] + 1
    parts: dict[str, list[str]] = {}
    for name, top in branch.items():
        parts.setdefault(top, []).append(name)
    rows = dict.fromkeys(roots, 0)
    room = {1: 0.0, -1: 0.0}
    lines = drawing.beside()
    for names in sorted(parts.values(), key=lambda part: (-len(part), part[0])):
        inside = set(names)
        pull = {1: 0, -1: 0}
        for name in names:
            for line in lines[name]:
                other = line.other(drawing.cards[name]).name
                if other in rows and other not in roots and other not in inside:
                    pull[1 if rows[other] > 0 else -1] += 1
        side = min((-1, 1), key=lambda s: room[s] - 260.0 * pull[s])
        room[side] += sum(drawing.cards[n].room + GAP for n in names)
        rows |= {n: side * depth[n] for n in names}
    return rows
