"""Our glyphs and colours for pictures that leave the application: the same shapes as on the screen."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from itertools import accumulate, pairwise
from math import hypot

from nexorem.core.model.model import Link

INK, SOFT, LINE, PAPER, RAISED, FACT = "#1d2229", "#6b6a64", "#d9d3c5", "#f4efe6", "#fbf8f1", "#0c6b66"
FONT = "'Instrument Sans', 'Helvetica Neue', Arial, sans-serif"
CORNER = 10.0  # pixels that a corner of a line is rounded by
Point = tuple[float, float]


def text(x: float, y: float, words: str, size: float = 13, weight: int = 400, fill: str = INK, more: str = "") -> str:
    """A line of text."""
    return f'<text x="{x:.1f}" y="{y:.1f}" font-size="{size}" font-weight="{weight}" fill="{fill}"{more}>{escape(words)}</text>'


def picture(width: float, height: float, title: str, parts: list[str]) -> str:
    """A whole picture on paper."""
    return "\n".join(
        [
            f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.0f}" height="{height:.0f}" viewBox="0 0 {width:.0f} {height:.0f}" '
            f'font-family="{FONT}" role="img">',
            f"<title>{escape(title)}</title>",
            f'<rect width="100%" height="100%" fill="{PAPER}"/>',
            *parts,
            "</svg>",
            "",
        ]
    )


def role_mark(role: str, x: float, y: float) -> str:
    """The mark of a role, 16 by 16, its upper left corner at x, y."""
    ring = f'fill="none" stroke="{INK}"'
    shapes = {
        "fact": f'<path d="M8 1.5 14.5 8 8 14.5 1.5 8Z" fill="{FACT}"/>',
        "bridge": f'<g {ring} stroke-width="1.7"><circle cx="5.4" cy="8" r="3.6"/><circle cx="10.6" cy="8" r="3.6"/></g>',
        "calendar": f'<g {ring} stroke-width="1.8" stroke-linecap="round"><circle cx="8" cy="8" r="5.6"/><path d="M8 4.8V8l2.3 1.5" '
        'stroke-width="1.4"/></g>',
        "outrigger": f'<g {ring} stroke-width="1.9"><circle cx="10.4" cy="8" r="4.3"/><path d="M1.6 3.4v9.2M1.6 8h4.5"/></g>',
        "disconnected": f'<circle cx="8" cy="8" r="5.6" {ring} stroke-width="2.2" stroke-dasharray="0.1 3.4" stroke-linecap="round"/>',
    }
    shape = shapes.get(role, f'<circle cx="8" cy="8" r="5.4" {ring} stroke-width="2.2"/>')
    return f'<g transform="translate({x:.1f} {y:.1f})"><title>{role}</title>{shape}</g>'


def reach_mark(kind: str, two_way: bool, x: float, y: float) -> str:
    """The mark of a matrix's cell, 18 by 18."""
    down = '<path d="M3.5 3h11L9 12Z M3.5 14h11" fill="{0}" stroke="{0}" stroke-width="1.6"/>'
    both = '<path d="M3.5 1.5h11L9 8.6Z M3.5 16.5h11L9 9.4Z" fill="{1}" stroke="{0}" stroke-width="1.3"/>'
    shapes = {
        "direct": both if two_way else down,
        "through": both if two_way else '<path d="M3.8 3.4h10.4L9 12Z M3.5 14.4h11" fill="none" stroke="{0}" stroke-width="1.5"/>',
        "inactive": '<g stroke="{0}" fill="{0}" stroke-width="1.4"><path d="M9 1v4.4M9 17v-3.6M9 12.6 5.2 6" fill="none"/>'
        '<circle cx="9" cy="5.8" r="1.3"/><circle cx="9" cy="13" r="1.3"/></g>',
        "loose": '<path d="M9 1.5c4 2.6-4 4.6 0 7.4s-4 4.6 0 7.4" fill="none" stroke="{0}" stroke-width="1.7"/>',
    }
    shape = shapes.get(kind, f'<circle cx="9" cy="9" r="1.2" fill="{LINE}"/>').format(INK, INK if kind == "direct" else "none")
    return f'<g transform="translate({x:.1f} {y:.1f})">{shape}</g>'


@dataclass(frozen=True, slots=True)
class Along:
    """A line of points, by the distance from its beginning."""

    points: Sequence[Point]
    lengths: tuple[float, ...]  # from the beginning to each point

    @classmethod
    def of(cls, points: Sequence[Point]) -> Along:
        """The line of some points."""
        return cls(points, (0.0, *accumulate(hypot(b[0] - a[0], b[1] - a[1]) for a, b in pairwise(points))))

    @property
    def length(self) -> float:
        """From end to end."""
        return self.lengths[-1]

    def at(self, t: float, side: float = 0.0) -> Point:
        """A point of it, or beside it."""
        place = min(max(bisect_right(self.lengths, t) - 1, 0), len(self.points) - 2)
        (x, y), (x2, y2) = self.points[place], self.points[place + 1]
        long = self.lengths[place + 1] - self.lengths[place] or 1.0
        ux, uy, on = (x2 - x) / long, (y2 - y) / long, t - self.lengths[place]
        return x + ux * on - uy * side, y + uy * on + ux * side

    def path(self, start: float, end: float) -> str:
        """A part of it, its corners rounded."""
        inner = [p for p, t in zip(self.points, self.lengths, strict=True) if start < t < end]
        points = [self.at(start), *inner, self.at(end)]
        out = f"M{_text(points[0])}"
        for before, corner, after in zip(points, inner, points[2:], strict=False):
            out += f"L{_text(_towards(corner, before))}Q{_text(corner)} {_text(_towards(corner, after))}"
        return f"{out}L{_text(points[-1])}"


def _text(point: Point) -> str:
    return f"{point[0]:.1f} {point[1]:.1f}"


def _towards(corner: Point, other: Point) -> Point:
    """Where a rounded corner begins."""
    length = hypot(other[0] - corner[0], other[1] - corner[1]) or 1.0
    part = min(CORNER, length / 2) / length
    return corner[0] + (other[0] - corner[0]) * part, corner[1] + (other[1] - corner[1]) * part


def link_mark(link: Link, firm: bool, points: Sequence[Point], middle: float) -> str:
    """A link from its `from` end: crow's foot, diode or lever (`middle` is where on it), wave."""
    along = Along.of(points)
    length = along.length

    def p(t: float, side: float = 0.0) -> str:
        return _text(along.at(t, side))

    parts = []
    if not link.active:
        lever = f"M{p(middle - 11)}L{p(middle + 7, -11)}"
        parts.append(f'<path d="{along.path(0, middle - 11)}{along.path(middle + 11, length)}{lever}" fill="none"/>')
        contacts = f"M{p(middle - 11)}h0M{p(middle + 11)}h0"
        parts.append(f'<path d="{contacts}" stroke-width="5.2" stroke-linecap="round"/>')
    elif firm:
        parts.append(f'<path d="{along.path(0, length)}" fill="none"/>')
    else:
        steps = max(round(length / 9), 2)
        wave = "".join(f"Q{p(length * (i - 0.5) / steps, 6 if i % 2 else -6)} {p(length * i / steps)}" for i in range(1, steps + 1))
        parts.append(f'<path d="M{p(0)}{wave}" fill="none"/>')
    near = f"M{p(9, 6)}L{p(9, -6)}" if link.cardinality == "one-to-one" else f"M{p(0, 6)}L{p(13)}L{p(0, -6)}"
    far = (
        f"M{p(length, 6)}L{p(length - 13)}L{p(length, -6)}"
        if link.cardinality == "many-to-many"
        else f"M{p(length - 9, 6)}L{p(length - 9, -6)}"
    )
    parts.append(f'<path d="{near}{far}" fill="none"/>')
    if link.active and link.flow == "one-way":
        parts.append(
            f'<path d="M{p(middle - 8)}L{p(middle + 6, 6.5)}L{p(middle + 6, -6.5)}ZM{p(middle - 9, 6)}L{p(middle - 9, -6)}" fill="{INK}"/>'
        )
    elif link.active:
        noses = "".join(f"M{p(middle)}L{p(middle + t, 6)}L{p(middle + t, -6)}Z" for t in (12, -12))
        parts.append(f'<path d="{noses}" fill="{INK}"/>')
    words = f"{link.name}: {link.ends_text}, {link.cardinality}, {link.flow if link.active else 'inactive'}{'' if firm else ', loose'}"
    return f'<g stroke="{INK}" stroke-width="1.4"><title>{escape(words)}</title>{"".join(parts)}</g>'
