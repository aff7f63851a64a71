"""A star as a picture: the same places and marks as on the screen."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from html import escape

from nexorem.core.design.layout import StarBox, StarLayout, StarRoute, layout
from nexorem.core.design.layout.graph import CARD_HEIGHT, KEY_HEIGHT, MOST_KEYS
from nexorem.core.design.roles import role
from nexorem.core.engine.candidates import candidate_keys
from nexorem.core.model.star import Star
from nexorem.export.drawing import FACT, INK, LINE, RAISED, SOFT, link_mark, picture, role_mark, text

EDGE = 40.0
HEAD = 60.0


def star_svg(star: Star, fact: str, beside: str | None = None, drawing: StarLayout | None = None) -> str:
    """The star of a fact, or of two, as it is laid out or as this `drawing` has it, with what is linked to nothing on a shelf below."""
    drawing = drawing or layout(star.model, fact, beside)
    cards = [*drawing.boxes.values(), *drawing.subjects.values()]
    left = min(b.x - b.width / 2 for b in cards) - EDGE
    top = min(b.y - b.height / 2 for b in cards) - EDGE - HEAD
    boxes, subjects = ({n: replace(b, x=b.x - left, y=b.y - top) for n, b in some.items()} for some in (drawing.boxes, drawing.subjects))
    width = max(max(b.x + b.width / 2 for b in cards) - left + EDGE, 420.0)
    height = max(b.y + b.height / 2 for b in cards) - top + EDGE
    title = f"The star of {fact}" + (f" beside {beside}" if beside and beside != fact else "")
    parts = [text(EDGE, 42, title, 20, 640), *_links(star, drawing.routes, left, top)]
    parts += [_card(star, name, box, name in (fact, beside)) for name, box in boxes.items()]
    parts += [_subject(star, name, box, drawing) for name, box in subjects.items()]
    shelf = drawing.shelf
    if shelf:
        parts.append(f'<path d="M{EDGE} {height:.0f}H{width - EDGE:.0f}" stroke="{LINE}"/>')
        parts.append(text(EDGE, height + 30, f"Linked to nothing: {', '.join(shelf)}", 13, 400, SOFT))
        height += 52
    return picture(width, height, f"{star.model.title or star.model.name}: {title[0].lower()}{title[1:]}", parts)


def _links(star: Star, routes: Mapping[str, StarRoute], left: float, top: float) -> list[str]:
    shapes = []
    for link in star.model.links:
        route = routes.get(link.name)
        if route is None:
            continue
        shapes.append(link_mark(link, link.name in star.firm, [(x - left, y - top) for x, y in route.points], route.mark))
        if route.label:
            shapes.append(text(route.label[0] - left, route.label[1] - top, link.name, 11, 400, SOFT))
    return shapes


def _card(star: Star, name: str, box: StarBox, is_fact: bool) -> str:
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
    keys = {*table.key, *(c for key in candidate_keys(star, name) for c in key)} if box.opened else set()
    for number, column in enumerate(box.opened[:MOST_KEYS]):
        y_row = y + CARD_HEIGHT + KEY_HEIGHT * number
        parts.append(f'<path d="M{x:.1f} {y_row:.1f}h{box.width:.0f}" stroke="{LINE}"/>')
        parts.append(text(x + 10, y_row + 18, column, 12, 620 if column in keys else 400))
    return f"<g><title>{escape(table.description or name)}</title>{''.join(parts)}</g>"


def _subject(star: Star, subject: str, box: StarBox, drawing: StarLayout) -> str:
    """The card of a folded subject."""
    x, y = box.x - box.width / 2, box.y - box.height / 2
    inside = sum(t.subject == subject and not t.hidden and t.name not in drawing.boxes for t in star.model.tables)
    return "".join(
        [
            f'<rect x="{x:.1f}" y="{y:.1f}" width="{box.width:.0f}" height="{box.height:.0f}" rx="11" fill="{RAISED}" stroke="{INK}" '
            'stroke-width="1.3" stroke-dasharray="5 4"/>',
            text(x + 14, y + 22, subject, 13.5, 620),
            text(x + 14, y + 40, f"{inside} {'table' if inside == 1 else 'tables'}, folded", 11.5, 400, SOFT),
        ]
    )
