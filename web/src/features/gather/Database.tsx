// Reaching into a PostgreSQL database or a cluster: a connection, then tables, views or a SELECT, whose rows are read or left there.
import { useState } from 'react';
import { client, problemOf, unwrap, type ModelDocument } from '../../api/client';
import { queryClient, useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
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

type Connection = NonNullable<ReturnType<typeof useConnections>['data']>[number];

export function Database({ model, onReading }: { model: ModelDocument; onReading: (id: string) => void }) {
  const connections = useConnections(model);
  const [chosen, setChosen] = useState<string | null>(null);
  const [password, setPassword] = useState('');
  const [listed, setFound] = useState<Listed[] | null>(null);
  const say = actions.say;
  const path = { model_id: model.id };
  const { keep } = useEdits(model);
  const [busy, setBusy] = useState(false);
  const [making, setMaking] = useState<'a database' | 'a cluster'>('a database');
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
  const leave = async (tables: Left[]) => {
    setBusy(true);
    try {
      const left = tables.map((t) => ({ schema: t.schema, name: t.name, title: t.title, table: t.inPlaceOf }));
      const body = { name: chosen ?? '', tables: left, base: model.version };
      keep(unwrap(await client.POST('/api/models/{model_id}/connections/leave', { params: { path }, body })));
      say(null);
    } catch (error) {
      say({ problem: { ...problemOf(error), title: 'No table was left there.' }, retry: null });
    } finally {
      setBusy(false);
    }
  };
  return (
    <section className="panel two" aria-label="From a database">
      <div tabIndex={0} role="region" aria-label="Connections">
        <h3>Connections</h3>
        {connections.data?.map((c) => (
          <ConnectionLine
            key={c.name}
            connection={c}
            chosen={c.name === chosen}
            onChoose={() => {
              setChosen(c.name);
              setFound(null);
              if (c.keeps_password || c.kind === 'cluster') void look(c.name, null);
            }}
            onForget={() => void remove(c.name)}
          />
        ))}
        {connection && connection.kind === 'database' && !connection.keeps_password && (
          <PasswordForm
            name={connection.name}
            password={password}
            onType={setPassword}
            onLook={() => void look(connection.name, password)}
          />
        )}
        <div className="segment" role="group" aria-label="What is connected" style={{ marginTop: 12 }}>
          {(['a database', 'a cluster'] as const).map((kind) => (
            <button key={kind} type="button" aria-pressed={kind === making} onClick={() => setMaking(kind)}>
              {kind}
            </button>
          ))}
        </div>
        {making === 'a database' ? (
          <NewConnection
            model={model}
            onMade={(name, secret, kept) => {
              setChosen(name);
              setPassword(secret);
              void look(name, kept ? null : secret);
            }}
          />
        ) : (
          <NewCluster
            model={model}
            onMade={(name) => {
              setChosen(name);
              void look(name, null);
            }}
          />
        )}
      </div>
      {chosen &&
        (listed ? (
          <Choose
            key={`${chosen} ${model.tables.length}`}
            model={model}
            listed={listed}
            connection={chosen}
            cluster={connection?.kind === 'cluster'}
            keeps={connection?.kind === 'cluster' || Boolean(connection?.keeps_password)}
            busy={busy}
            onRead={(items) => void read(items)}
            onLeave={(tables) => void leave(tables)}
          />
        ) : (
          <p className="quiet">Its tables and views stand here once it answers.</p>
        ))}
    </section>
  );
}

interface LineProps {
  connection: Connection;
  chosen: boolean;
  onChoose: () => void;
  onForget: () => void;
}

function ConnectionLine({ connection: c, chosen, onChoose, onForget }: LineProps) {
  return (
    <div className="row">
      <button type="button" className={chosen ? 'pill small solid' : 'pill small'} onClick={onChoose}>
        {c.name}
      </button>
      <span className="quiet">
        {c.kind === 'cluster' ? c.address : `${c.user}@${c.host}:${c.port}/${c.database}`}
        {c.keeps_password ? ', password kept encrypted' : ''}
      </span>
      <button type="button" className="plain quiet" onClick={onForget} aria-label={`Forget the connection ${c.name}`}>
        forget
      </button>
    </div>
  );
}

interface PasswordProps {
  name: string;
  password: string;
  onType: (password: string) => void;
  onLook: () => void;
}

/** The password of a connection that does not keep one. */
function PasswordForm({ name, password, onType, onLook }: PasswordProps) {
  return (
    <form
      className="row"
      style={{ marginTop: 6 }}
      onSubmit={(e) => {
        e.preventDefault();
        onLook();
      }}
    >
      <input
        className="field"
        style={{ width: 200 }}
        type="password"
        aria-label={`Password of ${name}`}
        placeholder="password, for this time"
        value={password}
        onChange={(e) => onType(e.target.value)}
      />
      <button type="submit" className="pill small">
        Look
      </button>
    </form>
  );
}

function NewConnection({ model, onMade }: { model: ModelDocument; onMade: (name: string, password: string, kept: boolean) => void }) {
  const [form, setForm] = useState(BLANK);
  const [busy, setBusy] = useState(false);
  const say = actions.say;
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

/** A way to a cluster: its name and address are all that is needed. */
function NewCluster({ model, onMade }: { model: ModelDocument; onMade: (name: string) => void }) {
  const [form, setForm] = useState({ name: '', address: '' });
  const [busy, setBusy] = useState(false);
  const say = actions.say;
  const make = async () => {
    setBusy(true);
    try {
      unwrap(await client.PUT('/api/models/{model_id}/connections/cluster', { params: { path: { model_id: model.id } }, body: form }));
      await queryClient.invalidateQueries({ queryKey: ['connections', model.id] });
      say(null);
      onMade(form.name);
      setForm({ name: '', address: '' });
    } catch (error) {
      say({ problem: { ...problemOf(error), title: 'The connection was not made.' }, retry: null });
    } finally {
      setBusy(false);
    }
  };
  return (
    <form
      className="settings"
      style={{ marginTop: 12 }}
      aria-label="A cluster"
      onSubmit={(e) => {
        e.preventDefault();
        void make();
      }}
    >
      <label>
        Call the cluster
        <input className="field" value={form.name} autoComplete="off" onChange={(e) => setForm({ ...form, name: e.target.value })} />
      </label>
      <label>
        Address
        <input
          className="field mono"
          placeholder="sc://host:15002"
          value={form.address}
          autoComplete="off"
          onChange={(e) => setForm({ ...form, address: e.target.value })}
        />
      </label>
      <button type="submit" className="pill" disabled={busy || !form.name || !form.address}>
        {busy ? 'Connecting…' : 'Connect the cluster'}
      </button>
    </form>
  );
}

/** A table that is to stay where it is, as a new one or in the place of one that is here. */
type Left = Listed & { inPlaceOf: string | null };

interface ChooseProps {
  model: ModelDocument;
  listed: Listed[];
  connection: string;
  cluster: boolean;
  /** Whether it can be asked at any time, without a password being given. */
  keeps: boolean;
  busy: boolean;
  onLeave: (tables: Left[]) => void;
  onRead: (items: { name: string; source: Record<string, unknown> }[]) => void;
}

const keyOf = (t: Listed) => `${t.schema}.${t.name}`;

function Choose({ model, listed, connection, cluster, keeps, busy, onRead, onLeave }: ChooseProps) {
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
