// The tables of a database or a cluster: those that are ticked are read, or left there.
import { useState, type ReactNode } from 'react';
import type { ModelDocument } from '../../api/client';
import { counted } from '../../shared/format';

export interface Listed {
  schema: string;
  name: string;
  title: string;
  columns: string[];
  kind: 'table' | 'view';
  rows: number;
}

/** A table that is to stay where it is, as a new one or in the place of one that is here. */
export type Left = Listed & { inPlaceOf: string | null };

interface ChooseProps {
  model: ModelDocument;
  listed: Listed[];
  connection: string;
  cluster: boolean;
  /** Whether it can be asked at any time, without a password being given. */
  keeps: boolean;
  busy: boolean;
  children: ReactNode;
  onLeave: (tables: Left[]) => void;
  onRead: (items: { name: string; source: Record<string, unknown> }[]) => void;
}

const keyOf = (t: Listed) => `${t.schema}.${t.name}`;

export function Choose({ model, listed, connection, cluster, keeps, busy, children, onRead, onLeave }: ChooseProps) {
  const [ticked, setTicked] = useState<string[]>([]);
  const [search, setSearch] = useState('');
  const [query, setQuery] = useState('');
  // Columns that are left out of a table; those that are not named here are all read.
  const [out, setOut] = useState<Record<string, string[]>>({});
  const [places, setPlaces] = useState<Record<string, string>>({});
  const shown = listed.filter((t) => keyOf(t).toLowerCase().includes(search.toLowerCase()));
  const tick = (t: Listed, on: boolean) => setTicked([...ticked.filter((x) => x !== keyOf(t)), ...(on ? [keyOf(t)] : [])]);
  const items = [
    ...listed
      .filter((t) => ticked.includes(keyOf(t)))
      .map((t) => {
        const left = out[keyOf(t)] ?? [];
        const only = left.length ? { only: t.columns.filter((c) => !left.includes(c)) } : {};
        return { name: t.title, source: { kind: 'database', connection, table: t.name, table_schema: t.schema, ...only } };
      }),
    ...(query.trim() ? [{ name: 'Query', source: { kind: 'database', connection, query } }] : []),
  ];
  return (
    <div tabIndex={0} role="region" aria-label="Its tables">
      <h3>{listed.length} tables and views</h3>
      <input className="field" aria-label="Search tables" placeholder="search" value={search} onChange={(e) => setSearch(e.target.value)} />
      <div className="pick-list">
        {shown.map((t) => (
          <ListedTable
            key={keyOf(t)}
            table={t}
            ticked={ticked.includes(keyOf(t))}
            left={out[keyOf(t)] ?? []}
            onTick={(on) => tick(t, on)}
            here={namesakes(model, t)}
            place={places[keyOf(t)] ?? ''}
            onPlace={(name) => setPlaces({ ...places, [keyOf(t)]: name })}
            onLeft={(columns) => {
              setOut({ ...out, [keyOf(t)]: columns });
              tick(t, true);
            }}
          />
        ))}
      </div>
      {!cluster && (
        <label>
          or a SELECT
          <textarea
            className="field mono"
            rows={3}
            value={query}
            onChange={(e) => setQuery(e.target.value)}
            placeholder="SELECT … FROM …"
          />
        </label>
      )}
      <div className="row" style={{ marginTop: 8 }}>
        {!cluster && (
          <button type="button" className="pill solid" disabled={!items.length || busy} onClick={() => onRead(items)}>
            Read {items.length || ''}
          </button>
        )}
        <button
          type="button"
          className={cluster ? 'pill solid' : 'pill'}
          disabled={!ticked.length || busy || !keeps}
          title="The model knows their columns, links and counts; every grid over them is asked there"
          onClick={() =>
            onLeave(listed.filter((t) => ticked.includes(keyOf(t))).map((t) => ({ ...t, inPlaceOf: places[keyOf(t)] || null })))
          }
        >
          {busy ? 'Looking at them…' : `Leave ${ticked.length || ''} there`}
        </button>
      </div>
      {children}
      <p className="quiet">
        {keeps
          ? 'Rows that are read stand here until they are loaded again. Rows that are left there are asked anew for every grid.'
          : 'Tables can be left there once the connection keeps its password: they are asked at any time.'}
      </p>
    </div>
  );
}

/** The tables of a model that one of a database may take the place of: those of its name. */
function namesakes(model: ModelDocument, t: Listed): string[] {
  const called = [t.name, t.title].map((n) => n.toLowerCase());
  return model.tables.filter((x) => !x.formula && called.includes(x.name.toLowerCase())).map((x) => x.name);
}

interface ListedProps {
  table: Listed;
  ticked: boolean;
  /** Tables of the model that it may take the place of, and the one that it is to. */
  here: string[];
  place: string;
  onPlace: (name: string) => void;
  /** The columns that are left out. */
  left: string[];
  onTick: (on: boolean) => void;
  onLeft: (left: string[]) => void;
}

function ListedTable({ table: t, ticked, here, place, left, onPlace, onTick, onLeft }: ListedProps) {
  const [open, setOpen] = useState(false);
  const name = t.schema === 'public' ? t.name : keyOf(t);
  return (
    <div>
      <div className="row">
        <label className="grow">
          <input type="checkbox" checked={ticked} onChange={(e) => onTick(e.target.checked)} />
          {name} {t.kind === 'view' && <span className="quiet">view</span>}
          <span className="end">
            {t.kind === 'table' ? (t.rows === null ? 'rows not counted' : `about ${counted(t.rows, 'row')}`) : 'a view'}
          </span>
        </label>
        {ticked && here.length > 0 && (
          <select className="field" aria-label={`What ${name} becomes`} value={place} onChange={(e) => onPlace(e.target.value)}>
            <option value="">a new table</option>
            {here.map((n) => (
              <option key={n} value={n}>
                left there for {n}
              </option>
            ))}
          </select>
        )}
        <button type="button" className="plain quiet" aria-expanded={open} aria-label={`Columns of ${name}`} onClick={() => setOpen(!open)}>
          {left.length ? `${t.columns.length - left.length} of ${t.columns.length} columns` : counted(t.columns.length, 'column')}
        </button>
      </div>
      {open && <Columns table={t} left={left} onLeft={onLeft} />}
    </div>
  );
}

/** Which columns of a table are read; one is left at least. */
function Columns({ table, left, onLeft }: { table: Listed; left: string[]; onLeft: (left: string[]) => void }) {
  return (
    <fieldset className="columns-read">
      <legend className="quiet">Columns of {table.name} that are read</legend>
      {table.columns.map((c) => {
        const read = !left.includes(c);
        return (
          <label key={c}>
            <input
              type="checkbox"
              checked={read}
              disabled={read && left.length === table.columns.length - 1}
              onChange={() => onLeft(read ? [...left, c] : left.filter((x) => x !== c))}
            />{' '}
            {c}
          </label>
        );
      })}
    </fieldset>
  );
}
