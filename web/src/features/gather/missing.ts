// Texts that mean no value, found in the columns of a reading: what is asked about them, once for all files.
import type { ReadingItem } from '../../api/client';

export interface MissingQuestion {
  /** The texts, as they are written in the files. */
  words: string[];
  /** Columns that are of another type but for these texts, and the tables they are in. */
  columns: number;
  tables: number;
  values: number;
  /** Columns of texts, in the same tables, in which the texts stand too: they would become empty there as well. */
  texts: { column: string; count: number }[];
  /** The sources of these tables, in which the texts mean empty, by the place of the table. */
  sources: Record<number, Record<string, unknown>>;
}

/** Null where no column is of another type but for such texts. */
export function missingQuestion(items: ReadingItem[]): MissingQuestion | null {
  const waiting = items.flatMap((item, place) => {
    const columns = (item.report?.columns ?? []).filter((c) => c.missing && c.missing.type !== 'text');
    return item.state === 'read' && columns.length ? [{ item, place, columns }] : [];
  });
  if (!waiting.length) return null;
  const words = [...new Set(waiting.flatMap((a) => a.columns.flatMap((c) => c.missing?.words ?? [])))];
  const texts = waiting.flatMap(({ item }) =>
    (item.report?.columns ?? []).flatMap((c) =>
      c.missing?.type === 'text' && c.missing.words.some((w) => words.includes(w)) ? [{ column: c.name, count: c.missing.count }] : [],
    ),
  );
  const sources = Object.fromEntries(
    waiting.map(({ item, place }) => [
      place,
      { ...item.source, missing: [...new Set(['', ...((item.source.missing ?? []) as string[]), ...words])] },
    ]),
  );
  return {
    words,
    columns: waiting.reduce((n, a) => n + a.columns.length, 0),
    tables: waiting.length,
    values: waiting.reduce((n, a) => n + a.columns.reduce((m, c) => m + (c.missing?.count ?? 0), 0), 0),
    texts,
    sources,
  };
}
