// Reaching into a PostgreSQL database or a cluster: a connection, then tables, views or a SELECT, whose rows are read or left there.
import { useRef, useState } from 'react';
import { client, problemOf, unwrap, type ModelDocument } from '../../api/client';
import { queryClient, useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
import { AskedNow } from '../sql/AskedNow';
import { Choose, type Left, type Listed } from './ChooseTables';
import { ConnectionLine, NewCluster, NewConnection, PasswordForm } from './Connections';
import { startReading, useConnections } from './requests';

export function Database({ model, onReading }: { model: ModelDocument; onReading: (id: string) => void }) {
  const connections = useConnections(model);
  const [chosen, setChosen] = useState<string | null>(null);
  const [password, setPassword] = useState('');
  const [listed, setFound] = useState<Listed[] | null>(null);
  const say = actions.say;
  const path = { model_id: model.id };
  const { keep } = useEdits(model);
  const [busy, setBusy] = useState(false);
  const leaving = useRef<AbortController | null>(null);
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
    leaving.current = new AbortController();
    const { signal } = leaving.current;
    try {
      const left = tables.map((t) => ({ schema: t.schema, name: t.name, title: t.title, table: t.inPlaceOf }));
      const body = { name: chosen ?? '', tables: left, base: model.version };
      keep(unwrap(await client.POST('/api/models/{model_id}/connections/leave', { params: { path }, body, signal })));
      say(null);
    } catch (error) {
      if (!signal.aborted) say({ problem: { ...problemOf(error), title: 'No table was left there.' }, retry: null });
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
          >
            <AskedNow model={model} waits={busy} onStop={() => leaving.current?.abort()} />
          </Choose>
        ) : (
          <p className="quiet">Its tables and views stand here once it answers.</p>
        ))}
    </section>
  );
}
