// Lines between cards that have no way of their own yet: straight, between the cards' edges. Pure.
import type { Point } from './along';

/** A card: its middle and its size; where it is open the columns that it shows. */
export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
  opened?: string[];
}

/** The part of a line from one card's middle to another's that lies between the cards. */
export function between(a: Box, b: Box): [Point, Point] {
  const start = leaving(a, b);
  const end = leaving(b, a);
  return [
    [start.x, start.y],
    [end.x, end.y],
  ];
}

/** Where the line from a box's middle to another's leaves the box. */
function leaving(box: Box, other: Box) {
  const dx = other.x - box.x;
  const dy = other.y - box.y;
  const tx = dx === 0 ? Infinity : box.width / 2 / Math.abs(dx);
  const ty = dy === 0 ? Infinity : box.height / 2 / Math.abs(dy);
  const t = Math.min(tx, ty, 1);
  return { x: box.x + dx * t, y: box.y + dy * t };
}
