// Where the tables of a star stand: the fact in the middle, its neighbours around it, what hangs on these further out.
// Pure, and stable from one edit to the next: a table's place follows from the model's own order.
import type { LinkInfo, ModelDocument } from '../../api/client';

export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

export const CARD_HEIGHT = 52;
// Benches are higher than wide beside the matrix: outer rings grow upwards and downwards rather than sideways.
const RADIUS_X = [0, 178, 206, 206];
const RADIUS_Y = [0, 158, 262, 350];
const TURN = 0.75;
const INACTIVE_COST = 3;

export function cardWidth(name: string): number {
  return Math.max(112, Math.round(name.length * 7.8) + 74);
}

interface Branch {
  name: string;
  ring: number;
  children: Branch[];
}

/** The tree of tables around the fact: directly linked ones first, whatever their links' state. */
function branches(model: ModelDocument, fact: string): Branch {
  const root: Branch = { name: fact, ring: 0, children: [] };
  const found = new Map<string, Branch>([[fact, root]]);
  const neighbours = (name: string) =>
    model.links
      .filter((k) => k.from_table !== k.to_table && (k.from_table === name || k.to_table === name))
      .map((k) => ({ table: k.from_table === name ? k.to_table : k.from_table, cost: k.active ? 1 : INACTIVE_COST }));
  const add = (parent: Branch, name: string) => {
    const branch: Branch = { name, ring: Math.min(parent.ring + 1, RADIUS_X.length - 1), children: [] };
    parent.children.push(branch);
    found.set(name, branch);
  };
  for (const { table } of neighbours(fact)) if (!found.has(table)) add(root, table);
  // Everything further out by the cheapest way, active links before inactive ones.
  const costs = new Map<string, number>([...found.keys()].map((name) => [name, 0]));
  for (;;) {
    let best: { from: string; to: string; cost: number } | null = null;
    for (const [name, cost] of costs)
      for (const step of neighbours(name))
        if (!costs.has(step.table) && (best === null || cost + step.cost < best.cost)) best = { from: name, to: step.table, cost: cost + step.cost };
    if (!best) return root;
    costs.set(best.to, best.cost);
    const parent = found.get(best.from);
    if (parent) add(parent, best.to);
  }
}

function leaves(branch: Branch): number {
  return branch.children.length === 0 ? 1 : branch.children.reduce((n, c) => n + leaves(c), 0);
}

function overlap(a: Box, b: Box, gap: number): [number, number] {
  const x = (a.width + b.width) / 2 + gap - Math.abs(a.x - b.x);
  const y = (a.height + b.height) / 2 + gap - Math.abs(a.y - b.y);
  return [x, y];
}

/** Pushes cards that overlap apart, along the shorter way. */
function separate(boxes: Map<string, Box>, fixed: Set<string>): void {
  const names = [...boxes.keys()];
  for (let round = 0; round < 40; round += 1) {
    let moved = false;
    for (const [i, first] of names.entries())
      for (const second of names.slice(i + 1)) {
        const a = boxes.get(first);
        const b = boxes.get(second);
        if (!a || !b || (fixed.has(first) && fixed.has(second))) continue;
        const [x, y] = overlap(a, b, 26);
        if (x <= 0 || y <= 0) continue;
        moved = true;
        const along = x < y ? 'x' : 'y';
        const amount = (x < y ? x : y) / (fixed.has(first) || fixed.has(second) ? 1 : 2);
        const sign = b[along] >= a[along] ? 1 : -1;
        if (!fixed.has(first)) a[along] -= sign * amount;
        if (!fixed.has(second)) b[along] += sign * amount;
      }
    if (!moved) return;
  }
}

/** Centres and sizes of all linked tables, and the names of those that are linked to nothing. */
export function layout(model: ModelDocument, fact: string): { boxes: Map<string, Box>; shelf: string[] } {
  const boxes = new Map<string, Box>();
  const put = (branch: Branch, angle: number, spread: number) => {
    const place = model.places[`${fact}/${branch.name}`];
    boxes.set(branch.name, {
      x: place ? place.x : Math.cos(angle) * (RADIUS_X[branch.ring] ?? 0),
      y: place ? place.y : Math.sin(angle) * (RADIUS_Y[branch.ring] ?? 0),
      width: cardWidth(branch.name),
      height: CARD_HEIGHT,
    });
    // What stands nearly level with the fact sends its own out at a slant: up on the right, down on the left.
    const level = branch.ring > 0 && Math.abs(Math.sin(angle)) < 0.6;
    fan(branch, angle - (level ? TURN / branch.ring : 0), spread);
  };
  const fan = (branch: Branch, angle: number, spread: number) => {
    const total = leaves(branch);
    let at = angle - spread / 2;
    for (const child of branch.children) {
      const share = (spread * leaves(child)) / (branch.children.length ? total : 1);
      put(child, at + share / 2, Math.min(share, Math.PI * 0.8));
      at += share;
    }
  };
  const root = branches(model, fact);
  // The neighbour with most links to the fact stands above it, where they can be told apart; the others around.
  const parallel = (b: Branch) => model.links.filter((k) => [k.from_table, k.to_table].includes(fact) && [k.from_table, k.to_table].includes(b.name)).length;
  root.children.sort((a, b) => parallel(b) - parallel(a));
  const [first, ...others] = root.children;
  put({ ...root, children: [] }, 0, 0);
  if (first) put(first, -Math.PI / 2, Math.PI * 0.5);
  // Not quite round: two opposite neighbours are not to hide a link between them behind the fact.
  if (others.length) fan({ ...root, children: others }, Math.PI / 2, Math.PI * 1.2);
  const pulled = [...boxes.keys()].filter((name) => model.places[`${fact}/${name}`]);
  separate(boxes, new Set([fact, ...pulled]));
  return { boxes, shelf: model.tables.filter((t) => !boxes.has(t.name)).map((t) => t.name) };
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
  const found = new Map<string, number>();
  for (const group of groups.values())
    for (const [i, link] of group.entries()) {
      const side = link.from_table < link.to_table ? 1 : -1;
      found.set(link.name, side * (i - (group.length - 1) / 2) * 34);
    }
  return found;
}
