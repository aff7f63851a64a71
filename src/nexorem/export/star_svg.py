"""A star as a picture: the same places and marks as on the screen."""

from __future__ import annotations

from html import escape

from nexorem.core.design.layout import Box, layout
from nexorem.core.design.roles import role
from nexorem.core.model.star import Star
from nexorem.export.drawing import FACT, INK, LINE, RAISED, SOFT, beside_line, line_between, link_mark, picture, role_mark, text

EDGE = 40.0
HEAD = 60.0
BESIDE = 34.0  # between links that join the same two tables


def star_svg(star: Star, fact: str, beside: str | None = None) -> str:
    """The star of a fact, or of two, with what is linked to nothing on a shelf below."""
    drawing = layout(star.model, fact, beside)
    boxes = {n: Box(b.x, b.y, b.width, b.height) for n, b in drawing.boxes.items()}
    left = min(b.x - b.width / 2 for b in boxes.values()) - EDGE
    top = min(b.y - b.height / 2 for b in boxes.values()) - EDGE - HEAD
    for b in boxes.values():
        b.x, b.y = b.x - left, b.y - top
    width = max(max(b.x + b.width / 2 for b in boxes.values()) + EDGE, 420.0)
    height = max(b.y + b.height / 2 for b in boxes.values()) + EDGE
    title = f"The star of {fact}" + (f" beside {beside}" if beside and beside != fact else "")
    parts = [text(EDGE, 42, title, 20, 640), *_links(star, boxes)]
    parts += [_card(star, name, box, name in (fact, beside)) for name, box in boxes.items()]
    shelf = drawing.shelf
    if shelf:
        parts.append(f'<path d="M{EDGE} {height:.0f}H{width - EDGE:.0f}" stroke="{LINE}"/>')
        parts.append(text(EDGE, height + 30, f"Linked to nothing: {', '.join(shelf)}", 13, 400, SOFT))
        height += 52
    return picture(width, height, f"{star.model.title or star.model.name}: {title[0].lower()}{title[1:]}", parts)


def _links(star: Star, boxes: dict[str, Box]) -> list[str]:
    groups: dict[frozenset[str], list[str]] = {}
    for link in star.model.links:
        groups.setdefault(link.tables, []).append(link.name)
    shapes = []
    for link in star.model.links:
        if link.from_table == link.to_table or link.from_table not in boxes or link.to_table not in boxes:
            continue
        group = groups[link.tables]
        offset = (group.index(link.name) - (len(group) - 1) / 2) * BESIDE * (1 if link.from_table < link.to_table else -1)
        start, end = line_between(boxes[link.from_table], boxes[link.to_table], offset)
        shapes.append(link_mark(link, link.name in star.firm, start, end))
        if len(group) > 1:
            shapes.append(beside_line(start, end, offset, link.name))
    return shapes


def _card(star: Star, name: str, box: Box, is_fact: bool) -> str:
    table = star.model.table(name)
    assert table
    x, y = box.x - box.width / 2, box.y - box.height / 2
    edge = f'stroke="{FACT}" stroke-width="2"' if is_fact else f'stroke="{INK}" stroke-width="1.3"'
    rows = "days" if table.calendar else "rows"
    parts = [
        f'<rect x="{x:.1f}" y="{y:.1f}" width="{box.width:.0f}" height="{box.height:.0f}" rx="11" fill="{RAISED}" {edge}/>',
        role_mark(role(star, table), x + 10, y + 9),
        text(x + 34, y + 22, name, 13.5, 620),
        text(x + 34, y + 40, f"{star.size(name):,} {rows}", 11.5, 400, SOFT),
    ]
    return f"<g><title>{escape(table.description or name)}</title>{''.join(parts)}</g>"
