// The fields of a step, drawn from what its kind needs.
import type { ModelDocument, ShapeColumn } from '../../api/client';
import type { Step } from './requests';
import { LookUpFields } from './LookUpFields';
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

/** A field of one value; a list has a component of its own. */
function StepField({ field, ...props }: Props & { field: Field }) {
  const { model, table, columns, step, onChange } = props;
  const put = (value: unknown) => onChange({ ...step, [field.key]: value });
  const value = step[field.key];
  switch (field.type) {
    case 'column':
    case 'choice':
      return <Chosen field={field} value={textOf(value)} columns={columns} put={put} />;
    case 'text':
    case 'formula':
    case 'texts':
      return <Written field={field} value={value} put={put} />;
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
      return <LookUpFields {...props} />;
  }
}

const textOf = (value: unknown): string => (typeof value === 'string' ? value : '');

type Of<T extends Field['type']> = Extract<Field, { type: T }>;

interface ChosenProps {
  field: Of<'column' | 'choice'>;
  value: string;
  columns: ShapeColumn[];
  put: (value: string) => void;
}

/** One of several: a column of the table, or a word of the step's own. */
function Chosen({ field, value, columns, put }: ChosenProps) {
  const offered: [string, string][] = field.type === 'choice' ? field.options : columns.map((c) => [c.name, c.name]);
  const none: [string, string][] = field.type === 'column' && field.optional ? [['', 'none']] : [];
  const gone: [string, string][] =
    field.type === 'choice' || [...none, ...offered].some(([v]) => v === value) ? [] : [[value, value || 'choose one']];
  return (
    <label>
      {field.label}
      <select className="field" value={value} onChange={(e) => put(e.target.value)}>
        {[...none, ...gone, ...offered].map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}

/** A text, a list of texts with commas between them, or a formula. */
function Written({ field, value, put }: { field: Of<'text' | 'texts' | 'formula'>; value: unknown; put: (value: unknown) => void }) {
  if (field.type === 'formula')
    return (
      <label className="wide">
        {field.label}
        <textarea
          className="field mono"
          rows={2}
          spellCheck={false}
          value={textOf(value)}
          placeholder={field.hint}
          onChange={(e) => put(e.target.value)}
        />
      </label>
    );
  const list = field.type === 'texts';
  return (
    <label>
      {field.label}
      <input
        className="field"
        value={list ? ((value as string[] | undefined)?.join(', ') ?? '') : textOf(value)}
        placeholder={field.hint}
        onChange={(e) => put(list ? e.target.value.split(',').map((x) => x.trimStart()) : e.target.value)}
      />
    </label>
  );
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
