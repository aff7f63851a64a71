// Lines between the cards of a star: where they leave a card, and how far each of several stands aside. Pure.
import type { LinkInfo } from '../../api/client';

/** A card: its middle and its size. */
export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

export interface Line {
  ax: number;
  ay: number;
  bx: number;
  by: number;
}

/** The part of a line from one card's middle to another's that lies between the cards, moved sideways by `offset`. */
export function between(a: Box, b: Box, offset: number): Line {
  const length = Math.hypot(b.x - a.x, b.y - a.y) || 1;
  const nx = (-(b.y - a.y) / length) * offset;
  const ny = ((b.x - a.x) / length) * offset;
  const p = { x: a.x + nx, y: a.y + ny };
  const q = { x: b.x + nx, y: b.y + ny };
  const start = leaving(a, p, q);
  const end = leaving(b, q, p);
  return { ax: start.x, ay: start.y, bx: end.x, by: end.y };
}

/** Where the line from p, inside the box, to q leaves the box. */
function leaving(box: Box, p: { x: number; y: number }, q: { x: number; y: number }) {
  const dx = q.x - p.x;
  const dy = q.y - p.y;
  const tx = dx === 0 ? Infinity : (box.x + (Math.sign(dx) * box.width) / 2 - p.x) / dx;
  const ty = dy === 0 ? Infinity : (box.y + (Math.sign(dy) * box.height) / 2 - p.y) / dy;
  const t = Math.max(0, Math.min(tx, ty, 1));
  return { x: p.x + dx * t, y: p.y + dy * t };
}

/** How far each link stands aside, where several join the same two tables. */
export function offsets(links: LinkInfo[]): Map<string, number> {
  const groups = new Map<string, LinkInfo[]>();
  for (const link of links) {
    const key = [link.from_table, link.to_table].sort().join(' ');
    groups.set(key, [...(groups.get(key) ?? []), link]);
  }
  const counts = new Map<string, number>();
  for (const group of groups.values())
    for (const [i, link] of group.entries()) {
      const side = link.from_table < link.to_table ? 1 : -1;
      counts.set(link.name, side * (i - (group.length - 1) / 2) * 34);
    }
  return counts;
}
