// The tables whose keys are added where they have no row: those that links lead from, and any other.
import type { ModelDocument } from '../../api/client';
import type { Step } from './requests';

interface Orphans {
  table: string;
  columns: string[];
}

interface Props {
  model: ModelDocument;
  table: string;
  step: Step;
  onChange: (step: Step) => void;
}

const same = (a: Orphans, b: Orphans) => a.table === b.table && a.columns.join('\0') === b.columns.join('\0');

export function MissingKeys({ model, table, step, onChange }: Props) {
  const key = (step.key as string[] | undefined) ?? [];
  const named = (step.named_by as Orphans[] | undefined) ?? [];
  const put = (next: Orphans[]) => onChange({ ...step, named_by: next });
  const linked = model.links
    .filter(
      (k) =>
        k.to_table === table && k.from_table !== table && k.to_columns.length === key.length && k.to_columns.every((c) => key.includes(c)),
    )
    .map((k) => ({ table: k.from_table, columns: key.map((c) => k.from_columns[k.to_columns.indexOf(c)] ?? '') }));
  const offered = [...linked, ...named].filter((x, i, all) => all.findIndex((y) => same(x, y)) === i);
  const tables = model.tables.filter((t) => t.name !== table && !t.formula);
  const text = (x: Orphans) => `${x.table}.${x.columns.join(', ')}`;
  const add = (name: string) => {
    const chosen = tables.find((t) => t.name === name);
    if (chosen)
      put([
        ...named,
        { table: name, columns: key.map((c) => chosen.columns.find((x) => x.name === c)?.name ?? chosen.columns[0]?.name ?? '') },
      ]);
  };
  const change = (at: number, place: number, column: string) =>
    put(named.map((x, i) => (i === at ? { ...x, columns: x.columns.map((c, j) => (j === place ? column : c)) } : x)));
  return (
    <fieldset className="wide">
      <legend>Keys that are named in</legend>
      <div className="tick-list">
        {offered.map((x) => (
          <label key={text(x)} className="tick">
            <input
              type="checkbox"
              checked={named.some((y) => same(x, y))}
              onChange={(e) => put(e.target.checked ? [...named, x] : named.filter((y) => !same(x, y)))}
            />
            {text(x)}
          </label>
        ))}
        {offered.length === 0 && <span className="quiet">No link leads to this key; choose a table.</span>}
      </div>
      {named.map(
        (x, at) =>
          !linked.some((y) => same(x, y)) && (
            <span key={`${at}`} className="row">
              {x.table}:
              {x.columns.map((c, place) => (
                <select
                  key={`${place}`}
                  className="field"
                  style={{ width: 150 }}
                  aria-label={`Column of ${x.table} for ${key[place] ?? ''}`}
                  value={c}
                  onChange={(e) => change(at, place, e.target.value)}
                >
                  {tables
                    .find((t) => t.name === x.table)
                    ?.columns.map((y) => (
                      <option key={y.name} value={y.name}>
                        {y.name}
                      </option>
                    ))}
                </select>
              ))}
            </span>
          ),
      )}
      <label>
        Another table
        <select className="field" value="" onChange={(e) => add(e.target.value)}>
          <option value="">choose one</option>
          {tables.map((t) => (
            <option key={t.name} value={t.name}>
              {t.name}
            </option>
          ))}
        </select>
      </label>
    </fieldset>
  );
}
