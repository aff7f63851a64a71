// What bands, lists and parameters are made of.
import { useState } from 'react';
import type { Origin } from './requests';

interface Form {
  origin: Origin;
  onChange: (origin: Origin) => void;
}

interface Size {
  name: string;
  edges?: number[];
  start?: number | null;
  end?: number | null;
  step?: number | null;
  labels?: string[];
  open_below?: boolean;
  open_above?: boolean;
}

export function BandsForm({ origin, onChange }: Form) {
  const sizes = (origin.sizes as Size[] | undefined) ?? [];
  const put = (at: number, part: Partial<Size>) => onChange({ ...origin, sizes: sizes.map((s, i) => (i === at ? { ...s, ...part } : s)) });
  const number = (text: string) => (text === '' ? null : Number(text));
  return (
    <>
      {sizes.map((size, at) => (
        <fieldset key={`${at}`} className="band-size">
          <legend>Size {at + 1}</legend>
          <div className="settings">
            <label>
              Called
              <input className="field" value={size.name} onChange={(e) => put(at, { name: e.target.value })} />
            </label>
            <label>
              From
              <input
                className="field tiny"
                type="number"
                value={size.start ?? ''}
                onChange={(e) => put(at, { start: number(e.target.value), edges: [] })}
              />
            </label>
            <label>
              To
              <input
                className="field tiny"
                type="number"
                value={size.end ?? ''}
                onChange={(e) => put(at, { end: number(e.target.value), edges: [] })}
              />
            </label>
            <label>
              In steps of
              <input
                className="field tiny"
                type="number"
                min={0}
                value={size.step ?? ''}
                onChange={(e) => put(at, { step: number(e.target.value), edges: [] })}
              />
            </label>
            <Listed
              label="or edges of your own"
              values={(size.edges ?? []).map(String)}
              onChange={(missing) =>
                put(at, { edges: missing.map(Number).filter((x) => !Number.isNaN(x)), start: null, end: null, step: null })
              }
              hint="-60, 0, 5, 15"
            />
            <Listed label="Labels" values={size.labels ?? []} onChange={(labels) => put(at, { labels })} hint="made from the edges" />
            <label className="check">
              <input type="checkbox" checked={size.open_below === true} onChange={(e) => put(at, { open_below: e.target.checked })} />
              one below
            </label>
            <label className="check">
              <input type="checkbox" checked={size.open_above === true} onChange={(e) => put(at, { open_above: e.target.checked })} />
              one above
            </label>
            {sizes.length > 1 && (
              <button type="button" className="plain" onClick={() => onChange({ ...origin, sizes: sizes.filter((_, i) => i !== at) })}>
                leave it out
              </button>
            )}
          </div>
        </fieldset>
      ))}
      <button
        type="button"
        className="pill small"
        onClick={() => onChange({ ...origin, sizes: [...sizes, { name: `size ${sizes.length + 1}`, start: 0, end: 100, step: 10 }] })}
      >
        one more size
      </button>
    </>
  );
}

/** Values written with commas; what is being typed stays as it is typed. */
function Listed({
  label,
  values,
  onChange,
  hint,
}: {
  label: string;
  values: string[];
  onChange: (values: string[]) => void;
  hint: string;
}) {
  const [text, setText] = useState(values.join(', '));
  return (
    <label>
      {label}
      <input
        className="field"
        value={text}
        placeholder={hint}
        onChange={(e) => {
          setText(e.target.value);
          onChange(
            e.target.value
              .split(',')
              .map((x) => x.trim())
              .filter(Boolean),
          );
        }}
      />
    </label>
  );
}

interface ListColumn {
  name: string;
  type: string;
}
type Cell = string | number | boolean | null;

/** Lines and cells of a text as a sheet copies them: tabs, or else semicolons or commas. */
function pasted(text: string): string[][] {
  const lines = text.replace(/\r/g, '').split('\n');
  while (lines.length && lines.at(-1)?.trim() === '') lines.pop();
  const mark = text.includes('\t') ? '\t' : text.includes(';') ? ';' : ',';
  return lines.map((line) => line.split(mark).map((x) => x.trim()));
}

export function ListForm({ origin, onChange }: Form) {
  const columns = (origin.columns as ListColumn[] | undefined) ?? [];
  const rows = (origin.rows as Cell[][] | undefined) ?? [];
  const [text, setText] = useState(() =>
    [columns.map((c) => c.name), ...rows.map((r) => r.map((x) => (x === null ? '' : String(x))))].map((r) => r.join('\t')).join('\n'),
  );
  const take = (next: string) => {
    setText(next);
    const [head = [], ...body] = pasted(next);
    const types = new Map(columns.map((c) => [c.name, c.type]));
    const names = head.map((n, i) => n || `column ${i + 1}`);
    onChange({
      ...origin,
      columns: names.map((name) => ({ name, type: types.get(name) ?? '' })),
      rows: body.map((r) => r.map((x) => (x === '' ? null : x))),
    });
  };
  return (
    <>
      <label>
        Headings in the first line, then a row a line; cells between tabs, semicolons or commas
        <textarea
          className="field mono"
          rows={9}
          spellCheck={false}
          aria-label="Rows of the list"
          value={text}
          onChange={(e) => take(e.target.value)}
        />
      </label>
      <div className="settings">
        {columns.map((c, i) => (
          <label key={`${i}`}>
            {c.name}
            <select
              className="field"
              aria-label={`Type of ${c.name}`}
              value={c.type}
              onChange={(e) => onChange({ ...origin, columns: columns.map((x, j) => (j === i ? { ...x, type: e.target.value } : x)) })}
            >
              <option value="">found by itself</option>
              {['text', 'integer', 'number', 'boolean', 'date', 'datetime'].map((t) => (
                <option key={t}>{t}</option>
              ))}
            </select>
          </label>
        ))}
      </div>
    </>
  );
}

export function ParameterForm({ origin, onChange }: Form) {
  const number = (key: string, label: string) => (
    <label>
      {label}
      <input
        className="field tiny"
        type="number"
        step="any"
        value={String(origin[key] ?? '')}
        onChange={(e) => e.target.value !== '' && onChange({ ...origin, [key]: Number(e.target.value) })}
      />
    </label>
  );
  return (
    <div className="settings">
      <label>
        Column
        <input
          className="field"
          value={String(origin.column ?? 'value')}
          onChange={(e) => onChange({ ...origin, column: e.target.value || 'value' })}
        />
      </label>
      {number('start', 'From')}
      {number('end', 'To')}
      {number('step', 'In steps of')}
    </div>
  );
}
