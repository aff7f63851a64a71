// A line of points: places along it, parts of it with rounded corners. Pure; pictures that leave the application do the same.
export type Point = readonly [number, number];

const CORNER = 10; // pixels that a corner is rounded by

export interface Along {
  points: readonly Point[];
  /** From the beginning to each point. */
  lengths: number[];
  length: number;
  /** Where its mark stands: the middle of its longest piece, or as said. */
  middle: number;
}

/** A line of points; `mark` is where on it its mark stands, if that is known. */
export function along(points: readonly Point[], mark?: number): Along {
  const lengths = [0];
  for (const [i, [x, y]] of points.entries()) {
    const before = points[i - 1];
    if (before) lengths.push((lengths.at(-1) ?? 0) + Math.hypot(x - before[0], y - before[1]));
  }
  const pieces = lengths.slice(1).map((end, i) => [lengths[i] ?? 0, end] as const);
  const inner = pieces.length > 2 ? pieces.slice(1, -1) : pieces;
  const [start, end] = inner.reduce((best, p) => (p[1] - p[0] > best[1] - best[0] ? p : best), inner[0] ?? [0, 0]);
  return { points, lengths, length: lengths.at(-1) ?? 0, middle: mark ?? (start + end) / 2 };
}

/** The piece of a line at a distance from its beginning: where it begins, its direction, and how far into it that is. */
function piece({ points, lengths }: Along, t: number) {
  let place = lengths.findLastIndex((length) => length <= t);
  place = Math.min(Math.max(place, 0), points.length - 2);
  const [x, y] = points[place] ?? [0, 0];
  const [x2, y2] = points[place + 1] ?? [x, y];
  const long = (lengths[place + 1] ?? 0) - (lengths[place] ?? 0) || 1;
  return { x, y, ux: (x2 - x) / long, uy: (y2 - y) / long, on: t - (lengths[place] ?? 0) };
}

/** A point of a line, or beside it. */
export function pointAt(line: Along, t: number, side = 0): Point {
  const { x, y, ux, uy, on } = piece(line, t);
  return [x + ux * on - uy * side, y + uy * on + ux * side];
}

export const text = ([x, y]: Point): string => `${x.toFixed(1)} ${y.toFixed(1)}`;

/** A part of a line, its corners rounded. */
export function partOf(line: Along, start: number, end: number): string {
  const inner = line.points.filter((_, i) => (line.lengths[i] ?? 0) > start && (line.lengths[i] ?? 0) < end);
  const points = [pointAt(line, start), ...inner, pointAt(line, end)];
  let path = `M${text(points[0] ?? [0, 0])}`;
  for (const [i, corner] of inner.entries())
    path += `L${text(towards(corner, points[i] ?? corner))}Q${text(corner)} ${text(towards(corner, points[i + 2] ?? corner))}`;
  return `${path}L${text(points.at(-1) ?? [0, 0])}`;
}

/** Where a rounded corner begins. */
function towards(corner: Point, other: Point): Point {
  const length = Math.hypot(other[0] - corner[0], other[1] - corner[1]) || 1;
  const part = Math.min(CORNER, length / 2) / length;
  return [corner[0] + (other[0] - corner[0]) * part, corner[1] + (other[1] - corner[1]) * part];
}
