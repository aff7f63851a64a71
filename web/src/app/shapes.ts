// What an address, or a package from elsewhere, says of a screen: read part by part, and what is not part of it left out. Pure.
import * as v from 'valibot';
import type { Folio, Probe, Tile } from '../api/client';

const scalar = v.nullable(v.union([v.boolean(), v.number(), v.string()]));
const picked = v.union([scalar, v.object({ unmatched: v.literal(true) })]);
const texts = listOf(v.string());
const words = recordOf(v.string());
const optional = <S extends v.GenericSchema>(schema: S) => v.fallback(v.optional(schema), undefined as v.InferOutput<S> | undefined);

/** A list's well-formed items; no list is an empty one. */
function listOf<S extends v.GenericSchema>(item: S) {
  return v.fallback(
    v.pipe(
      v.array(v.unknown()),
      v.transform((list) =>
        list.flatMap((x) => {
          const read = v.safeParse(item, x);
          return read.success ? [read.output] : [];
        }),
      ),
    ),
    [],
  );
}

function recordOf<S extends v.GenericSchema>(item: S) {
  return v.pipe(
    v.record(v.string(), v.unknown()),
    v.transform(
      (record) => Object.fromEntries(Object.entries(record).filter(([, x]) => v.is(item, x))) as Record<string, v.InferOutput<S>>,
    ),
  );
}

const pick = v.union([v.object({ column: v.string(), in: listOf(picked) }), v.object({ where: v.string() })]);
const order = v.object({ by: v.string(), desc: optional(v.boolean()), at: optional(recordOf(picked)) });
const look = v.object({
  picture: optional(v.picklist(['grid', 'bars', 'lines', 'columns', 'stacked', 'dots', 'heat', 'multiples'])),
  shade: optional(texts),
  bars: optional(texts),
  formats: optional(words),
  folded: optional(texts),
  pinned: optional(texts),
});
const probe = v.object({
  name: optional(v.string()),
  rows: texts,
  columns: texts,
  measures: texts,
  picks: listOf(pick),
  totals: v.fallback(v.picklist(['none', 'grand', 'all']), 'none'),
  define: optional(words),
  sort: optional(listOf(order)),
  top: optional(
    v.object({
      count: v.pipe(v.number(), v.integer(), v.minValue(1)),
      by: v.string(),
      asc: optional(v.boolean()),
      level: optional(v.string()),
      ties: optional(v.boolean()),
    }),
  ),
  having: optional(listOf(v.object({ where: v.string(), level: optional(v.string()) }))),
  empty_lines: optional(v.boolean()),
  limit: optional(v.number()),
  description: optional(v.string()),
  look: optional(look),
});
const size = optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(8)));
const tile = v.object({
  kind: v.picklist(['probe', 'number', 'text']),
  title: optional(v.string()),
  probe: optional(v.union([v.string(), probe])),
  text: optional(v.string()),
  against: optional(v.string()),
  without: optional(texts),
  width: size,
  height: size,
});
const folio = v.object({ name: v.fallback(v.string(), ''), description: optional(v.string()), picks: listOf(pick), tiles: listOf(tile) });
const member = v.variant('kind', [
  v.object({ kind: v.literal('value'), value: scalar }),
  v.object({ kind: v.picklist(['empty', 'unmatched', 'total']) }),
]);
const at = v.array(v.object({ column: v.string(), member }));
const kinds = {
  measure: v.string(),
  mark: v.picklist([
    'unreached',
    'partly',
    'overridden',
    'apart',
    'denominator',
    'whole',
    'dimension_side',
    'unmatched',
    'coarse',
    'lost',
    'uneven',
    'nested',
    'first',
    'fixed',
  ]),
};
const selection = v.variant('kind', [
  v.object({ kind: v.picklist(['table', 'link', 'measure']), name: v.string() }),
  v.object({ kind: v.literal('column'), table: v.string(), name: v.string() }),
  v.object({ kind: v.literal('history'), number: v.nullable(v.number()) }),
  v.object({ kind: v.literal('mark'), ...kinds, at: optional(at) }),
  v.object({ kind: v.literal('cell'), measure: v.string(), at }),
  v.object({ kind: v.literal('check'), name: v.string() }),
  v.object({ kind: v.literal('hole'), about: v.string(), words: v.string() }),
  v.object({ kind: v.literal('release'), number: v.union([v.number(), v.literal('new')]) }),
]);
const addressed = v.object({
  s: optional(selection),
  p: optional(probe),
  f: optional(v.string()),
  t: optional(v.string()),
  m: optional(v.string()),
  v: optional(v.picklist(['rows', 'keys', 'make', 'remake'])),
  w: optional(v.picklist(['both', 'matrix', 'star'])),
  b: optional(v.string()),
  h: optional(v.union([v.object({ measure: v.string() }), v.object({ given: v.string() })])),
  r: optional(v.picklist(['out', 'in'])),
  x: optional(v.array(v.looseObject({ kind: v.string() }))),
  o: optional(folio),
  c: optional(v.object({ measure: v.string(), at })),
  k: optional(v.picklist(['checks', 'coverage', 'proofs', 'releases', 'findings'])),
  a: optional(v.number()),
});
export type Addressed = v.InferOutput<typeof addressed>;

/** Without the parts that are not there, which would stand in addresses and packages as nothing. */
const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

/** What an address names, and whether all of it was understood. */
export function readNamed(text: string): { named: Addressed; whole: boolean } {
  let given: unknown = null;
  try {
    given = JSON.parse(text);
  } catch {
    return { named: {}, whole: false };
  }
  const read = v.safeParse(addressed, given);
  const named: Addressed = read.success ? plain(read.output) : {};
  return { named, whole: read.success && sorted(named) === sorted(given) };
}

/** The same text for the same thing, whatever the order of its parts; lists that are empty say nothing. */
function sorted(value: unknown): string {
  return JSON.stringify(value, (_, x: unknown) => {
    if (x === null || typeof x !== 'object' || Array.isArray(x)) return x;
    return Object.fromEntries(
      Object.entries(x)
        .filter(([key, part]) => !(Array.isArray(part) && part.length === 0) && !(key === 'totals' && part === 'none'))
        .sort(([a], [b]) => (a < b ? -1 : 1)),
    );
  });
}

/** A probe as the model stores it, with what it leaves out filled in. */
export function asProbe(stored: unknown): Probe {
  const read = v.safeParse(probe, stored);
  return read.success ? (plain(read.output) as Probe) : { rows: [], columns: [], measures: [], picks: [], totals: 'none' };
}

/** A folio as the model stores it, with what it leaves out filled in. */
export function asFolio(stored: unknown): Folio {
  const read = v.safeParse(folio, stored);
  return read.success ? { ...plain(read.output), tiles: plain(read.output.tiles) as Tile[] } : { name: '', picks: [], tiles: [] };
}

/** Whether two probes say the same, in whatever order their parts stand and whatever is left out in the one and nothing in the other. */
export function sameProbe(a: unknown, b: unknown): boolean {
  return a && b ? sorted(asProbe(a)) === sorted(asProbe(b)) : a === b;
}

/** The same of two folios. */
export function sameFolio(a: unknown, b: unknown): boolean {
  return a && b ? sorted(asFolio(a)) === sorted(asFolio(b)) : a === b;
}
