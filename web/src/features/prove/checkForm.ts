// What can be changed of a check, as fields of text, and the check that comes of them. Pure.
import type { Check, GridAnswer, Probe } from '../../api/client';
import { fromGrid, lineKey, memberValue } from './checkModel';
import type { ModelDocument } from '../../api/client';

export interface CheckField {
  key: string;
  label: string;
  value: string;
  kind: 'text' | 'formula' | 'long' | 'number' | 'choice';
  choices?: string[];
}

const text = (value: number | null | undefined): string => (value === null || value === undefined ? '' : String(value));

/** The fields of a check: of what it is called, and of what must hold by its kind. */
export function fieldsOf(check: Check): CheckField[] {
  return [
    { key: 'name', label: 'name', value: check.name ?? '', kind: 'text' },
    { key: 'folder', label: 'folder', value: check.folder ?? '', kind: 'text' },
    { key: 'description', label: 'why it is so, and who says so', value: check.description ?? '', kind: 'long' },
    ...fieldsOfMust(check),
  ];
}

function fieldsOfMust(check: Check): CheckField[] {
  const must = check.must;
  if ('hold' in must)
    return [
      { key: 'hold', label: 'must be true', value: must.hold, kind: 'formula' },
      { key: 'in', label: 'in', value: must.in ?? 'all', kind: 'choice', choices: ['lines', 'totals', 'all'] },
      { key: 'empty', label: 'where it comes to empty', value: must.empty ?? 'fails', kind: 'choice', choices: ['fails', 'holds'] },
    ];
  if ('table' in must || 'file' in must || 'query' in must) {
    const near = must.tolerance;
    return [
      ...('query' in must ? [{ key: 'sql', label: 'SQL', value: must.query.sql, kind: 'formula' as const }] : []),
      { key: 'absolute', label: 'may be off by', value: text(near?.absolute || null), kind: 'number' },
      { key: 'relative', label: 'or by this share of it', value: text(near?.relative || null), kind: 'number' },
      {
        key: 'whole',
        label: 'lines that are not listed',
        value: must.whole ? 'fail' : 'may be',
        kind: 'choice',
        choices: ['may be', 'fail'],
      },
    ];
  }
  if ('as_in' in must) return [{ key: 'as_in', label: 'as in release', value: must.as_in, kind: 'text' }];
  if ('count' in must)
    return [
      { key: 'rows', label: 'rows', value: check.rows ?? '', kind: 'formula' },
      { key: 'at_least', label: 'at least', value: text(must.count.at_least), kind: 'number' },
      { key: 'at_most', label: 'at most', value: text(must.count.at_most), kind: 'number' },
    ];
  if ('fresh' in must)
    return [
      { key: 'days', label: 'loaded within days', value: text(must.fresh.days), kind: 'number' },
      { key: 'rows_within', label: 'rows within this share of the load before', value: text(must.fresh.rows_within), kind: 'number' },
    ];
  return [];
}

/** The check with its fields as they are filled in, or what is wrong with them: one sentence each. */
export function checkWith(check: Check, said: Record<string, string>): { check: Check } | { wrong: string[] } {
  const wrong = fieldsOf(check)
    .filter((f) => f.kind === 'number' && said[f.key]?.trim() && !Number.isFinite(Number(said[f.key])))
    .map((f) => `“${f.label}” wants a number, as 0.5; ${said[f.key]} is none.`);
  if (!said.name?.trim()) wrong.push('A check has a name.');
  if (wrong.length) return { wrong };
  const words = (key: string): string => (said[key] ?? '').trim();
  const number = (key: string): number | undefined => (words(key) === '' ? undefined : Number(words(key)));
  const named = { ...check, name: words('name'), folder: words('folder'), description: words('description') };
  const must = check.must;
  if ('hold' in must)
    return { check: { ...named, must: { hold: words('hold'), in: words('in'), empty: words('empty') } as Check['must'] } };
  if ('table' in must || 'file' in must || 'query' in must) {
    const near = bare({ absolute: number('absolute'), relative: number('relative') });
    const query = 'query' in must ? { query: { ...must.query, sql: words('sql') } } : {};
    const { tolerance: _before, whole: _all, ...rest } = must;
    const kept = {
      ...rest,
      ...query,
      ...(Object.keys(near).length ? { tolerance: near } : {}),
      ...(words('whole') === 'fail' && { whole: true }),
    };
    return { check: { ...named, must: kept as Check['must'] } };
  }
  if ('as_in' in must) return { check: { ...named, must: { as_in: words('as_in') } } };
  if ('count' in must) {
    const count = bare({ at_least: number('at_least'), at_most: number('at_most') });
    return { check: { ...named, rows: words('rows'), must: { count } as Check['must'] } };
  }
  if ('fresh' in must)
    return { check: { ...named, must: { fresh: bare({ days: number('days'), rows_within: number('rows_within') }) } as Check['must'] } };
  return { check: named };
}

const bare = (fields: Record<string, number | undefined>): Record<string, number> =>
  Object.fromEntries(Object.entries(fields).filter((f): f is [string, number] => f[1] !== undefined));

/** A check as an edit takes it: what is not said is left out. */
export const withoutNothing = (check: Check): Record<string, unknown> =>
  Object.fromEntries(
    Object.entries(check).filter(([, v]) => v !== null && v !== undefined && v !== '' && !(Array.isArray(v) && v.length === 0)),
  );

/** A listed table with what its probe shows now; a cell that is not there any more is no longer listed. */
export function listedAgain(model: ModelDocument, check: Check, probe: Probe, answer: GridAnswer): Check['must'] | null {
  const must = check.must;
  if (!('table' in must)) return null;
  if (must.whole) {
    const whole = fromGrid(model, probe, answer)?.must;
    return whole ? ({ ...whole, ...(must.tolerance && { tolerance: must.tolerance }) } as Check['must']) : null;
  }
  const shown = shownValues(answer);
  const { columns, rows } = must.table;
  const isMeasure = columns.map((c) => probe.measures.includes(c));
  const again = rows.flatMap((row) => {
    const axes = columns.filter((_, i) => !isMeasure[i]);
    const members = row.filter((_, i) => !isMeasure[i]);
    const values = shown.get(lineKey(axes, members));
    return values ? [row.map((v, i) => (isMeasure[i] ? values[probe.measures.indexOf(columns[i] ?? '')] : v))] : [];
  });
  return again.length ? ({ ...must, table: { columns, rows: again } } as Check['must']) : null;
}

/** The values of each line, by the coordinates that are not totals. */
function shownValues(answer: GridAnswer): Map<string, unknown[]> {
  const axes = [...answer.rows.columns, ...answer.columns.columns];
  const shown = new Map<string, unknown[]>();
  for (const [r, down] of answer.rows.lines.entries())
    for (const [c, across] of answer.columns.lines.entries()) {
      const line = axes.map((column, i) => ({ column, member: [...down, ...across][i] })).filter((x) => x.member?.kind !== 'total');
      const key = lineKey(
        line.map((x) => x.column),
        line.map((x) => x.member && memberValue(x.member)),
      );
      shown.set(
        key,
        answer.measures.map((_, m) => answer.values[m]?.[r]?.[c] ?? null),
      );
    }
  return shown;
}
