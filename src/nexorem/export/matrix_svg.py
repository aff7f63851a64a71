"""The bus matrix as a picture."""

from __future__ import annotations

from html import escape

from nexorem.core.design.matrix import MatrixCell, bus_matrix
from nexorem.core.design.roles import role
from nexorem.core.model.star import Star
from nexorem.core.words import counted
from nexorem.export.drawing import LINE, SOFT, picture, reach_mark, role_mark, text

EDGE = 36.0
STEP = 36.0
WORDS = {
    "direct": "filters it",
    "through": "through other tables",
    "inactive": "by an inactive link",
    "loose": "loosely",
    "none": "not at all",
}
NOTHING = MatrixCell("none", (), (), ())


def matrix_svg(star: Star) -> str:
    """Facts down, dimensions across, in each cell how the one filters the other; a legend below."""
    matrix = bus_matrix(star)
    facts, dimensions = matrix.facts, matrix.dimensions
    roles = {t.name: role(star, t) for t in star.model.tables}
    side = EDGE + max([len(f) for f in facts] or [0]) * 8.2 + 50
    head = 84 + max([len(d) for d in dimensions] or [0]) * 6.4
    width = side + STEP * len(dimensions) + head * 0.55 + EDGE
    height = head + STEP * len(facts) + 90
    parts = [text(EDGE, 42, "Who filters whom", 20, 640)]
    for i, name in enumerate(dimensions):
        x = side + STEP * (i + 0.5)
        parts += [
            text(x + 2, head - 32, name, 13, 400, more=f' transform="rotate(-58 {x + 2:.1f} {head - 32:.1f})"'),
            role_mark(roles[name], x - 8, head - 24),
        ]
    for r, fact in enumerate(facts):
        y = head + STEP * (r + 0.5)
        parts += [
            role_mark(roles[fact], EDGE, y - 8),
            text(EDGE + 26, y + 1, fact, 13.5, 620),
            text(EDGE + 26, y + 14, f"{counted(star.size(fact), 'row')}", 10.5, 400, SOFT),
            f'<path d="M{EDGE} {y + STEP / 2:.1f}H{side + STEP * len(dimensions):.1f}" stroke="{LINE}"/>',
        ]
        for i, name in enumerate(dimensions):
            cell = matrix.cells[fact].get(name, NOTHING)
            x = side + STEP * (i + 0.5)
            words = f"{name} to {fact}: {WORDS[cell.kind]}" + (f", over {', '.join(cell.path)}" if cell.path else "")
            parts.append(f"<g><title>{escape(words)}</title>{reach_mark(cell.kind, cell.two_way, x - 9, y - 9)}</g>")
            if len(cell.links) > 1:
                parts.append(text(x + 9, y - 6, str(len(cell.links)), 9, 640))
    x, y = EDGE, head + STEP * len(facts) + 38
    for kind, words in list(WORDS.items())[:-1]:
        parts += [reach_mark(kind, False, x, y - 13), text(x + 24, y, words, 12, 400, SOFT)]
        x += 48 + len(words) * 6.4
    if matrix.apart:
        parts.append(text(EDGE, y + 28, f"Linked to nothing: {', '.join(matrix.apart)}", 12, 400, SOFT))
    return picture(max(width, x + EDGE), height, f"{star.model.title or star.model.name}: who filters whom", parts)
