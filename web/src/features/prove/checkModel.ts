// Checks as the screens speak of them: what must hold in words, which cells one holds, and checks proposed from what is on screen. Pure.
import type { Check, Coordinate, GridAnswer, Member, ModelDocument, Probe, Scalar, Tile } from '../../api/client';
import { asFolio, asProbe } from '../../app/shapes';
import { tileProbe } from '../folio/tileProbe';
import { columnName, counted, memberText, nameText } from '../../shared/format';

/** How far sums of fractions may be apart by the order they are summed in. */
const NEAR = 1e-9;
const MOST_NAME = 120;
export const MOST_HELD = 5000;

type CheckMember = Scalar | { unmatched: true };

export const memberValue = (member: Member): CheckMember =>
  member.kind === 'unmatched' ? { unmatched: true } : member.kind === 'empty' ? null : (member.value ?? null);

export function coordinateOf(column: string, value: unknown): Coordinate {
  if (value !== null && typeof value === 'object') return { column, member: { kind: 'unmatched', value: null } };
  return value === null
    ? { column, member: { kind: 'empty', value: null } }
    : { column, member: { kind: 'value', value: value as Scalar } };
}

/** A failing cell's place as coordinates. */
export const placeOf = (at: Record<string, unknown>): Coordinate[] =>
  Object.entries(at).map(([column, value]) => coordinateOf(column, value));

/** The probe that a check is about, as the model has it; of a folio's tile as the folio shows it. */
export function probeOf(model: ModelDocument, check: Check): Probe | null {
  const about = check.probe;
  if (about === null || about === undefined) return null;
  if (typeof about === 'string') {
    const saved = model.probes.find((p) => p.name?.toLowerCase() === about.toLowerCase());
    return saved ? asProbe(saved) : null;
  }
  if ('folio' in about) {
    const stored = model.folios.find((f) => f.name?.toLowerCase() === about.folio.toLowerCase());
    const folio = stored && asFolio(stored);
    const tile = folio?.tiles[about.tile - 1];
    return folio && tile ? tileProbe(model, tile, folio.picks) : null;
  }
  return asProbe(about);
}

/** What must hold, in a few words. */
export function mustWords(check: Check): string {
  const must = check.must;
  if ('hold' in must) return must.hold;
  if ('table' in must) return `${counted(must.table.rows.length, 'line')} as listed${must.whole ? ', and no other' : ''}`;
  if ('file' in must) return `as listed in ${must.file}`;
  if ('query' in must) return `as ${must.query.connection} has it`;
  if ('add_up' in must) return `adds up over ${must.add_up.map(columnName).join(', ')}`;
  if ('as_in' in must) return `as in ${must.as_in}`;
  if ('count' in must) {
    const { at_least: least, at_most: most } = must.count;
    return [`${check.rows}:`, least ? `at least ${least}` : '', most !== null && most !== undefined ? `at most ${most}` : '']
      .filter(Boolean)
      .join(' ');
  }
  if ('none' in must) return `no ${must.none.map((c) => c.replaceAll('_', ' ')).join(', ')}${check.about ? ` about ${check.about}` : ''}`;
  const { days, rows_within: within } = must.fresh;
  return [
    `${check.table}:`,
    days ? `loaded within ${counted(days, 'day')}` : '',
    within !== null && within !== undefined ? `rows within ${Math.round(within * 1000) / 10} %` : '',
  ]
    .filter(Boolean)
    .join(' ');
}

/** What a check is about, in a few words. */
export function aboutWords(check: Check): string {
  const about = check.probe;
  if (typeof about === 'string') return about;
  if (about && 'folio' in about) return `${about.folio}, tile ${about.tile}`;
  if (about) return [...(about.measures ?? []).map(nameText), ...(about.rows ?? []).map((c) => `by ${columnName(c)}`)].join(', ');
  return check.rows ?? check.table ?? check.about ?? 'the model';
}

/** Whether two probes ask under the same page. */
const samePage = (a: Probe, b: Probe) =>
  JSON.stringify([...a.picks].map((p) => JSON.stringify(p)).sort()) === JSON.stringify([...b.picks].map((p) => JSON.stringify(p)).sort()) &&
  JSON.stringify(a.define ?? {}) === JSON.stringify(b.define ?? {});

/** A cell's place as a key: columns with their members, in any order. */
export const lineKey = (columns: string[], values: unknown[]): string => JSON.stringify(columns.map((c, i) => [c, values[i]]).sort());

/** The checks that hold cells of a grid: by measure, row line and column line as the painter names them. */
export function heldCells(model: ModelDocument, probe: Probe, answer: GridAnswer): Map<string, string[]> {
  const held = new Map<string, string[]>();
  const tests = model.checks.flatMap((check) => {
    const about = probeOf(model, check);
    return about && samePage(about, probe) ? [{ check, test: tester(check, about) }] : [];
  });
  if (tests.length === 0) return held;
  const axes = [...answer.rows.columns, ...answer.columns.columns];
  for (const [r, down] of answer.rows.lines.entries())
    for (const [c, across] of answer.columns.lines.entries()) {
      const line = [...down, ...across];
      const named = axes.flatMap((column, i) => (line[i] && line[i].kind !== 'total' ? [[column, memberValue(line[i])] as const] : []));
      for (const m of answer.measures)
        for (const { check, test } of tests)
          if (
            test(
              m.name,
              named.map(([n]) => n),
              named.map(([, v]) => v),
            ) &&
            check.name
          ) {
            const key = `${m.name} ${r} ${c}`;
            held.set(key, [...(held.get(key) ?? []), check.name]);
          }
    }
  return held;
}

/** The checks that hold one cell. */
export function heldAt(model: ModelDocument, probe: Probe, measure: string, at: Coordinate[]): Check[] {
  const named = at.filter((c) => c.member.kind !== 'total');
  return model.checks.filter((check) => {
    const about = probeOf(model, check);
    return (
      about !== null &&
      samePage(about, probe) &&
      tester(check, about)(
        measure,
        named.map((c) => c.column),
        named.map((c) => memberValue(c.member)),
      )
    );
  });
}

type Test = (measure: string, columns: string[], values: unknown[]) => boolean;

/** Whether a check holds the cell of a measure at coordinates. */
function tester(check: Check, about: Probe): Test {
  const must = check.must;
  const axes = new Set([...about.rows, ...about.columns]);
  const ofAxes = (columns: string[]) => columns.every((c) => axes.has(c));
  if ('table' in must) {
    const measures = must.table.columns.map((c) => about.measures.includes(c));
    const columns = must.table.columns.filter((_, i) => !measures[i]);
    const lines = new Set(
      must.table.rows.map((row) =>
        lineKey(
          columns,
          row.filter((_, i) => !measures[i]),
        ),
      ),
    );
    const listed = must.table.columns.filter((_, i) => measures[i]);
    return (measure, at, values) => listed.includes(measure) && at.length === columns.length && lines.has(lineKey(at, values));
  }
  if ('add_up' in must) return (measure, at) => about.measures.includes(measure) && ofAxes(at) && at.length < axes.size;
  if ('hold' in must || 'as_in' in must || 'file' in must || 'query' in must)
    return (measure, at) => about.measures.includes(measure) && ofAxes(at) && (at.length === axes.size || 'hold' in must);
  return () => false;
}

/** A name that no check has. */
export function freeName(model: ModelDocument, wanted: string): string {
  const taken = new Set(model.checks.map((c) => c.name?.toLowerCase()));
  const name = wanted.replace(/\s+/g, ' ').trim().slice(0, MOST_NAME) || 'A check';
  for (let n = 1; ; n += 1) {
    const tried = n === 1 ? name : `${name}, ${n}`;
    if (!taken.has(tried.toLowerCase())) return tried;
  }
}

/** The open probe as a check names it: by its name where the model has it so, else as it is. */
function subject(model: ModelDocument, probe: Probe): Check['probe'] {
  const saved = probe.name ? model.probes.find((p) => p.name === probe.name) : undefined;
  const bare = ({ look: _look, sort: _sort, ...rest }: Probe) => rest;
  if (saved && JSON.stringify(bare(asProbe(saved))) === JSON.stringify(bare(probe))) return probe.name ?? '';
  const { name: _name, description: _said, ...own } = bare(probe);
  return own as Check['probe'];
}

function listed(columns: string[], rows: CheckMember[][], whole = false): Check['must'] {
  const fractions = rows.some((row) => row.some((v) => typeof v === 'number' && !Number.isInteger(v)));
  return {
    table: { columns, rows },
    ...(fractions ? { tolerance: { relative: NEAR } } : {}),
    ...(whole ? { whole } : {}),
  } as Check['must'];
}

export interface PastedCell {
  measure: string;
  at: Coordinate[];
  value: Scalar;
  /** Half of the last digit that was written. */
  room: number;
}

export interface ShownCell {
  measure: string;
  at: Coordinate[];
  value: Scalar;
}

const placeText = (at: Coordinate[]) => at.map((c) => memberText(c.member)).join(', ');

/** Some cells held to what they are: those of one set of coordinates each, measures beside each other. */
export function fromCells(model: ModelDocument, probe: Probe, cells: ShownCell[]): Check | null {
  const known = cells.filter((c) => typeof c.value !== 'object' || c.value === null);
  const first = known[0];
  if (!first) return null;
  const columns = first.at.map((c) => c.column);
  const alike = known.filter((c) => JSON.stringify(c.at.map((x) => x.column)) === JSON.stringify(columns));
  const measures = [...new Set(alike.map((c) => c.measure))];
  const lines = new Map<string, CheckMember[]>();
  for (const c of alike) {
    const values = c.at.map((x) => memberValue(x.member));
    const key = JSON.stringify(values);
    const line = lines.get(key) ?? [...values, ...measures.map(() => null)];
    line[columns.length + measures.indexOf(c.measure)] = c.value;
    lines.set(key, line);
  }
  const where = alike.length === 1 ? placeText(first.at) : counted(alike.length, 'cell');
  const name = freeName(model, `${measures.map(nameText).join(', ')}${where ? `, ${where}` : ''}`);
  return { name, probe: subject(model, probe), must: listed([...columns, ...measures], [...lines.values()]) };
}

/** All lines of a grid held to what they are, and no other line. */
export function fromGrid(model: ModelDocument, probe: Probe, answer: GridAnswer): Check | null {
  const columns = [...answer.rows.columns, ...answer.columns.columns];
  const rows: CheckMember[][] = [];
  for (const [r, down] of answer.rows.lines.entries())
    for (const [c, across] of answer.columns.lines.entries()) {
      const line = [...down, ...across];
      if (line.some((m) => m.kind === 'total')) continue;
      const values = answer.measures.map((_, i) => answer.values[i]?.[r]?.[c] ?? null);
      if (values.some((v) => v !== null)) rows.push([...line.map(memberValue), ...values]);
    }
  if (rows.length === 0 || rows.length * answer.measures.length > MOST_HELD) return null;
  const name = freeName(
    model,
    probe.name ? `${probe.name}, as it is` : `${answer.measures.map((m) => nameText(m.name)).join(', ')}, as they are`,
  );
  return { name, probe: subject(model, probe), must: listed([...columns, ...answer.measures.map((m) => m.name)], rows, true) };
}

/** A pasted table kept: each of its cells that the grid has, as near as it was written. */
export function fromPasted(model: ModelDocument, probe: Probe, cells: PastedCell[]): Check | null {
  const made = fromCells(model, probe, cells);
  if (!made || cells.length > MOST_HELD) return null;
  const room = Math.max(...cells.map((c) => c.room));
  const must = { ...made.must, tolerance: { absolute: room } } as Check['must'];
  return { ...made, name: freeName(model, `${probe.name || 'A table'}, as pasted`), must };
}

/** Two measures of a probe that are the same in every cell. */
export function fromMeasures(model: ModelDocument, probe: Probe, first: string, second: string): Check {
  const asked = { ...probe, measures: [...new Set([...probe.measures, first, second])] };
  const written = [first, second].map((n) => (/^[A-Za-z_][A-Za-z0-9_]*$/.test(n) ? n : `"${n.replaceAll('"', '""')}"`));
  return {
    name: freeName(model, `${nameText(first)} is ${nameText(second)}`),
    probe: subject(model, asked),
    must: { hold: written.join(' = '), empty: 'holds' } as Check['must'],
  };
}

/** What a folio's number shows, under the folio's picks. */
export function fromTile(model: ModelDocument, folio: string, place: number, tile: Tile, measure: string, value: Scalar): Check {
  const name = freeName(model, `${tile.title || nameText(measure)} of ${folio}`);
  return { name, probe: { folio, tile: place }, must: listed([measure], [[value]]) };
}

/** That a finding is not there. */
export function fromFinding(model: ModelDocument, code: string, about: string): Check {
  return { name: freeName(model, `No ${code.replaceAll('_', ' ')}: ${about}`), about, must: { none: [code] } as Check['must'] };
}
