import { describe, expect, it } from 'vitest';
import { freeName } from '../src/features/measure/drafts';
import { nextSort, orderOf, shownLines } from '../src/features/probe/axes';
import { cellColumns, cellFailures } from '../src/features/probe/gridState';
import { extent } from '../src/features/probe/pictures/series';
import type { GridAnswer } from '../src/api/client';

describe('a heading', () => {
  it.each([undefined, { 'Cal.year': 2031 }])('orders down, then up, then not, at %o', (at) => {
    const made = at ? { by: 'seats', at } : { by: 'seats' };
    let sort: ReturnType<typeof nextSort> = [];
    for (const want of [[{ ...made, desc: true }], [{ ...made, desc: false }], []]) {
      sort = nextSort(sort, 'seats', ...(at ? ([at] as const) : []));
      expect(sort).toEqual(want);
    }
  });

  it('has another order over all places than at one', () => {
    expect(orderOf([{ by: 'seats', desc: true, at: { 'Cal.year': 2031 } }], 'seats') ?? null).toBeNull();
  });
});

it.each([
  ['share', 'share_3'],
  ['y', 'y'],
  ['X', 'X_2'],
])('a free name for %s is taken by nobody', (name, want) => {
  expect(freeName([{ name: 'Share' }, { name: 'share_2' }, { name: 'x' }] as Parameters<typeof freeName>[0], name)).toBe(want);
});

/** Whole numbers from -9 to 9 and gaps, the same in every run. */
function* numbers(seed: number): Generator<number | null> {
  for (let x = seed; ; x = (x * 1103515245 + 12345) % 2 ** 31) yield x % 7 === 0 ? null : (x % 19) - 9;
}

describe.each([false, true])('the extent of a picture, stacked %s', (stacked) => {
  it('holds every bar and 0', () => {
    const next = numbers(5);
    for (let i = 0; i < 30; i += 1) {
      const series = Array.from({ length: 1 + (i % 3) }, () => ({
        values: Array.from({ length: 4 }, () => next.next().value as number | null),
      }));
      const ends = [0, 1, 2, 3].flatMap((at) => {
        const bars = series.map((s) => s.values[at] ?? 0);
        const sum = (those: number[]) => those.reduce((a, b) => a + b, 0);
        return stacked ? [sum(bars.filter((v) => v > 0)), sum(bars.filter((v) => v < 0))] : bars;
      });
      const [low, high] = [Math.min(0, ...ends), Math.max(0, ...ends)];
      expect(extent(series as Parameters<typeof extent>[0], stacked)).toEqual([low, high > low ? high : low + 1]);
    }
  });
});

it('finds the cells that cannot be computed by measure and place', () => {
  const failed = [{ row: 2, column: 1, error: 'overflow', message: 'A whole number grew beyond 64 bits.' }];
  const answer = {
    measures: [
      { name: 'a', failed },
      { name: 'b', failed: [] },
    ],
  } as unknown as GridAnswer;
  expect([...cellFailures(answer)]).toEqual([['a 2 1', failed[0]]]);
});

describe('the columns of a grid', () => {
  const widths = (places: string[], measures: string[]) => {
    const columns = shownLines(places.map((value) => [{ kind: 'value', value }]));
    const answer = {
      measures: measures.map((name) => ({ name, format: '', dtype: 'integer', overrides: [], marks: [], unreached: [], failed: [] })),
      columns: { columns: places.length ? ['Cal.month'] : [], lines: columns.map((c) => c.members) },
      values: measures.map(() => [places.map(() => 7)]),
    } as unknown as GridAnswer;
    return cellColumns(answer, columns, {}).map((c) => c.width);
  };

  it('make room for the longest place across, which they share', () => {
    const [narrow] = widths(['1'], ['n']);
    expect(widths(['1', '2031-01'], ['n'])).toEqual(Array(2).fill(Math.max(narrow ?? 0, Math.round(7 * 8.6 + 22))));
    const both = widths(['2031-01-31 late'], ['n', 'm']);
    expect(both[0]).toBe(both[1]);
    expect((both[0] ?? 0) + (both[1] ?? 0)).toBeGreaterThanOrEqual(Math.floor(15 * 8.6 + 22));
  });

  it('hold the largest number of many lines, wherever it stands', () => {
    const lines = shownLines([[]]);
    const wide = (at: number) => {
      const values = [Array.from({ length: 6_000 }, (_, i) => [i === at ? -1_234_567 : 7])];
      const measures = [{ name: 'n', format: '', dtype: 'integer', overrides: [], marks: [], unreached: [], failed: [] }];
      return cellColumns({ measures, columns: { columns: [], lines: [[]] }, values } as unknown as GridAnswer, lines, {})[0]?.width ?? 0;
    };
    for (const at of [0, 1, 2_345, 5_999]) expect(wide(at)).toBeGreaterThanOrEqual('-1,234,567'.length * 8.1 + 20);
    expect(wide(-1)).toBeLessThan(70);
  });

  it.each([
    ['a failure is told', { failed: [{ row: 0, column: 0, error: 'limit_text_bytes', message: '' }] }, 16 * 8.2 + 22],
    ['a sentence stands in the heading', { failed: [{ row: 0, column: 0, error: 'x', message: '' }] }, 104],
    [
      'a heading has signs',
      {
        name: 'customers_served',
        marks: [{ kind: 'uneven' }, { kind: 'apart' }, { kind: 'apart' }].map((m) => ({ ...m, tables: [], cells: [] })),
      },
      9 * 6.9 + 22 + 2 * 27,
    ],
    ['letters are wide', { name: 'mummers' }, 8.5 * 6.9 + 22],
  ])('have the room that it takes where %s', (_, more, least) => {
    const measure = { name: 'n', format: '', dtype: 'integer', overrides: [], marks: [], unreached: [], failed: [], ...more };
    const answer = { measures: [measure], columns: { columns: [], lines: [[]] }, values: [[[7]]] } as unknown as GridAnswer;
    const width = cellColumns(answer, shownLines([[]]), {})[0]?.width ?? 0;
    expect(width).toBeGreaterThanOrEqual(Math.floor(least)); // columns are whole pixels wide
    expect(width).toBeLessThan(least + 20);
  });

  it('are no wider for a place that their numbers are wider than, and not without bound', () => {
    expect(widths(['1'], ['seats sold a day'])).toEqual(widths(['2031'], ['seats sold a day']));
    expect(widths(['x'.repeat(400)], ['n'])).toEqual(widths(['x'.repeat(18)], ['n']));
  });
});
