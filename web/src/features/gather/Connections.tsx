// Ways to databases and clusters: those that are kept, and new ones.
import { useState } from 'react';
import { client, problemOf, unwrap, type ModelDocument } from '../../api/client';
import { queryClient } from '../../api/queries';
import { actions } from '../../app/shown';
import { useConnections } from './requests';

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

interface LineProps {
  connection: Connection;
  chosen: boolean;
  onChoose: () => void;
  onForget: () => void;
}

export function ConnectionLine({ connection: c, chosen, onChoose, onForget }: LineProps) {
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
export function PasswordForm({ name, password, onType, onLook }: PasswordProps) {
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

export function NewConnection({
  model,
  onMade,
}: {
  model: ModelDocument;
  onMade: (name: string, password: string, kept: boolean) => void;
}) {
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
export function NewCluster({ model, onMade }: { model: ModelDocument; onMade: (name: string) => void }) {
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
