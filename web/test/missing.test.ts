import { describe, expect, it } from 'vitest';
import { missingQuestion } from '../src/features/gather/missing';
import { withMissing } from '../src/features/link/missingMembers';

type Items = Parameters<typeof missingQuestion>[0];
type Found = [words: string[], count: number, type: string] | null;

function item(columns: Record<string, Found>, more: { state?: string; source?: object } = {}): Items[number] {
  const told = Object.entries(columns).map(([name, m]) => ({ name, missing: m && { words: m[0], count: m[1], type: m[2] } }));
  return { state: 'read', source: { kind: 'csv' }, ...more, report: { columns: told } } as unknown as Items[number];
}

describe('texts that mean no value', () => {
  it('are not asked about where they are texts alone, or were not read', () => {
    expect(
      missingQuestion([item({ a: null, b: [['NA'], 3, 'text'] }), item({ c: [['NA'], 1, 'integer'] }, { state: 'failed' })]),
    ).toBeNull();
  });

  it('are asked about once for all files', () => {
    const asked = missingQuestion([
      item({ a: [['NA'], 3, 'integer'], b: [['NA'], 2, 'text'], t: [['-'], 9, 'text'] }),
      item({ x: null }),
      item({ c: [['NA', 'n/a'], 4, 'date'] }, { source: { kind: 'csv', missing: ['', '?'] } }),
    ]);
    expect(JSON.parse(JSON.stringify(asked))).toEqual({
      words: ['NA', 'n/a'],
      columns: 2,
      tables: 2,
      values: 7,
      texts: [{ column: 'b', count: 2 }],
      sources: { 0: { kind: 'csv', missing: ['', 'NA', 'n/a'] }, 2: { kind: 'csv', missing: ['', '?', 'NA', 'n/a'] } },
    });
  });
});

it('makes one step of missing members, however many links name them', () => {
  const link = { from_table: 'Trip', from_columns: ['a'], to_columns: ['code'] } as Parameters<typeof withMissing>[1];
  const port = {
    name: 'Port',
    steps: [{ kind: 'trim', columns: ['code'] }],
    columns: [{ name: 'code' }, { name: 'Added' }],
  } as unknown as Parameters<typeof withMissing>[0];
  const first = withMissing(port, link) as unknown as { steps: { [key: string]: unknown }[]; title: string };
  expect(first.steps.slice(1)).toEqual([
    { kind: 'add_missing', key: ['code'], named_by: [{ table: 'Trip', columns: ['a'] }], into: 'added here' },
  ]);
  const second = withMissing({ ...port, steps: first.steps }, { ...link, from_columns: ['b'] }) as unknown as typeof first;
  expect((second.steps[1] as unknown as { named_by: { columns: string[] }[] }).named_by.map((x) => x.columns)).toEqual([['a'], ['b']]);
  expect([second.steps.length, second.title]).toEqual([2, 'add missing members to Port']);
});
