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

type Sides = ReturnType<typeof firstKeys>;
type SideName = keyof Sides;
const SIDES: SideName[] = ['left', 'right'];

const tableOf = (model: ModelDocument, name: string) => model.tables.find((t) => t.name === name);

/** The two keys, and what changes them. */
function useSides(model: ModelDocument) {
  const [sides, setSides] = useState(() => firstKeys(model));
  const [amount, setAmount] = useState('');
  const column = (at: number, side: SideName, name: string) =>
    setSides({ ...sides, [side]: { ...sides[side], columns: sides[side].columns.map((c, i) => (i === at ? name : c)) } });
  const table = (side: SideName, name: string) => {
    const t = tableOf(model, name);
    const first = t?.key[0] ?? t?.columns[0]?.name ?? '';
    const columns = sides[side].columns.map((_, i) => (i === 0 ? first : (t?.columns[i]?.name ?? first)));
    if (side === 'left') setAmount('');
    setSides({ ...sides, [side]: { table: name, columns } });
  };
  /** One more column on both sides, or one less. */
  const width = (by: 1 | -1) => {
    const sized = ({ table: name, columns }: Side): Side => ({
      table: name,
      columns: by > 0 ? [...columns, tableOf(model, name)?.columns[0]?.name ?? ''] : columns.slice(0, -1),
    });
    setSides({ left: sized(sides.left), right: sized(sides.right) });
  };
  const asLink = (name: string) => {
    const k = model.links.find((x) => x.name === name);
    if (!k) return;
    setAmount('');
    setSides({ left: { table: k.from_table, columns: k.from_columns }, right: { table: k.to_table, columns: k.to_columns } });
  };
  const { left, right } = sides;
  const ready =
    left.columns.length > 0 && left.columns.length === right.columns.length && [...left.columns, ...right.columns].every(Boolean);
  return { sides, amount, setAmount, column, table, width, asLink, keys: ready ? ({ ...sides, amount } as Keys) : null };
}

type Bench = ReturnType<typeof useSides>;

export function KeysBench({ model }: { model: ModelDocument }) {
  const bench = useSides(model);
  const { keys } = bench;
  const mismatch = useMismatch(model, keys);
  if (model.tables.length === 0)
    return <p className="pad empty-place">Two tables with a key in common come here once they are gathered.</p>;
  return (
    <div className="shape-wide pad" data-region>
      <div className="keys-head">
        {SIDES.map((side) => (
          <KeySide key={side} model={model} side={side} bench={bench} />
        ))}
        <Amount model={model} bench={bench} />
        {model.links.length > 0 && <AsLink model={model} onLink={bench.asLink} />}
      </div>
      {mismatch.isError && <p className="signal">{mismatch.error.message}</p>}
      {mismatch.isFetching && !mismatch.data && <p className="wait">Comparing the keys…</p>}
      {mismatch.data && keys && <KeysFound key={JSON.stringify(keys)} model={model} keys={keys} mismatch={mismatch.data} />}
    </div>
  );
}

function KeySide({ model, side, bench }: { model: ModelDocument; side: SideName; bench: Bench }) {
  const { table, columns } = bench.sides[side];
  const word = side === 'left' ? 'Left' : 'Right';
  return (
    <fieldset>
      <legend>{side === 'left' ? 'Rows that name' : 'a row of'}</legend>
      <select className="field" aria-label={`${word} table`} value={table} onChange={(e) => bench.table(side, e.target.value)}>
        {model.tables.map((t) => (
          <option key={t.name} value={t.name}>
            {t.name}
          </option>
        ))}
      </select>
      {columns.map((name, at) => (
        <select
          key={`${at}`}
          className="field"
          aria-label={`${word} column ${at + 1}`}
          value={name}
          onChange={(e) => bench.column(at, side, e.target.value)}
        >
          {tableOf(model, table)?.columns.map((c) => (
            <option key={c.name} value={c.name}>
              {c.name}
            </option>
          ))}
        </select>
      ))}
    </fieldset>
  );
}

/** What hangs on the rows that do not match, and how many columns the keys have. */
function Amount({ model, bench }: { model: ModelDocument; bench: Bench }) {
  const { sides, amount, setAmount, width } = bench;
  const numbers = tableOf(model, sides.left.table)?.columns.filter((c) => c.dtype === 'integer' || c.dtype === 'number') ?? [];
  return (
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
  );
}

function AsLink({ model, onLink }: { model: ModelDocument; onLink: (name: string) => void }) {
  return (
    <fieldset>
      <legend>or as a link has them</legend>
      <select className="field" aria-label="Keys of a link" value="" onChange={(e) => onLink(e.target.value)}>
        <option value="">choose a link</option>
        {model.links.map((k) => (
          <option key={k.name} value={k.name}>
            {`${k.name}${k.orphans ? `: ${counted(k.orphans, 'row')} without partner` : ''}`}
          </option>
        ))}
      </select>
    </fieldset>
  );
}
