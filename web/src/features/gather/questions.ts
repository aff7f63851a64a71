// What is asked once for all files of a reading: rows that are broken, columns that are nearly of another type.
import type { ReadingItem } from '../../api/client';
import { asAsked, type Asked } from './asColumn';

export interface Question {
  tables: number;
  columns: number;
  values: number;
  /** What it is about, in a few words. */
  about: string[];
  /** The sources with the answer in them, by the place of the table. */
  sources: Record<number, Record<string, unknown>>;
}

/** Files that were refused for rows that are broken. */
export function brokenQuestion(items: ReadingItem[]): Question | null {
  const broken = items.flatMap((item, place) =>
    item.state === 'failed' && item.errors.some((e) => e.code === 'broken_row') ? [{ item, place }] : [],
  );
  if (!broken.length) return null;
  return {
    tables: broken.length,
    columns: 0,
    values: 0,
    about: broken.map(({ item }) => item.name),
    sources: Object.fromEntries(broken.map(({ item, place }) => [place, { ...item.source, broken_rows: 'leave out' }])),
  };
}

/** Columns of texts that are of another type but for a few values; those that only say NA and the like are asked about apart. */
export function nearlyQuestion(items: ReadingItem[]): Question | null {
  const found = items.flatMap((item, place) => {
    const asked = (item.source.columns ?? {}) as Record<string, Asked>;
    const columns = (item.report?.columns ?? []).flatMap((c) => {
      const other = c.others.find((o) => o.misfits.count > 0);
      return other && !asked[c.name] && !(c.missing && c.missing.type !== 'text') ? [{ name: c.name, other }] : [];
    });
    const typed = item.source.kind !== 'resource' && item.source.kind !== 'database';
    return item.state === 'read' && typed && columns.length ? [{ item, place, asked, columns }] : [];
  });
  if (!found.length) return null;
  return {
    tables: found.length,
    columns: found.reduce((n, f) => n + f.columns.length, 0),
    values: found.reduce((n, f) => n + f.columns.reduce((m, c) => m + c.other.misfits.count, 0), 0),
    about: found.flatMap(({ item, columns }) => columns.map((c) => `${item.name}.${c.name} as ${c.other.type}`)),
    sources: Object.fromEntries(
      found.map(({ item, place, asked, columns }) => [
        place,
        { ...item.source, columns: { ...asked, ...Object.fromEntries(columns.map((c) => [c.name, asAsked(c.other, 'empty')])) } },
      ]),
    ),
  };
}
