// The fields of a step, drawn from what its kind needs.
import type { ModelDocument, ShapeColumn } from '../../api/client';
import type { Step } from './requests';
import { MissingKeys } from './MissingKeys';
import type { Field } from './stepKinds';

interface Props {
  model: ModelDocument;
  table: string;
  columns: ShapeColumn[];
  step: Step;
  onChange: (step: Step) => void;
}

type Scalar = string | number | boolean | null;
interface Pair {
  from: Scalar[];
  to: Scalar[];
}

export function StepFields({ fields, ...props }: Props & { fields: Field[] }) {
  return (
    <div className="settings">
      {fields.map((field) => (
        <StepField key={field.key} field={field} {...props} />
      ))}
    </div>
  );
}

function StepField({ field, model, table, columns, step, onChange }: Props & { field: Field }) {
  const put = (value: unknown) => onChange({ ...step, [field.key]: value });
  const value = step[field.key];
  const text = typeof value === 'string' ? value : '';
  switch (field.type) {
    case 'column':
      return (
        <label>
          {field.label}
          <select className="field" value={text} onChange={(e) => put(e.target.value)}>
            {field.optional && <option value="">none</option>}
            {!columns.some((c) => c.name === text) && !(field.optional && text === '') && (
              <option value={text}>{text || 'choose one'}</option>
            )}
            {columns.map((c) => (
              <option key={c.name} value={c.name}>
                {c.name}
              </option>
            ))}
          </select>
        </label>
      );
    case 'choice':
      return (
        <label>
          {field.label}
          <select className="field" value={text} onChange={(e) => put(e.target.value)}>
            {field.options.map(([v, words]) => (
              <option key={v} value={v}>
                {words}
              </option>
            ))}
          </select>
        </label>
      );
    case 'text':
      return (
        <label>
          {field.label}
          <input className="field" value={text} placeholder={field.hint} onChange={(e) => put(e.target.value)} />
        </label>
      );
    case 'number':
      return (
        <label>
          {field.label}
          <input
            className="field tiny"
            type="number"
            min={1}
            value={typeof value === 'number' ? value : ''}
            onChange={(e) =>
              onChange(e.target.value === '' ? without(step, field.key) : { ...step, [field.key]: Number(e.target.value), separator: '' })
            }
          />
        </label>
      );
    case 'flag':
      return (
        <label className="check">
          <input type="checkbox" checked={typeof value === 'boolean' ? value : field.on === true} onChange={(e) => put(e.target.checked)} />
          {field.label}
        </label>
      );
    case 'formula':
      return (
        <label className="wide">
          {field.label}
          <textarea
            className="field mono"
            rows={2}
            spellCheck={false}
            value={text}
            placeholder={field.hint}
            onChange={(e) => put(e.target.value)}
          />
        </label>
      );
    case 'texts':
      return (
        <label>
          {field.label}
          <input
            className="field"
            value={(value as string[] | undefined)?.join(', ') ?? ''}
            placeholder={field.hint}
            onChange={(e) => put(e.target.value.split(',').map((x) => x.trimStart()))}
          />
        </label>
      );
    case 'columns':
      return (
        <Columns
          label={field.label}
          ordered={field.ordered === true}
          columns={columns}
          chosen={(value as string[] | undefined) ?? []}
          onChange={(names) => onChange(withColumns(step, field.key, names))}
        />
      );
    case 'names':
      return <Names columns={columns} names={(value as Record<string, string> | undefined) ?? {}} onChange={put} />;
    case 'pairs':
      return (
        <Pairs width={((step.columns as string[] | undefined) ?? ['']).length} pairs={(value as Pair[] | undefined) ?? []} onChange={put} />
      );
    case 'tables':
      return <Tables model={model} table={table} chosen={(value as string[] | undefined) ?? []} onChange={put} />;
    case 'orphans':
      return <MissingKeys model={model} table={table} step={step} onChange={onChange} />;
    default:
      return <LookUp model={model} table={table} columns={columns} step={step} onChange={onChange} />;
  }
}

function without(step: Step, key: string): Step {
  const rest = { ...step };
  delete rest[key];
  return rest;
}

/** With other columns a list of replacements has as many values on each side. */
function withColumns(step: Step, key: string, names: string[]): Step {
  if (step.kind !== 'replace') return { ...step, [key]: names };
  const sized = (values: Scalar[]) => names.map((_, i) => (i < values.length ? (values[i] ?? null) : ''));
  return {
    ...step,
    [key]: names,
    pairs: ((step.pairs as Pair[] | undefined) ?? []).map((p) => ({ from: sized(p.from), to: sized(p.to) })),
  };
}

function Columns({
  label,
  ordered,
  columns,
  chosen,
  onChange,
}: {
  label: string;
  ordered: boolean;
  columns: ShapeColumn[];
  chosen: string[];
  onChange: (names: string[]) => void;
}) {
  const listed = ordered
    ? [...chosen.filter((n) => columns.some((c) => c.name === n)), ...columns.map((c) => c.name).filter((n) => !chosen.includes(n))]
    : columns.map((c) => c.name);
  const lost = chosen.filter((n) => !columns.some((c) => c.name === n));
  const move = (name: string, by: number) => {
    const at = chosen.indexOf(name);
    const next = chosen.filter((n) => n !== name);
    next.splice(Math.max(0, at + by), 0, name);
    onChange(next);
  };
  const toggle = (name: string, on: boolean) => {
    const next = on ? [...chosen, name] : chosen.filter((n) => n !== name);
    onChange(ordered ? next : columns.map((c) => c.name).filter((n) => next.includes(n)));
  };
  return (
    <fieldset className="wide">
      <legend>{label}</legend>
      <div className="tick-list">
        {[...listed, ...lost].map((name) => (
          <span key={name} className="tick">
            <label>
              <input type="checkbox" checked={chosen.includes(name)} onChange={(e) => toggle(name, e.target.checked)} />
              <span className={lost.includes(name) ? 'signal' : ''}>
                {name}
                {lost.includes(name) ? ' (gone)' : ''}
              </span>
            </label>
            {ordered && chosen.includes(name) && (
              <>
                <button type="button" className="plain" aria-label={`Move ${name} to the left`} onClick={() => move(name, -1)}>
                  ‹
                </button>
                <button type="button" className="plain" aria-label={`Move ${name} to the right`} onClick={() => move(name, 1)}>
                  ›
                </button>
              </>
            )}
          </span>
        ))}
      </div>
      <span className="row quiet">
        <button type="button" className="plain" onClick={() => onChange(listed)}>
          all
        </button>
        <button type="button" className="plain" onClick={() => onChange([])}>
          none
        </button>
      </span>
    </fieldset>
  );
}

function Names({
  columns,
  names,
  onChange,
}: {
  columns: ShapeColumn[];
  names: Record<string, string>;
  onChange: (names: Record<string, string>) => void;
}) {
  return (
    <fieldset className="wide">
      <legend>New names</legend>
      <div className="name-list">
        {columns.map((c) => (
          <label key={c.name}>
            <span className="quiet clip">{c.name}</span>
            <input
              className="field"
              aria-label={`New name of ${c.name}`}
              placeholder={c.name}
              value={names[c.name] ?? ''}
              onChange={(e) => {
                const next = { ...names };
                if (e.target.value) next[c.name] = e.target.value;
                else delete next[c.name];
                onChange(next);
              }}
            />
          </label>
        ))}
      </div>
    </fieldset>
  );
}

const EMPTY = '(empty)';
const read = (text: string): Scalar => (text === EMPTY ? null : text);
const written = (value: Scalar | undefined): string => (value === null ? EMPTY : value === undefined ? '' : String(value));

function Pairs({ width, pairs, onChange }: { width: number; pairs: Pair[]; onChange: (pairs: Pair[]) => void }) {
  const put = (at: number, side: 'from' | 'to', place: number, text: string) => {
    const sized = (values: Scalar[]): Scalar[] => Array.from({ length: width }, (_, i) => (i < values.length ? (values[i] ?? null) : ''));
    const next: Pair[] = pairs.map((p) => ({ from: sized(p.from), to: sized(p.to) }));
    const pair = next[at];
    const values: Scalar[] | undefined = pair?.[side];
    if (values) values[place] = read(text);
    onChange(next);
  };
  const places = Array.from({ length: width }, (_, i) => i);
  return (
    <fieldset className="wide">
      <legend>Replacements</legend>
      <div className="pair-list">
        {pairs.map((p, at) => (
          // Pairs have no name; their place is what they are.
          <span key={`${at}`} className="row">
            {places.map((i) => (
              <input
                key={i}
                className="field"
                aria-label={`Replace ${at + 1}`}
                value={written(p.from[i])}
                onChange={(e) => put(at, 'from', i, e.target.value)}
              />
            ))}
            by
            {places.map((i) => (
              <input
                key={i}
                className="field"
                aria-label={`By ${at + 1}`}
                value={written(p.to[i])}
                onChange={(e) => put(at, 'to', i, e.target.value)}
              />
            ))}
            <button
              type="button"
              className="plain"
              aria-label={`Leave out replacement ${at + 1}`}
              onClick={() => onChange(pairs.filter((_, i) => i !== at))}
            >
              ×
            </button>
          </span>
        ))}
      </div>
      <button
        type="button"
        className="pill small"
        onClick={() => onChange([...pairs, { from: places.map(() => ''), to: places.map(() => '') }])}
      >
        one more
      </button>
    </fieldset>
  );
}

function Tables({
  model,
  table,
  chosen,
  onChange,
}: {
  model: ModelDocument;
  table: string;
  chosen: string[];
  onChange: (names: string[]) => void;
}) {
  const others = model.tables.filter((t) => t.name !== table && !t.formula);
  return (
    <fieldset className="wide">
      <legend>Tables</legend>
      <div className="tick-list">
        {others.map((t) => (
          <label key={t.name} className="tick">
            <input
              type="checkbox"
              checked={chosen.includes(t.name)}
              onChange={(e) => onChange(e.target.checked ? [...chosen, t.name] : chosen.filter((x) => x !== t.name))}
            />
            {t.name}
          </label>
        ))}
      </div>
    </fieldset>
  );
}

interface Match {
  mine: string;
  theirs: string;
}

function LookUp({ model, table, columns, step, onChange }: Props) {
  const other = model.tables.find((t) => t.name === step.table);
  const on = (step.on as Match[] | undefined) ?? [];
  const taken = (step.columns as Record<string, string> | undefined) ?? {};
  const theirs = other?.columns.filter((c) => !c.formula) ?? [];
  const setMatch = (at: number, part: Partial<Match>) => onChange({ ...step, on: on.map((m, i) => (i === at ? { ...m, ...part } : m)) });
  const choose = (name: string) => {
    const found = model.tables.find((t) => t.name === name);
    const key = found?.key[0] ?? found?.candidate_keys[0]?.split(' + ')[0] ?? found?.columns[0]?.name ?? '';
    onChange({
      ...step,
      table: name,
      on: [{ mine: columns.find((c) => c.name === key)?.name ?? columns[0]?.name ?? '', theirs: key }],
      columns: {},
    });
  };
  return (
    <>
      <label>
        Table
        <select className="field" value={String(step.table)} onChange={(e) => choose(e.target.value)}>
          <option value="">choose one</option>
          {model.tables
            .filter((t) => t.name !== table && !t.formula)
            .map((t) => (
              <option key={t.name} value={t.name}>
                {t.name}
              </option>
            ))}
        </select>
      </label>
      {other && (
        <fieldset className="wide">
          <legend>Where these are equal</legend>
          {on.map((m, at) => (
            <span key={`${at}`} className="row">
              <select
                className="field"
                style={{ width: 150 }}
                aria-label={`Own column ${at + 1}`}
                value={m.mine}
                onChange={(e) => setMatch(at, { mine: e.target.value })}
              >
                {columns.map((c) => (
                  <option key={c.name} value={c.name}>
                    {c.name}
                  </option>
                ))}
              </select>
              =
              <select
                className="field"
                style={{ width: 150 }}
                aria-label={`Their column ${at + 1}`}
                value={m.theirs}
                onChange={(e) => setMatch(at, { theirs: e.target.value })}
              >
                {theirs.map((c) => (
                  <option key={c.name} value={c.name}>
                    {c.name}
                  </option>
                ))}
              </select>
              {on.length > 1 && (
                <button
                  type="button"
                  className="plain"
                  aria-label={`Leave out pair ${at + 1}`}
                  onClick={() => onChange({ ...step, on: on.filter((_, i) => i !== at) })}
                >
                  ×
                </button>
              )}
            </span>
          ))}
          <button
            type="button"
            className="pill small"
            onClick={() => onChange({ ...step, on: [...on, { mine: columns[0]?.name ?? '', theirs: theirs[0]?.name ?? '' }] })}
          >
            and another pair
          </button>
        </fieldset>
      )}
      {other && (
        <fieldset className="wide">
          <legend>Take</legend>
          <div className="tick-list">
            {theirs.map((c) => (
              <label key={c.name} className="tick">
                <input
                  type="checkbox"
                  checked={c.name in taken}
                  onChange={(e) => {
                    const next = { ...taken };
                    if (e.target.checked) next[c.name] = columns.some((x) => x.name === c.name) ? `${other.name} ${c.name}` : c.name;
                    else delete next[c.name];
                    onChange({ ...step, columns: next });
                  }}
                />
                {c.name}
                {c.name in taken && taken[c.name] !== c.name && <span className="quiet">as {taken[c.name]}</span>}
              </label>
            ))}
          </div>
        </fieldset>
      )}
    </>
  );
}
