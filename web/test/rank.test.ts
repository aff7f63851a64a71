import { expect, it } from 'vitest';
import { ranked } from '../src/shared/rank';

const ITEMS = [
  'Branch.branch_code',
  'Old branch',
  'Branch',
  'Branch.branch',
  'new measures seen',
  'new measure',
  'seats_sold',
  'seats',
  'unseated',
];
const names = (item: string) => [item];

it.each([
  ['branch', 'Branch'],
  ['Branch.branch', 'Branch.branch'],
  ['branch code', 'Branch.branch_code'],
  ['new measure', 'new measure'],
  ['SEATS', 'seats'],
  ['seats_s', 'seats_sold'],
  ['measure seen', 'new measures seen'],
  ['seat', 'seats_sold'],
  ['eated', 'unseated'],
])('what fits %s best comes first', (typed, first) => expect(ranked(ITEMS, typed, names)[0]).toBe(first));

it('leaves everything as it is where nothing is typed, and nothing where nothing fits', () => {
  expect(ranked(ITEMS, ' ', names)).toEqual(ITEMS);
  expect(ranked(ITEMS, 'no such', names)).toEqual([]);
});

it('finds what has the words in several of its names, behind what has them in one', () => {
  const several: Record<string, string[]> = { 'Remove this model': ['delete'], 'Keep this model': [], 'delete a draft this model has': [] };
  const found = ranked(Object.keys(several), 'delete this model', (item) => [item, ...(several[item] ?? [])]);
  expect(found).toEqual(['delete a draft this model has', 'Remove this model']);
});
