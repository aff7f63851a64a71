// What a cell shows: its text, its marks, how it is chosen. Both painters draw from this. Pure.
import { columnName, measureText } from '../../shared/format';
import { coordinates, type ShownLine } from './axes';
import { share } from './gridState';
import type { View } from './linePainter';

export interface CellLook {
  text: string;
  /** No number stands there, and no failure. */
  empty: boolean;
  failed: boolean;
  chosen: boolean;
  second: boolean;
  /** The columns whose coordinates it does away with. */
  overridden: string[];
  /** Its parts do not add up to it. */
  apart: boolean;
  /** The periods that it compares are not alike. */
  uneven: boolean;
  held: boolean;
  /** How much of its range it is, 0 to 1, where it is shaded or has a bar. */
  shade: number | null;
  bar: number | null;
  /** All of it in words; nothing where there is nothing to say. */
  title: string;
}

/** The look of the cell of a line and a column; `key` is the line's, where a cell is chosen. */
export function cellLook(view: View, line: ShownLine, index: number, key: string): CellLook | null {
  const column = view.columns[index];
  if (!column) return null;
  const { answer, look } = view;
  const { measure, across } = column;
  const value = answer.values[column.place]?.[line.place]?.[across.place] ?? null;
  const at = `${measure.name} ${line.place} ${across.place}`;
  const overridden =
    measure.overrides.length && value !== null
      ? coordinates(answer, line.members, across.members)
          .filter((c) => measure.overrides.includes(c.column))
          .map((c) => columnName(c.column))
      : [];
  const marked = view.marks.size ? (view.marks.get(at) ?? []) : [];
  const apart = marked.some((m) => m.kind === 'apart');
  const held = view.held.size ? (view.held.get(at) ?? []) : [];
  const failure = view.failures.size ? view.failures.get(at) : undefined;
  const part = line.isTotal || across.isTotal || !view.range ? null : share(value, view.range.get(measure.name));
  return {
    text: failure ? failure.error : measureText(value, look.formats?.[measure.name] ?? measure.format, measure.dtype),
    empty: value === null && !failure,
    failed: failure !== undefined,
    chosen: view.chosen !== null && view.chosen.line === key && view.chosen.column === index,
    second: view.second !== null && view.second.line === key && view.second.column === index,
    overridden,
    apart,
    uneven: value !== null && marked.some((m) => m.kind !== 'apart'),
    held: held.length > 0,
    shade: look.shade?.includes(measure.name) ? part : null,
    bar: look.bars?.includes(measure.name) ? part : null,
    title: [
      failure?.message ?? '',
      overridden.length ? `it replaces or clears ${overridden.join(' and ')}` : '',
      column.hatched,
      ...marked.map((m) => m.sentence),
      held.length ? `held by ${held.join(', ')}` : '',
    ]
      .filter(Boolean)
      .join('; '),
  };
}

/** The look of a line's label. */
export interface LabelLook {
  text: string;
  indent: number;
  /** Its sign where its parts fold away. */
  fold: '' | '▸' | '▾';
  unmatched: boolean;
}

export function labelLook(view: View, line: ShownLine, key: string, pinned = false): LabelLook {
  const { answer, still } = view;
  const folds = line.isTotal && !line.isGrand && !still;
  return {
    text: answer.rows.columns.length > 0 ? `${pinned && !still ? '⊤ ' : ''}${line.label}` : '',
    indent: 6 + Math.max(line.level - 1, 0) * 16,
    fold: folds ? (view.folded.has(key) ? '▸' : '▾') : '',
    unmatched:
      answer.unmatched.length > 0 && (line.members[line.level - 1]?.kind === 'unmatched' || (line.isTotal && view.holding.has(key))),
  };
}
