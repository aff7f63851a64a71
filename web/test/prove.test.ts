import { describe, expect, it } from 'vitest';
import type { Check, Covered, GridAnswer, ModelDocument, Probe } from '../src/api/client';
import {
  fromCells,
  fromGrid,
  fromMeasures,
  fromPasted,
  fromTile,
  heldAt,
  heldCells,
  mustWords,
  probeOf,
} from '../src/features/prove/checkModel';
import { checkWith, fieldsOf, listedAgain } from '../src/features/prove/checkForm';
import { byAbout, coverOf, shareOf, shareWords } from '../src/features/prove/coverageModel';

const PROBE: Probe = { name: 'Ports', rows: ['Port.name'], columns: ['Cal.year'], measures: ['seats', 'fare'], picks: [], totals: 'all' };
const value = (v: string | number) => ({ kind: 'value' as const, value: v });
const TOTAL = { kind: 'total' as const, value: null };
const UNMATCHED = { kind: 'unmatched' as const, value: null };
const ANSWER = {
  rows: { columns: ['Port.name'], lines: [[value('N')], [UNMATCHED], [TOTAL]] },
  columns: { columns: ['Cal.year'], lines: [[value(2031)], [TOTAL]] },
  measures: [{ name: 'seats' }, { name: 'fare' }],
  values: [
    [
      [5, 5],
      [2, 2],
      [7, 7],
    ],
    [
      [1.5, 1.5],
      [null, null],
      [1.5, 1.5],
    ],
  ],
} as unknown as GridAnswer;

const model = (checks: unknown[], folios: unknown[] = []): ModelDocument =>
  ({ probes: [PROBE], folios, measures: [], checks }) as unknown as ModelDocument;
const at = (name: string, year: number | null = 2031) => [
  { column: 'Port.name', member: value(name) },
  ...(year === null ? [] : [{ column: 'Cal.year', member: value(year) }]),
];

describe('a check made of what is shown', () => {
  it('holds one cell of the probe by its name, and takes a name that is free', () => {
    const made = fromCells(model([{ name: 'seats, N, 2031', probe: 'x', must: { hold: 'TRUE' } }]), PROBE, [
      { measure: 'seats', at: at('N'), value: 5 },
    ]);
    expect(made).toEqual({
      name: 'Seats, N, 2031, 2',
      probe: 'Ports',
      must: { table: { columns: ['Port.name', 'Cal.year', 'seats'], rows: [['N', 2031, 5]] } },
    });
  });

  it('holds several cells on lines, fractions as near as sums of them are; cells of other totals are left out', () => {
    const cells = [
      { measure: 'seats', at: at('N'), value: 5 },
      { measure: 'fare', at: at('N'), value: 1.5 },
      { measure: 'seats', at: at('S'), value: 2 },
      { measure: 'seats', at: at('N', null), value: 9 },
    ];
    const made = fromCells(model([]), { ...PROBE, picks: [{ where: 'x' }] }, cells);
    expect(made?.must).toEqual({
      table: {
        columns: ['Port.name', 'Cal.year', 'seats', 'fare'],
        rows: [
          ['N', 2031, 5, 1.5],
          ['S', 2031, 2, null],
        ],
      },
      tolerance: { relative: 1e-9 },
    });
    expect(made?.probe).toEqual({
      rows: ['Port.name'],
      columns: ['Cal.year'],
      measures: ['seats', 'fare'],
      picks: [{ where: 'x' }],
      totals: 'all',
    });
  });

  it('holds a grid without its totals, and no other line', () => {
    expect(fromGrid(model([]), PROBE, ANSWER)?.must).toEqual({
      table: {
        columns: ['Port.name', 'Cal.year', 'seats', 'fare'],
        rows: [
          ['N', 2031, 5, 1.5],
          [{ unmatched: true }, 2031, 2, null],
        ],
      },
      tolerance: { relative: 1e-9 },
      whole: true,
    });
  });

  it('holds two measures equal, a pasted table as near as it was written, a number of a folio', () => {
    expect(fromMeasures(model([]), PROBE, 'seats', 'all seats').must).toEqual({ hold: 'seats = "all seats"', empty: 'holds' });
    expect(fromPasted(model([]), PROBE, [{ measure: 'fare', at: at('N'), value: 1.5, room: 0.05 }])?.must).toMatchObject({
      tolerance: { absolute: 0.05 },
    });
    expect(fromTile(model([]), 'Page', 2, { kind: 'number' } as never, 'seats', 7)).toMatchObject({ probe: { folio: 'Page', tile: 2 } });
    expect(fromCells(model([]), PROBE, [])).toBeNull();
  });
});

describe('which checks hold a cell', () => {
  const own = { rows: PROBE.rows, columns: PROBE.columns, measures: PROBE.measures, picks: [], totals: 'all' };
  const line = { table: { columns: ['Cal.year', 'Port.name', 'seats'], rows: [[2031, 'N', 5]] } };
  it.each([
    [{ probe: 'Ports', must: line }, ['seats 0 0']],
    [{ probe: own, must: { table: { columns: ['Port.name', 'fare'], rows: [[{ unmatched: true }, 0]] } } }, ['fare 1 1']],
    [{ probe: { ...own, picks: [{ where: 'Cal.year > 1' }] }, must: line }, []],
    [{ probe: 'gone', must: line }, []],
    [
      { probe: own, must: { add_up: ['Port.name'] } },
      ['fare 0 1', 'fare 1 1', 'fare 2 0', 'fare 2 1', 'seats 0 1', 'seats 1 1', 'seats 2 0', 'seats 2 1'],
    ],
    [{ probe: { ...own, measures: ['seats'] }, must: { as_in: '1' } }, ['seats 0 0', 'seats 1 0']],
    [{ rows: 'Port', must: { count: { at_most: 1 } } }, []],
  ])('%j', (check, places) => {
    const asked = model([{ name: 'c', ...check }]);
    const held = heldCells(asked, { ...PROBE }, ANSWER);
    expect([...held.keys()].sort()).toEqual(places);
    expect(heldAt(asked, PROBE, 'seats', at('N')).length).toBe((places as string[]).includes('seats 0 0') ? 1 : 0);
  });

  it('reads a tile as its folio shows it', () => {
    const folios = [
      { name: 'Page', picks: [{ column: 'A.b', in: [1] }, { where: 'w' }], tiles: [{ kind: 'number', probe: 'Ports', without: ['w'] }] },
    ];
    const check = { name: 'c', probe: { folio: 'page', tile: 1 }, must: { hold: 'TRUE' } } as unknown as Check;
    expect(probeOf(model([], folios), check)?.picks).toEqual([{ column: 'A.b', in: [1] }]);
  });
});

it.each([
  [{ must: { add_up: ['Port.name'] } }, 'adds up over Port name'],
  [{ must: { table: { columns: [], rows: [[1]] }, whole: true } }, '1 line as listed, and no other'],
  [{ must: { count: { at_least: 1, at_most: 4 } }, rows: 'Port' }, 'Port: at least 1 at most 4'],
  [{ must: { none: ['orphaned_keys'] }, about: 'link port' }, 'no orphaned keys about link port'],
  [{ must: { fresh: { days: 2, rows_within: 0.2 } }, table: 'Port' }, 'Port: loaded within 2 days rows within 20 %'],
])('what must hold is told: %j', (check, words) => expect(mustWords(check as unknown as Check)).toBe(words));

it('shares coverage out by what is broken, holes and what is equivalent apart', () => {
  const change = (about: string, state: string) => ({ about, verdict: { state } }) as unknown as Covered;
  const all = [change('link a', 'noticed'), change('link a', 'unnoticed'), change('link a', 'equivalent'), change('link b', 'refused')];
  const shares = byAbout(all);
  expect(shareWords(shareOf(all))).toBe('1 of 2 changes are noticed; 1 more leave every number as it is');
  expect([...shares].map(([about, share]) => [about, coverOf(share)])).toEqual([
    ['link a', 'part'],
    ['link b', 'still'],
  ]);
});

describe('a check changed', () => {
  const saidOf = (check: Check) => Object.fromEntries(fieldsOf(check).map((f) => [f.key, f.value]));
  const named = (must: unknown, more = {}) => ({ name: 'c', folder: '', description: '', must, ...more }) as Check;
  const kinds: [Check, Record<string, string>, unknown][] = [
    [named({ hold: 'a = b', in: 'all', empty: 'fails' }), { hold: 'a < b', in: 'lines' }, { hold: 'a < b', in: 'lines', empty: 'fails' }],
    [
      named({ table: { columns: ['seats'], rows: [[7]] }, tolerance: { absolute: 0.5 } }),
      { absolute: '', relative: '0.01', whole: 'fail' },
      { table: { columns: ['seats'], rows: [[7]] }, tolerance: { relative: 0.01 }, whole: true },
    ],
    [named({ file: 'checks/a.csv', whole: true }), { absolute: '2' }, { file: 'checks/a.csv', whole: true, tolerance: { absolute: 2 } }],
    [
      named({ query: { connection: 'office', sql: 'SELECT 1' } }),
      { sql: 'SELECT 2' },
      { query: { connection: 'office', sql: 'SELECT 2' } },
    ],
    [named({ as_in: '1' }), { as_in: 'latest' }, { as_in: 'latest' }],
    [named({ count: { at_least: 1 } }, { rows: 'Port' }), { at_least: '0', at_most: '9' }, { count: { at_least: 0, at_most: 9 } }],
    [named({ fresh: { days: 2 } }, { table: 'Port' }), { days: '', rows_within: '0.2' }, { fresh: { rows_within: 0.2 } }],
  ];

  it.each(kinds)('%o stays as it is, or becomes what is filled in', (check, said, must) => {
    expect(checkWith(check, saidOf(check))).toEqual({ check });
    expect(checkWith(check, { ...saidOf(check), ...said, name: ' d ' })).toMatchObject({ check: { name: 'd' } });
    const changed = checkWith(check, { ...saidOf(check), ...said });
    expect('check' in changed && changed.check.must).toEqual(must);
  });

  it('says all that is wrong at once', () => {
    const check = named({ fresh: { days: 2 } }, { table: 'Port' });
    const changed = checkWith(check, { ...saidOf(check), name: ' ', days: 'two', rows_within: 'Infinity' });
    expect('wrong' in changed && changed.wrong).toHaveLength(3);
  });

  it('lists what its probe shows now, and no longer what is gone', () => {
    const listing = (columns: string[], rows: unknown[][], more = {}) => named({ table: { columns, rows }, ...more }, { probe: 'Ports' });
    const again = (check: Check) => listedAgain(model([]), check, PROBE, ANSWER);
    expect(
      again(
        listing(
          ['seats', 'Cal.year', 'Port.name'],
          [
            [1, 2031, 'N'],
            [1, 2031, 'Gone'],
          ],
        ),
      ),
    ).toEqual({
      table: { columns: ['seats', 'Cal.year', 'Port.name'], rows: [[5, 2031, 'N']] },
    });
    expect(again(listing(['Port.name', 'fare'], [[{ unmatched: true }, 9]], { tolerance: { absolute: 1 } }))).toEqual({
      table: { columns: ['Port.name', 'fare'], rows: [[{ unmatched: true }, null]] },
      tolerance: { absolute: 1 },
    });
    expect(again(listing(['Port.name', 'seats'], [['Gone', 9]]))).toBeNull();
    const whole = again(listing(['Port.name', 'Cal.year', 'seats', 'fare'], [], { whole: true, tolerance: { absolute: 1 } }));
    expect(whole).toMatchObject({
      whole: true,
      tolerance: { absolute: 1 },
      table: {
        rows: [
          ['N', 2031, 5, 1.5],
          [{ unmatched: true }, 2031, 2, null],
        ],
      },
    });
    expect(again(named({ as_in: '1' }))).toBeNull();
  });
});
