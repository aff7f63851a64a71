// The fields of a step that looks columns up in another table: the table, which columns are equal, and what is taken.
import type { ModelDocument, ShapeColumn } from '../../api/client';
import type { Step } from './requests';

interface Props {
  model: ModelDocument;
  table: string;
  columns: ShapeColumn[];
  step: Step;
  onChange: (step: Step) => void;
}

interface Match {
  mine: string;
  theirs: string;
}

interface Named {
  name: string;
}

export function LookUpFields({ model, table, columns, step, onChange }: Props) {
  const other = model.tables.find((t) => t.name === step.table);
  const theirs = other?.columns.filter((c) => !c.formula) ?? [];
  const choose = (name: string) => {
    const chosen = model.tables.find((t) => t.name === name);
    const key = chosen?.key[0] ?? chosen?.candidate_keys?.[0]?.split(' + ')[0] ?? chosen?.columns[0]?.name ?? '';
    const mine = columns.find((c) => c.name === key)?.name ?? columns[0]?.name ?? '';
    onChange({ ...step, table: name, on: [{ mine, theirs: key }], columns: {} });
  };
  return (
    <>
      <label>
        Table
        <select className="field" value={String(step.table)} onChange={(e) => choose(e.target.value)}>
          <option value="">choose one</option>
          <Options of={model.tables.filter((t) => t.name !== table && !t.formula)} />
        </select>
      </label>
      {other && (
        <>
          <Matches
            on={(step.on as Match[] | undefined) ?? []}
            columns={columns}
            theirs={theirs}
            onChange={(on) => onChange({ ...step, on })}
          />
          <Take
            other={other.name}
            columns={columns}
            theirs={theirs}
            taken={(step.columns as Record<string, string> | undefined) ?? {}}
            onChange={(taken) => onChange({ ...step, columns: taken })}
          />
        </>
      )}
    </>
  );
}

function Options({ of }: { of: Named[] }) {
  return of.map((x) => (
    <option key={x.name} value={x.name}>
      {x.name}
    </option>
  ));
}

interface MatchesProps {
  on: Match[];
  columns: Named[];
  theirs: Named[];
  onChange: (on: Match[]) => void;
}

function Matches({ on, columns, theirs, onChange }: MatchesProps) {
  const put = (at: number, part: Partial<Match>) => onChange(on.map((m, i) => (i === at ? { ...m, ...part } : m)));
  const side = (at: number, key: keyof Match, label: string, names: Named[]) => (
    <select
      className="field"
      style={{ width: 150 }}
      aria-label={`${label} column ${at + 1}`}
      value={on[at]?.[key]}
      onChange={(e) => put(at, { [key]: e.target.value })}
    >
      <Options of={names} />
    </select>
  );
  return (
    <fieldset className="wide">
      <legend>Where these are equal</legend>
      {on.map((_, at) => (
        // Pairs have no name; their place is what they are.
        <span key={`${at}`} className="row">
          {side(at, 'mine', 'Own', columns)}={side(at, 'theirs', 'Their', theirs)}
          {on.length > 1 && (
            <button
              type="button"
              className="plain"
              aria-label={`Leave out pair ${at + 1}`}
              onClick={() => onChange(on.filter((__, i) => i !== at))}
            >
              ×
            </button>
          )}
        </span>
      ))}
      <button
        type="button"
        className="pill small"
        onClick={() => onChange([...on, { mine: columns[0]?.name ?? '', theirs: theirs[0]?.name ?? '' }])}
      >
        and another pair
      </button>
    </fieldset>
  );
}

interface TakeProps {
  other: string;
  columns: Named[];
  theirs: Named[];
  /** By column of the other table the name that it gets here. */
  taken: Record<string, string>;
  onChange: (taken: Record<string, string>) => void;
}

function Take({ other, columns, theirs, taken, onChange }: TakeProps) {
  const toggle = (name: string, on: boolean) => {
    const next = { ...taken };
    if (on) next[name] = columns.some((c) => c.name === name) ? `${other} ${name}` : name;
    else delete next[name];
    onChange(next);
  };
  return (
    <fieldset className="wide">
      <legend>Take</legend>
      <div className="tick-list">
        {theirs.map(({ name }) => (
          <label key={name} className="tick">
            <input type="checkbox" checked={name in taken} onChange={(e) => toggle(name, e.target.checked)} />
            {name}
            {name in taken && taken[name] !== name && <span className="quiet">as {taken[name]}</span>}
          </label>
        ))}
      </div>
    </fieldset>
  );
}
