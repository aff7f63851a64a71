// A grid's answer as categories and series, for pictures. Totals are no parts of a picture. Pure.
import type { GridAnswer, Look, Member, Picture } from '../../../api/client';
import { measureText, memberText, nameText, reachWords } from '../../../shared/format';
import { shownLines } from '../axes';

export interface Category {
  key: string;
  text: string;
  members: Member[];
  place: number;
}

export interface Series {
  key: string;
  text: string;
  measure: string;
  /** The place across, where there is one. */
  place: string;
  /** One value a category; null where there is none. */
  values: (number | null)[];
  format: string;
  dtype: string;
  unreached: string[];
  /** What does not come to its measure, in words. */
  reach: string;
  /** Its ink and shape, in every picture of the same drawing. */
  ink: number;
}

export interface Drawing {
  categories: Category[];
  series: Series[];
  /** Measures whose values are no numbers, left out. */
  left: string[];
}

const whole = (line: Member[]) => line.every((m) => m.kind !== 'total');

function categories(lines: Member[][]): Category[] {
  return shownLines(lines)
    .filter((l) => whole(l.members))
    .map((l) => ({
      key: JSON.stringify(l.members),
      text: l.members.map(memberText).join(' › ') || 'All',
      members: l.members,
      place: l.place,
    }));
}

/** Rows are the categories, measures and places across the series; without rows the places across are the categories. `most` are the
 * lines looked at, where only the kinds of series are asked for. */
export function drawing(answer: GridAnswer, look: Look, most = Infinity): Drawing {
  const turned = answer.rows.columns.length === 0 && answer.columns.columns.length > 0;
  const down = categories((turned ? answer.columns.lines : answer.rows.lines).slice(0, most));
  const across = turned ? [{ key: '', text: '', members: [], place: 0 }] : categories(answer.columns.lines);
  const left = answer.measures.filter((m) => !['integer', 'number'].includes(m.dtype)).map((m) => m.name);
  const several = answer.measures.length - left.length > 1;
  const series = answer.measures.flatMap((m, i) =>
    left.includes(m.name)
      ? []
      : across.map((c): Omit<Series, 'ink'> => ({
          key: `${m.name} ${c.key}`,
          measure: m.name,
          place: c.text === 'All' ? '' : c.text,
          text: [several || !c.text || c.text === 'All' ? nameText(m.name) : '', c.text === 'All' ? '' : c.text].filter(Boolean).join(', '),
          format: look.formats?.[m.name] ?? m.format,
          dtype: m.dtype,
          unreached: m.unreached,
          reach: reachWords(m),
          values: down.map((d) => {
            const value = turned ? answer.values[i]?.[0]?.[d.place] : answer.values[i]?.[d.place]?.[c.place];
            return typeof value === 'number' ? value : null;
          }),
        })),
  );
  return { categories: down, series: series.map((s, i) => ({ ...s, ink: i })), left };
}

const APART = 20;

/** The series that can be read on one scale together: those of one measure always, those of several where all are shares or none is, and the
 * largest are not more than twenty times the smallest. */
export function scales(series: Series[]): Series[][] {
  const measures = [...new Set(series.map((s) => s.measure))].map((name) => series.filter((s) => s.measure === name));
  const size = (own: Series[]) => own.reduce((most, s) => s.values.reduce<number>((m, v) => Math.max(m, Math.abs(v ?? 0)), most), 0);
  const share = (own: Series[]) => own[0]?.format.includes('%') ?? false;
  const together = (a: Series[], b: Series[]) => {
    const [x, y] = [size(a), size(b)];
    return share(a) === share(b) && (x === 0 || y === 0 || Math.max(x, y) <= APART * Math.min(x, y));
  };
  const groups: Series[][][] = [];
  for (const own of measures) {
    const fitting = groups.find((group) => group.every((other) => together(own, other)));
    if (fitting) fitting.push(own);
    else groups.push([own]);
  }
  return groups.map((group) => group.flat());
}

export function extent(series: Series[], stacked: boolean): [number, number] {
  let [low, high] = [0, 0];
  const count = series[0]?.values.length ?? 0;
  for (let i = 0; i < count; i += 1) {
    let [up, down] = [0, 0];
    for (const s of series) {
      const v = s.values[i] ?? 0;
      if (stacked && v > 0) up += v;
      else if (stacked) down += v;
      else [up, down] = [Math.max(up, v), Math.min(down, v)];
    }
    [low, high] = [Math.min(low, down), Math.max(high, up)];
  }
  return low === high ? [low, low + 1] : [low, high];
}

export const tick = (value: number, series: Series | undefined) =>
  measureText(value, series?.format.includes('%') ? '0%' : Math.abs(value) < 10 && value % 1 !== 0 ? '#,##0.##' : '#,##0', 'number');
export const text = (value: number | null, series: Series) =>
  value === null ? '(empty)' : measureText(value, series.format, series.dtype);

/** Series are told apart by a shape and a dash as well as by their ink. */
export const INKS = 6;
export const DASHES = ['', '7 3', '2 3', '9 3 2 3', '4 2', '1 4'];
const SHAPES = [
  'M-4 0A4 4 0 1 0 4 0A4 4 0 1 0-4 0Z',
  'M-3.6-3.6H3.6V3.6H-3.6Z',
  'M0-4.8L4.6 3.6H-4.6Z',
  'M0-5L5 0L0 5L-5 0Z',
  'M-4.6-3.6H4.6L0 4.8Z',
  'M-1.5-4.5H1.5V-1.5H4.5V1.5H1.5V4.5H-1.5V1.5H-4.5V-1.5H-1.5Z',
];
export const shape = (i: number) => SHAPES[i % SHAPES.length] ?? '';
export const ink = (i: number) => `ink-${i % INKS}`;

/** Why a picture does not fit what is on the axes; nothing where it does. */
export function misfit(kind: Picture, drawn: Drawing, levels: number): string {
  if (kind === 'grid') return '';
  if (levels === 0) return 'Nothing is on an axis: there is one number alone.';
  if (drawn.series.length === 0) return 'No measure of this probe is a number.';
  if (kind === 'heat' && drawn.series.length < 2) return 'Heat needs fields side by side: a column across, or several measures.';
  if (kind === 'stacked' && (drawn.series.length < 2 || new Set(drawn.series.map((s) => s.measure)).size > 1))
    return 'Only parts of one measure can be stacked: put a column across.';
  if (kind === 'multiples' && drawn.series.length < 2 && levels < 2) return 'Small multiples need two columns down, or several series.';
  return '';
}
