"""Where the marks of lines stand: on the longest of the pieces between two rows, and clear of each other."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import accumulate, pairwise
from math import dist

Point = tuple[float, float]

APART = 24.0  # between the middles of two marks
FROM_END = 32.0  # of a line: its foot stands there
FROM_CORNER = 14.0  # a mark is drawn along one piece
STEP = 6.0
CELL = APART  # of the raster that near marks are looked up in


def mark_of(points: Sequence[Point], pieces: Iterable[int], share: float) -> float:
    """How far along a line its mark stands: on the longest of some pieces."""
    lengths = [dist(a, b) for a, b in pairwise(points)]
    longest = max(pieces, key=lambda i: lengths[i])
    return round(sum(lengths[:longest]) + lengths[longest] * share, 1)


def marks_apart(lines: Mapping[str, tuple[Sequence[Point], float]]) -> dict[str, float]:
    """How far along each line its mark stands, given as its points and where it would like to: moved along as little as keeps it clear of
    those before it; where nothing does, to the place that is farthest from them. Cost: the lines' lengths by steps."""
    placed: dict[tuple[int, int], list[Point]] = {}
    marks = {}

    def nearest(point: Point) -> float:
        x, y = (int(v // CELL) for v in point)
        near = [p for i in (x - 1, x, x + 1) for j in (y - 1, y, y + 1) for p in placed.get((i, j), ())]
        return min((dist(point, p) for p in near), default=APART)

    # Those that have the least choice come first.
    choices = sorted(((name, points, list(_places(points, wish))) for name, (points, wish) in lines.items()), key=lambda x: len(x[2]))
    for name, points, places in choices:
        best, room = places[0], -1.0
        for at in places:
            here = min(nearest(point_at(points, at)), APART)
            if here > room:
                best, room = at, here
            if room >= APART:
                break
        marks[name] = round(best, 1)
        x, y = point_at(points, best)
        placed.setdefault((int(x // CELL), int(y // CELL)), []).append((x, y))
    return marks


def _places(points: Sequence[Point], wish: float) -> Iterator[float]:
    """The wish, then the places of a line where a mark has room, the nearest to it first."""
    yield wish
    ends = list(accumulate((dist(a, b) for a, b in pairwise(points)), initial=0.0))
    found = []
    for start, end in pairwise(ends):
        low, high = max(start + FROM_CORNER, FROM_END), min(end - FROM_CORNER, ends[-1] - FROM_END)
        found += [low + STEP * i for i in range(int((high - low) // STEP) + 1 if high >= low else 0)]
    yield from sorted(found, key=lambda at: abs(at - wish))


def point_at(points: Sequence[Point], at: float) -> Point:
    """The point of a line at a distance from its beginning."""
    for a, b in pairwise(points):
        long = dist(a, b)
        if at <= long:
            part = at / long if long else 0.0
            return a[0] + (b[0] - a[0]) * part, a[1] + (b[1] - a[1]) * part
        at -= long
    return points[-1]
