// What a grid is drawn from, worked out once an answer: columns with their widths, marks by cell, ranges for shades and bars. Pure.
import type { GridAnswer, GridMeasure as Measured, Look, Scalar, TruthMark } from '../../api/client';
import { measureText, memberText, nameText } from '../../shared/format';
import type { ShownLine } from './axes';

/** A column of cells: a measure at a line of the axis across. */
export interface CellColumn {
  across: ShownLine;
  measure: Measured;
  /** The measure's place among those of the answer. */
  place: number;
  first: boolean;
  width: number;
  /** How its cells are hatched where a filter does not reach all of the measure, and why in words; nothing where every one does. */
  hatch: string;
  hatched: string;
}

const DIGIT = 8.2; // of a total, which is bolder
const LETTER = 6.9;
const ROOM = 22;
const SIGN = 17; // of a mark before a number
const HEAD_SIGN = 27; // of a mark in a heading
const NOTED = 104; // of a sentence in a heading
const IN_HEAD = new Set([
  'denominator',
  'whole',
  'dimension_side',
  'overridden',
  'apart',
  'coarse',
  'lost',
  'uneven',
  'nested',
  'first',
  'fixed',
]);
const HEAD = 22; // of a heading's padding
const BOLD = 8.6; // a letter of a place across
const MOST_ACROSS = 18; // letters of a place across that columns make room for
const SAMPLE = 60;

/** How many letters of middle width a word is as wide as. */
const letters = (word: string): number => word.length + 0.5 * (word.match(/[mw]/gi)?.length ?? 0);

/** The words of a heading wrap over two lines, a third where it needs one: the longest word, or some more than half of them. */
function headWidth(name: string): number {
  const words = nameText(name).split(' ');
  return Math.max(Math.min(nameText(name).length * 0.5, 15), ...words.map((w) => Math.min(letters(w), 17))) * LETTER + HEAD;
}

/** The least and the greatest number of all cells. */
function extremes(rows: Scalar[][]): number[] {
  let [low, high] = [Infinity, -Infinity];
  for (const row of rows)
    for (const value of row)
      if (typeof value === 'number') {
        if (value < low) low = value;
        if (value > high) high = value;
      }
  return low <= high ? [low, high] : [];
}

export function cellColumns(answer: GridAnswer, across: ShownLine[], look: Look): CellColumn[] {
  const widths = answer.measures.map((m, i) => {
    const format = look.formats?.[m.name] ?? m.format;
    const rows = answer.values[i] ?? [];
    let longest = 4;
    const hold = (value: Scalar) => (longest = Math.max(longest, measureText(value, format, m.dtype).length));
    for (let r = 0; r < rows.length; r += Math.max(1, Math.floor(rows.length / SAMPLE))) for (const value of rows[r] ?? []) hold(value);
    // The totals are few among many lines, and the largest of all.
    for (const value of extremes(rows)) hold(value);
    for (const { error } of m.failed) longest = Math.max(longest, error.length);
    const signs = [m.overrides.length > 0, m.marks.some((x) => x.kind === 'apart'), m.marks.some((x) => x.kind === 'uneven')].filter(
      Boolean,
    ).length;
    return Math.min(
      280,
      Math.max(
        longest * DIGIT + ROOM + signs * SIGN,
        headWidth(m.name) + new Set(m.marks.map((x) => x.kind).filter((kind) => IN_HEAD.has(kind))).size * HEAD_SIGN,
        m.unreached.length || m.failed.length || m.marks.some((x) => x.kind === 'partly') ? NOTED : 0,
      ),
    );
  });
  const reach = answer.measures.map((m) => {
    const partly = m.marks.filter((x) => x.kind === 'partly').map((x) => x.sentence);
    return {
      hatch: m.unreached.length ? 'hatched' : partly.length ? 'hatched part' : '',
      hatched: [m.unreached.length ? `not reached by ${m.unreached.join(', ')}` : '', ...partly].filter(Boolean).join('; '),
    };
  });
  // Where a place across is a longer word than its numbers are wide, its columns share what is missing.
  const longest = answer.columns.columns.length ? across.reduce((most, line) => Math.max(most, acrossText(line).length), 0) : 0;
  const missing = Math.min(longest, MOST_ACROSS) * BOLD + HEAD - widths.reduce((sum, width) => sum + width, 0);
  const more = longest ? Math.max(0, missing) / widths.length : 0;
  return across.flatMap((line) =>
    answer.measures.map((measure, place) => ({
      across: line,
      measure,
      place,
      first: place === 0,
      width: Math.round((widths[place] ?? 90) + more),
      hatch: '',
      hatched: '',
      ...reach[place],
    })),
  );
}

export function labelWidth(answer: GridAnswer, lines: ShownLine[]): number {
  let longest = answer.rows.columns.join(' › ').length * 0.8;
  for (let i = 0; i < lines.length; i += Math.max(1, Math.floor(lines.length / 400))) {
    const line = lines[i];
    if (line) longest = Math.max(longest, line.label.length + line.level * 2.4);
  }
  return Math.round(Math.min(300, Math.max(112, longest * 7.1 + 34)));
}

/** By measure and cell, why a cell cannot be computed. */
export function cellFailures(answer: GridAnswer): Map<string, { error: string; message: string }> {
  return new Map(answer.measures.flatMap((m) => m.failed.map((f) => [`${m.name} ${f.row} ${f.column}`, f])));
}

/** By measure and cell, the marks that are about some cells alone. */
export function cellMarks(answer: GridAnswer): Map<string, TruthMark[]> {
  const marks = new Map<string, TruthMark[]>();
  for (const measure of answer.measures)
    for (const mark of measure.marks)
      for (const [row, column] of mark.cells) {
        const key = `${measure.name} ${row} ${column}`;
        marks.set(key, [...(marks.get(key) ?? []), mark]);
      }
  return marks;
}

export interface Range {
  low: number;
  high: number;
}

/** The smallest and largest number of each measure over lines that are no totals. */
export function ranges(answer: GridAnswer, lines: ShownLine[], across: ShownLine[]): Map<string, Range> {
  const byMeasure = new Map<string, Range>();
  for (const [i, measure] of answer.measures.entries()) {
    let [low, high] = [Infinity, -Infinity];
    for (const line of lines) {
      if (line.isTotal) continue;
      for (const column of across) {
        if (column.isTotal) continue;
        const value = answer.values[i]?.[line.place]?.[column.place];
        if (typeof value === 'number') {
          low = Math.min(low, value);
          high = Math.max(high, value);
        }
      }
    }
    if (low <= high) byMeasure.set(measure.name, { low, high });
  }
  return byMeasure;
}

/** Where a value lies in its range, 0 to 1. */
export function share(value: Scalar, range: Range | undefined): number | null {
  if (typeof value !== 'number' || !range) return null;
  const low = Math.min(0, range.low);
  return range.high === low ? 0 : Math.max(0, Math.min(1, (value - low) / (Math.max(0, range.high) - low || 1)));
}

/** The grid as text with tabs, as it is shown. */
export function asText(answer: GridAnswer, lines: ShownLine[], across: ShownLine[], look: Look): string {
  const head = answer.rows.columns.map((c) => c.replace('.', ' '));
  const top =
    across.length && answer.columns.columns.length
      ? [[...head.map(() => ''), ...across.flatMap((c) => answer.measures.map(() => acrossText(c)))]]
      : [];
  const names = [...head, ...across.flatMap(() => answer.measures.map((m) => nameText(m.name)))];
  const body = lines.map((line) => [
    ...line.members.map(memberText),
    ...across.flatMap((c) =>
      answer.measures.map((m, i) => measureText(answer.values[i]?.[line.place]?.[c.place], look.formats?.[m.name] ?? m.format, m.dtype)),
    ),
  ]);
  return [...top, names, ...body].map((cells) => cells.map(pasted).join('\t')).join('\n');
}

/** A cell as it is pasted: on one line, and with an apostrophe where a spreadsheet would take a text for a formula. */
function pasted(cell: string): string {
  const text = cell.replace(/[\t\r\n]+/g, ' ');
  return /^[=+\-@]/.test(text) && !/^[+-]\d[\d., \u00a0\u202f%]*$/.test(text) ? `'${text}` : text;
}

export function acrossText(line: ShownLine): string {
  if (line.isGrand) return 'All';
  return (
    line.members
      .slice(0, line.level)
      .map((m) => memberText(m))
      .join(' › ') + (line.isTotal ? ', all' : '')
  );
}
