// Two keys side by side: what matches, what stands on one side only, near matches with the step that mends them.
import { useState } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { counted } from '../../shared/format';
import { KeysFound } from './KeysFound';
import { useMismatch, type Keys } from './requests';

interface Side {
  table: string;
  columns: string[];
}

/** Where to begin: the first link whose rows do not all match. */
function firstKeys(model: ModelDocument): { left: Side; right: Side } {
  const link = model.links.find((k) => k.orphans > 0) ?? model.links[0];
  if (link)
    return { left: { table: link.from_table, columns: link.from_columns }, right: { table: link.to_table, columns: link.to_columns } };
  const side = (t: TableInfo | undefined): Side => ({ table: t?.name ?? '', columns: t?.columns[0] ? [t.columns[0].name] : [] });
  return { left: side(model.tables[0]), right: side(model.tables[1] ?? model.tables[0]) };
}

export function KeysBench({ model }: { model: ModelDocument }) {
  const [sides, setSides] = useState(() => firstKeys(model));
  const [amount, setAmount] = useState('');
  const ready =
    sides.left.columns.length > 0 &&
    sides.left.columns.length === sides.right.columns.length &&
    sides.left.columns.every(Boolean) &&
    sides.right.columns.every(Boolean);
  const keys: Keys | null = ready ? { ...sides, amount } : null;
  const found = useMismatch(model, keys);
  const numbers =
    model.tables.find((t) => t.name === sides.left.table)?.columns.filter((c) => c.dtype === 'integer' || c.dtype === 'number') ?? [];
  const links = model.links.map((k) => ({
    name: `${k.name}${k.orphans ? `: ${counted(k.orphans, 'row')} without partner` : ''}`,
    key: k.name,
  }));
  if (model.tables.length === 0)
    return <p className="pad empty-place">Two tables with a key in common come here once they are gathered.</p>;
  const column = (at: number, side: 'left' | 'right', name: string) =>
    setSides({ ...sides, [side]: { ...sides[side], columns: sides[side].columns.map((c, i) => (i === at ? name : c)) } });
  const table = (side: 'left' | 'right', name: string) => {
    const t = model.tables.find((x) => x.name === name);
    const first = t?.key[0] ?? t?.columns[0]?.name ?? '';
    if (side === 'left') setAmount('');
    setSides({
      ...sides,
      [side]: { table: name, columns: sides[side].columns.map((_, i) => (i === 0 ? first : (t?.columns[i]?.name ?? first))) },
    });
  };
  const width = (by: number) => {
    const sized = (side: Side) => ({
      ...side,
      columns:
        by > 0 ? [...side.columns, model.tables.find((t) => t.name === side.table)?.columns[0]?.name ?? ''] : side.columns.slice(0, -1),
    });
    setSides({ left: sized(sides.left), right: sized(sides.right) });
  };
  return (
    <div className="shape-wide pad" data-region>
      <div className="keys-head">
        {(['left', 'right'] as const).map((side) => (
          <fieldset key={side}>
            <legend>{side === 'left' ? 'Rows that name' : 'a row of'}</legend>
            <select
              className="field"
              aria-label={side === 'left' ? 'Left table' : 'Right table'}
              value={sides[side].table}
              onChange={(e) => table(side, e.target.value)}
            >
              {model.tables.map((t) => (
                <option key={t.name} value={t.name}>
                  {t.name}
                </option>
              ))}
            </select>
            {sides[side].columns.map((name, at) => (
              <select
                key={`${at}`}
                className="field"
                aria-label={`${side === 'left' ? 'Left' : 'Right'} column ${at + 1}`}
                value={name}
                onChange={(e) => column(at, side, e.target.value)}
              >
                {model.tables
                  .find((t) => t.name === sides[side].table)
                  ?.columns.map((c) => (
                    <option key={c.name} value={c.name}>
                      {c.name}
                    </option>
                  ))}
              </select>
            ))}
          </fieldset>
        ))}
        <fieldset>
          <legend>and how much hangs on it</legend>
          <select className="field" aria-label="Amount" value={amount} onChange={(e) => setAmount(e.target.value)}>
            <option value="">rows only</option>
            {numbers.map((c) => (
              <option key={c.name} value={c.name}>
                {c.name}
              </option>
            ))}
          </select>
          <span className="row">
            <button type="button" className="pill small" onClick={() => width(1)}>
              one more column
            </button>
            {sides.left.columns.length > 1 && (
              <button type="button" className="pill small" onClick={() => width(-1)}>
                one less
              </button>
            )}
          </span>
        </fieldset>
        {links.length > 0 && (
          <fieldset>
            <legend>or as a link has them</legend>
            <select
              className="field"
              aria-label="Keys of a link"
              value=""
              onChange={(e) => {
                const k = model.links.find((x) => x.name === e.target.value);
                if (k) {
                  setAmount('');
                  setSides({ left: { table: k.from_table, columns: k.from_columns }, right: { table: k.to_table, columns: k.to_columns } });
                }
              }}
            >
              <option value="">choose a link</option>
              {links.map((k) => (
                <option key={k.key} value={k.key}>
                  {k.name}
                </option>
              ))}
            </select>
          </fieldset>
        )}
      </div>
      {found.isError && <p className="signal">{found.error.message}</p>}
      {found.isFetching && !found.data && <p className="wait">Comparing the keys…</p>}
      {found.data && keys && <KeysFound key={JSON.stringify(keys)} model={model} keys={keys} found={found.data} />}
    </div>
  );
}
