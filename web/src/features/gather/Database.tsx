// Reaching into a PostgreSQL database: a connection, then tables, views or a SELECT.
import { useState } from 'react';
import { client, problemOf, unwrap, type ModelDocument } from '../../api/client';
import { queryClient } from '../../api/queries';
import { useShown } from '../../app/shown';
import { counted } from '../../shared/format';
import { startReading, useConnections } from './requests';

interface Listed {
  schema: string;
  name: string;
  title: string;
  columns: string[];
  kind: 'table' | 'view';
  rows: number;
}

const BLANK = {
  name: '',
  host: '127.0.0.1',
  port: 5432,
  database: '',
  user: '',
  password: '',
  sslmode: 'prefer' as const,
  keep_password: false,
};

export function Database({ model, onReading }: { model: ModelDocument; onReading: (id: string) => void }) {
  const connections = useConnections(model);
  const [chosen, setChosen] = useState<string | null>(null);
  const [password, setPassword] = useState('');
  const [found, setFound] = useState<Listed[] | null>(null);
  const say = useShown((s) => s.say);
  const path = { model_id: model.id };
  const connection = connections.data?.find((c) => c.name === chosen);
  const given = connection?.keeps_password ? null : password;
  const look = async (name: string, with_: string | null) => {
    setFound(null);
    try {
      setFound(
        unwrap(await client.POST('/api/models/{model_id}/connections/tables', { params: { path }, body: { name, password: with_ } }))
          .tables as Listed[],
      );
    } catch (error) {
      say({ problem: problemOf(error), retry: null });
    }
  };
  const remove = async (name: string) => {
    try {
      unwrap(await client.DELETE('/api/models/{model_id}/connections', { params: { path, query: { name } } }));
      setChosen(null);
      setFound(null);
    } catch (error) {
      say({ problem: problemOf(error), retry: null });
    }
    await queryClient.invalidateQueries({ queryKey: ['connections', model.id] });
  };
  const read = async (items: { name: string; source: Record<string, unknown> }[]) => {
    try {
      onReading((await startReading(model.id, { items, passwords: given !== null && chosen ? { [chosen]: given } : {} })).id);
    } catch (error) {
      say({ problem: problemOf(error), retry: null });
    }
  };
  return (
    <section className="panel two" aria-label="From a database">
      <div tabIndex={0} role="region" aria-label="Connections">
        <h3>Connections</h3>
        {connections.data?.map((c) => (
          <div key={c.name} className="row">
            <button
              type="button"
              className={c.name === chosen ? 'pill small solid' : 'pill small'}
              onClick={() => {
                setChosen(c.name);
                setFound(null);
                if (c.keeps_password) void look(c.name, null);
              }}
            >
              {c.name}
            </button>
            <span className="quiet">
              {c.user}@{c.host}:{c.port}/{c.database}
              {c.keeps_password ? ', password kept encrypted' : ''}
            </span>
            <button
              type="button"
              className="plain quiet"
              onClick={() => void remove(c.name)}
              aria-label={`Forget the connection ${c.name}`}
            >
              forget
            </button>
          </div>
        ))}
        {connection && !connection.keeps_password && (
          <form
            className="row"
            style={{ marginTop: 6 }}
            onSubmit={(e) => {
              e.preventDefault();
              void look(connection.name, password);
            }}
          >
            <input
              className="field"
              style={{ width: 200 }}
              type="password"
              aria-label={`Password of ${connection.name}`}
              placeholder="password, for this time"
              value={password}
              onChange={(e) => setPassword(e.target.value)}
            />
            <button type="submit" className="pill small">
              Look
            </button>
          </form>
        )}
        <NewConnection
          model={model}
          onMade={(name, secret, kept) => {
            setChosen(name);
            setPassword(secret);
            void look(name, kept ? null : secret);
          }}
        />
      </div>
      {chosen &&
        (found ? (
          <Choose key={chosen} listed={found} connection={chosen} onRead={(items) => void read(items)} />
        ) : (
          <p className="quiet">Its tables and views stand here once it answers.</p>
        ))}
    </section>
  );
}

function NewConnection({ model, onMade }: { model: ModelDocument; onMade: (name: string, password: string, kept: boolean) => void }) {
  const [form, setForm] = useState(BLANK);
  const [busy, setBusy] = useState(false);
  const say = useShown((s) => s.say);
  const make = async () => {
    setBusy(true);
    try {
      unwrap(await client.PUT('/api/models/{model_id}/connections', { params: { path: { model_id: model.id } }, body: form }));
      await queryClient.invalidateQueries({ queryKey: ['connections', model.id] });
      say(null);
      onMade(form.name, form.password, form.keep_password);
      setForm(BLANK);
    } catch (error) {
      say({ problem: { ...problemOf(error), title: 'The connection was not made.' }, retry: null });
    } finally {
      setBusy(false);
    }
  };
  const field = (key: 'name' | 'host' | 'database' | 'user' | 'password', words: string, type = 'text') => (
    <label>
      {words}
      <input
        className="field"
        type={type}
        value={form[key]}
        autoComplete="off"
        onChange={(e) => setForm({ ...form, [key]: e.target.value })}
      />
    </label>
  );
  return (
    <form
      className="settings"
      style={{ marginTop: 12 }}
      onSubmit={(e) => {
        e.preventDefault();
        void make();
      }}
    >
      {field('name', 'Call it')}
      {field('host', 'Host')}
      <label>
        Port
        <input
          className="field tiny"
          type="number"
          value={form.port}
          onChange={(e) => setForm({ ...form, port: Number(e.target.value) })}
        />
      </label>
      {field('database', 'Database')}
      {field('user', 'User')}
      {field('password', 'Password', 'password')}
      <label className="check">
        <input type="checkbox" checked={form.keep_password} onChange={(e) => setForm({ ...form, keep_password: e.target.checked })} />
        keep the password, encrypted; schedules need it
      </label>
      <button type="submit" className="pill" disabled={busy || !form.name || !form.database || !form.user}>
        {busy ? 'Connecting…' : 'Connect'}
      </button>
      <p className="quiet">Rows are read in one read-only transaction; nothing is ever written there.</p>
    </form>
  );
}

function Choose({
  listed,
  connection,
  onRead,
}: {
  listed: Listed[];
  connection: string;
  onRead: (items: { name: string; source: Record<string, unknown> }[]) => void;
}) {
  const [ticked, setTicked] = useState<string[]>([]);
  const [search, setSearch] = useState('');
  const [query, setQuery] = useState('');
  // Columns that are left out of a table; those that are not named here are all read.
  const [out, setOut] = useState<Record<string, string[]>>({});
  const [open, setOpen] = useState<string | null>(null);
  const key = (t: Listed) => `${t.schema}.${t.name}`;
  const shown = listed.filter((t) => key(t).toLowerCase().includes(search.toLowerCase()));
  const items = [
    ...listed
      .filter((t) => ticked.includes(key(t)))
      .map((t) => {
        const left = out[key(t)] ?? [];
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
        {shown.map((t) => {
          const name = t.schema === 'public' ? t.name : key(t);
          const left = out[key(t)] ?? [];
          return (
            <div key={key(t)}>
              <div className="row">
                <label className="grow">
                  <input
                    type="checkbox"
                    checked={ticked.includes(key(t))}
                    onChange={(e) => setTicked(e.target.checked ? [...ticked, key(t)] : ticked.filter((x) => x !== key(t)))}
                  />
                  {name} {t.kind === 'view' && <span className="quiet">view</span>}
                  <span className="end">
                    {t.kind === 'table' ? (t.rows === null ? 'rows not counted yet' : `about ${counted(t.rows, 'row')}`) : 'a view'}
                  </span>
                </label>
                <button
                  type="button"
                  className="plain quiet"
                  aria-expanded={open === key(t)}
                  aria-label={`Columns of ${name}`}
                  onClick={() => setOpen(open === key(t) ? null : key(t))}
                >
                  {left.length ? `${t.columns.length - left.length} of ${t.columns.length} columns` : counted(t.columns.length, 'column')}
                </button>
              </div>
              {open === key(t) && (
                <Columns
                  table={t}
                  left={left}
                  onLeft={(columns) => {
                    setOut({ ...out, [key(t)]: columns });
                    if (!ticked.includes(key(t))) setTicked([...ticked, key(t)]);
                  }}
                />
              )}
            </div>
          );
        })}
      </div>
      <label>
        or a SELECT
        <textarea className="field mono" rows={3} value={query} onChange={(e) => setQuery(e.target.value)} placeholder="SELECT … FROM …" />
      </label>
      <button type="button" className="pill solid" style={{ marginTop: 8 }} disabled={!items.length} onClick={() => onRead(items)}>
        Read {items.length || ''}
      </button>
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
