import { describe, expect, it } from 'vitest';
import type { GridAnswer, Look } from '../src/api/client';
import { lineKey, shownLines } from '../src/features/probe/axes';
import { cellLook, labelLook } from '../src/features/probe/cellLook';
import { cellColumns, cellFailures, cellMarks, ranges } from '../src/features/probe/gridState';
import type { View } from '../src/features/probe/linePainter';
import { firstColumn } from '../src/features/probe/motionPainter';

const value = (v: string) => ({ kind: 'value' as const, value: v });
const TOTAL = { kind: 'total' as const };
const MEASURE = { format: '', dtype: 'integer', overrides: [], marks: [], unreached: [], failed: [] };

/** Two groups with a total each, and the whole; `seats` and its `share`. */
function viewOf(look: Look = {}, more: Partial<View> = {}): View {
  const lines = [
    [value('A'), TOTAL],
    [value('A'), value('x')],
    [value('A'), { kind: 'unmatched' as const }],
    [TOTAL, TOTAL],
  ];
  const answer = {
    rows: { columns: ['G.group', 'G.name'], lines },
    columns: { columns: [], lines: [[]] },
    unmatched: [{ sentence: 'rows without a partner' }],
    measures: [
      {
        ...MEASURE,
        name: 'seats',
        marks: [
          { kind: 'apart', cells: [[0, 0]], sentence: 'apart', tables: [] },
          { kind: 'uneven', cells: [[2, 0]], sentence: 'uneven', tables: [] },
        ],
      },
      {
        ...MEASURE,
        name: 'share',
        overrides: ['G.name'],
        unreached: ['Ship'],
        failed: [{ row: 3, column: 0, error: 'overflow', message: 'It grew.' }],
      },
    ],
    values: [
      [[6], [4], [null], [6]],
      [[1], [0.5], [null], [null]],
    ],
  } as unknown as GridAnswer;
  const all = shownLines(answer.rows.lines);
  const across = shownLines(answer.columns.lines);
  const columns = cellColumns(answer, across, look);
  return {
    answer,
    rows: all,
    columns,
    offsets: columns.reduce<number[]>((sums, c) => [...sums, (sums.at(-1) ?? 0) + c.width], [0]),
    head: 120,
    look,
    marks: cellMarks(answer),
    failures: cellFailures(answer),
    held: new Map([['seats 1 0', ['The count of the harbour']]]),
    range: ranges(answer, all, across),
    folded: new Set(),
    holding: new Set(),
    still: false,
    chosen: null,
    second: null,
    active: [0, 0],
    ...more,
  };
}

function shown(view: View, row: number, column: number) {
  const line = view.rows[row];
  if (!line) throw new Error('no such line');
  return { cell: cellLook(view, line, column, lineKey(line)), label: labelLook(view, line, lineKey(line)) };
}

describe('the look of a cell', () => {
  it.each([
    [0, 0, { text: '6', apart: true, uneven: false, title: 'apart' }],
    [1, 0, { text: '4', apart: false, held: true, title: 'held by The count of the harbour' }],
    [2, 0, { text: '', empty: true, uneven: false, title: 'uneven' }],
    [1, 1, { text: '0', overridden: ['G name'], title: 'it replaces or clears G name; not reached by Ship' }],
    [0, 1, { text: '1', overridden: [] }],
    [3, 1, { text: 'overflow', failed: true, empty: false, title: 'It grew.; not reached by Ship' }],
  ])('of line %i and column %i is %o', (row, column, want) => {
    const { cell } = shown(viewOf({ formats: { share: '0' } }), row, column);
    // What a total clears is no coordinate of it.
    expect(cell).toMatchObject(want);
  });

  it('is shaded and has a bar by its place in the range, on lines that are no totals', () => {
    const view = viewOf({ shade: ['seats'], bars: ['share'] });
    expect([shown(view, 1, 0).cell?.shade, shown(view, 0, 0).cell?.shade, shown(view, 1, 0).cell?.bar]).toEqual([1, null, null]);
    expect(shown(view, 1, 1).cell?.bar).toBe(1);
  });

  it('is chosen, or beside the chosen one, by its line and its column', () => {
    const line = viewOf().rows[1];
    const key = line ? lineKey(line) : '';
    const view = viewOf({}, { chosen: { line: key, column: 0 }, second: { line: key, column: 1 } });
    expect([0, 1].map((c) => [shown(view, 1, c).cell?.chosen, shown(view, 1, c).cell?.second])).toEqual([
      [true, false],
      [false, true],
    ]);
    expect(shown(view, 0, 0).cell?.chosen).toBe(false);
    expect(shown(view, 0, 9).cell).toBeNull();
  });
});

describe('the look of a label', () => {
  it.each([
    [0, { text: 'A', indent: 6, fold: '▾', unmatched: false }],
    [1, { text: 'x', indent: 22, fold: '', unmatched: false }],
    [2, { text: '(unmatched)', indent: 22, fold: '', unmatched: true }],
    [3, { text: 'All', indent: 6, fold: '', unmatched: false }],
  ])('of line %i is %o', (row, want) => {
    expect(shown(viewOf(), row, 0).label).toMatchObject(want);
  });

  it('shows what is folded away and what is pinned, where there are menus', () => {
    const [line] = viewOf().rows;
    if (!line) throw new Error('no such line');
    const key = lineKey(line);
    expect(labelLook(viewOf({}, { folded: new Set([key]), holding: new Set([key]) }), line, key)).toMatchObject({
      fold: '▸',
      unmatched: true,
    });
    expect(labelLook(viewOf(), line, key, true).text).toBe('⊤ A');
    expect(labelLook(viewOf({}, { still: true }), line, key, true)).toMatchObject({ text: 'A', fold: '' });
  });
});

it.each([
  [
    [0, 10, 30, 60],
    [-5, 0, 9, 10, 29, 30, 59, 60, 900],
    [0, 0, 0, 1, 1, 2, 2, 2, 2],
  ],
  [[0], [0, 7], [0, 0]],
])('the first column in sight of %j', (offsets, places, want) => {
  expect(places.map((x) => firstColumn(offsets, x))).toEqual(want);
});
