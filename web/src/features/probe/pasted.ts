// A table pasted from elsewhere, held against a grid: lines by their labels, cells by their place. Pure.
import type { Coordinate, GridAnswer, Look, Scalar } from '../../api/client';
import { measureText, memberText, nameText } from '../../shared/format';
import { coordinates, type ShownLine } from './axes';
import { acrossText } from './gridState';

export interface Differing {
  at: Coordinate[];
  measure: string;
  where: string;
  pasted: string;
  here: string;
}

export interface Held {
  agree: number;
  differ: Differing[];
  /** Pasted lines that the grid has not, and lines of the grid that were not pasted. */
  unknown: string[];
  missing: string[];
  /** The pasted cells that the grid has, as values: what a check of them holds. */
  cells: { at: Coordinate[]; measure: string; value: Scalar; room: number }[];
}

/** A number as people write it, and half of its last digit; null for what is none. */
function numberOf(text: string): { value: number; room: number } | null {
  const match = /^\(?\s*([-+−]?)\s*([\d, \u00a0\u202f]*)(?:\.(\d+))?\s*(%?)\s*\)?$/.exec(text.trim());
  const whole = match?.[2]?.replace(/\D/g, '') ?? '';
  if (!match || (whole === '' && !match[3])) return null;
  const scale = match[4] ? 0.01 : 1;
  const size = Number(`${whole || '0'}.${match[3] ?? '0'}`) * scale;
  const negative = match[1] === '-' || match[1] === '−' || text.trim().startsWith('(');
  return { value: negative ? -size : size, room: 0.5 * 10 ** -(match[3]?.length ?? 0) * scale };
}

function agrees(pasted: string, value: Scalar, shown: string): boolean {
  if (pasted.trim() === shown.trim()) return true;
  const read = numberOf(pasted);
  if (pasted.trim() === '' || read === null || typeof value !== 'number') return value === null && pasted.trim() === '';
  return Math.abs(read.value - value) <= read.room * 1.000001;
}

export function hold(answer: GridAnswer, rows: ShownLine[], across: ShownLine[], look: Look, text: string): Held {
  const labels = answer.rows.columns.length;
  // A table may come without its totals: what no line of it has is not asked of it.
  const lines = text
    .replace(/\r/g, '')
    .split('\n')
    .filter((l) => l.trim());
  const width = Math.max(0, ...lines.map((l) => l.split('\t').length - labels));
  const whole = [across, across.filter((c) => !c.isGrand), across.filter((c) => !c.isTotal && !c.isGrand)];
  const wanted = whole.find((some) => some.length * answer.measures.length === width) ?? across;
  const places = wanted.flatMap((c) => answer.measures.map((m, i) => ({ c, m, i }))).slice(0, width);
  const byText = new Map(rows.map((r) => [r.members.map(memberText).join('\t'), r]));
  const held: Held = { agree: 0, differ: [], unknown: [], missing: [], cells: [] };
  const met = new Set<string>();
  for (const line of lines) {
    const cells = line.split('\t').map((c) => c.trim());
    const key = cells.slice(0, labels).join('\t');
    const row = byText.get(key);
    if (!row) {
      // A line without a number is a heading.
      if (cells.slice(labels).some((c) => numberOf(c)) && !cells.slice(labels).every((c) => /^\d{4}$/.test(c) || !numberOf(c)))
        held.unknown.push(cells.slice(0, labels).join(' › '));
      continue;
    }
    met.add(key);
    for (const [k, { c, m, i }] of places.entries()) {
      const value = answer.values[i]?.[row.place]?.[c.place] ?? null;
      const here = measureText(value, look.formats?.[m.name] ?? m.format, m.dtype);
      const pasted = cells[labels + k] ?? '';
      const at = coordinates(answer, row.members, c.members);
      const read = numberOf(pasted);
      held.cells.push({ at, measure: m.name, value: pasted === '' ? null : (read?.value ?? pasted), room: read?.room ?? 0 });
      if (agrees(pasted, value, here)) held.agree += 1;
      else
        held.differ.push({
          at,
          measure: m.name,
          where: [row.label, answer.columns.columns.length ? acrossText(c) : '', nameText(m.name)].filter(Boolean).join(', '),
          pasted,
          here,
        });
    }
  }
  held.missing = rows.filter((r) => !r.isGrand && !r.isTotal && !met.has(r.members.map(memberText).join('\t'))).map((r) => r.label);
  return held;
}
