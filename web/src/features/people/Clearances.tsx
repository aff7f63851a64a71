// Rules of rows: each clearance with its rules, which tables they come to and which not, and the open probe as somebody with it sees it.
import { useState } from 'react';
import type { ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { count, counted } from '../../shared/format';
import { BesideGrid } from '../link/BesideGrid';
import { useProbe } from '../probe/store';
import { useClearances, usePeople, useSeenAs } from './requests';

type Reach = NonNullable<ReturnType<typeof useClearances>['data']>[number];

export function Clearances({ model }: { model: ModelDocument }) {
  const told = useClearances(model);
  const [edited, setEdited] = useState<string | null>(null);
  const [seen, setSeen] = useState<string | null>(null);
  const reaches = told.data ?? [];
  if (!told.data && model.clearances.length > 0) return <p className="pad wait">{told.error?.message ?? 'Looking…'}</p>;
  return (
    <div className="people-part">
      <p className="quiet">
        A rule is a condition on a table. It stands under every number that somebody with the clearance is shown: it runs over links as any
        filter does, and no formula takes it away.
      </p>
      {reaches.map((c) =>
        edited === c.name ? (
          <Rules key={c.name} model={model} name={c.name} rules={c.rules} done={() => setEdited(null)} />
        ) : (
          <ClearanceRow
            key={c.name}
            model={model}
            reach={c}
            edit={() => setEdited(c.name)}
            see={() => setSeen(seen === c.name ? null : c.name)}
          />
        ),
      )}
      {edited === '' ? (
        <Rules model={model} name="" rules={[]} done={() => setEdited(null)} />
      ) : (
        <button type="button" className="pill small" onClick={() => setEdited('')}>
          New clearance
        </button>
      )}
      {seen !== null && reaches.some((c) => c.name === seen) && <SeenAs key={seen} model={model} clearance={seen} />}
    </div>
  );
}

interface RowGiven {
  model: ModelDocument;
  reach: Reach;
  edit: () => void;
  see: () => void;
}

function ClearanceRow({ model, reach, edit, see }: RowGiven) {
  const edits = useEdits(model);
  return (
    <section className="panel" aria-label={reach.name}>
      <div className="row">
        <b>{reach.name}</b>
        <span style={{ flex: 1 }} />
        <button type="button" className="pill small" disabled={reach.wrong !== ''} onClick={see}>
          See the open probe as…
        </button>
        <button type="button" className="plain" onClick={edit}>
          Change
        </button>
        <button
          type="button"
          className="plain"
          aria-label={`Remove ${reach.name}`}
          onClick={() => void edits.edit({ kind: 'remove_clearance', name: reach.name })}
        >
          Remove
        </button>
      </div>
      {reach.rules.map((rule) => (
        <div key={rule} className="mono">
          {rule}
        </div>
      ))}
      {reach.wrong ? (
        <p className="signal">{reach.wrong} Who has it sees nothing.</p>
      ) : (
        <p>
          Comes to {reach.reached.join(', ') || 'no table'}.
          {reach.missed.length > 0 && <span className="quiet"> All rows are seen of {reach.missed.join(', ')}.</span>}
        </p>
      )}
    </section>
  );
}

interface RulesGiven {
  model: ModelDocument;
  name: string;
  rules: string[];
  done: () => void;
}

function Rules({ model, name, rules, done }: RulesGiven) {
  const edits = useEdits(model);
  const [called, setCalled] = useState(name);
  const [text, setText] = useState(rules.join('\n'));
  const save = async () => {
    const clearance = { name: called.trim(), rules: text.split('\n').filter((line) => line.trim() !== '') };
    if (await edits.edit({ kind: 'put_clearance', clearance })) done();
  };
  return (
    <form
      className="panel"
      onSubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      <label>
        Name
        <input className="field" required readOnly={name !== ''} value={called} onChange={(e) => setCalled(e.target.value)} />
      </label>
      <label style={{ display: 'block', margin: '10px 0' }}>
        Rules, one a line, such as <code>Island.name = 'Wick'</code> or <code>Agent.email = person('email')</code>
        <textarea
          className="field mono"
          rows={3}
          style={{ width: '100%' }}
          required
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      <div className="row">
        <button type="submit" className="pill solid small" disabled={edits.busy}>
          Save
        </button>
        <button type="button" className="pill small" onClick={done}>
          Leave it
        </button>
      </div>
    </form>
  );
}

/** The open probe beside how somebody with a clearance sees it. */
function SeenAs({ model, clearance }: { model: ModelDocument; clearance: string }) {
  const probe = useProbe((s) => s.probe);
  const [email, setEmail] = useState('');
  const asksWho = /person\s*\(/i.test((model.clearances.find((c) => c.name === clearance)?.rules ?? []).join(' '));
  const members = usePeople(model).data?.members ?? [];
  const name = members.find((m) => m.email === email)?.name ?? email;
  const seen = useSeenAs(model, asksWho && !email ? null : probe, clearance, email, name);
  const fewer = (seen.data?.tables ?? []).map((t, i) => ({ ...t, of: seen.data?.sizes[i] ?? 0 })).filter((t) => t.rows < t.of);
  return (
    <section aria-label={`Seen as ${clearance}`}>
      <h3>The open probe, as somebody with {clearance} sees it</h3>
      {asksWho && (
        <label>
          Whose e-mail address
          <input className="field" type="email" list="members" value={email} onChange={(e) => setEmail(e.target.value)} />
          <datalist id="members">
            {members.map((m) => (
              <option key={m.id} value={m.email}>
                {m.name}
              </option>
            ))}
          </datalist>
        </label>
      )}
      {!probe?.measures?.length && <p className="quiet">Open a probe with a measure in Probe first.</p>}
      {seen.error && <p className="signal">{seen.error.message}</p>}
      {seen.data && (
        <>
          <p>
            First of all filters: <span className="mono">{seen.data.rules.join(' and ')}</span>.{' '}
            {fewer.length
              ? `It leaves ${fewer.map((t) => `${count(t.rows)} of ${counted(t.of, 'row')} of ${t.table}`).join(', ')}.`
              : 'It leaves all rows.'}
          </p>
          <BesideGrid grid={seen.data.grid} sides={[clearance, 'all rows']} />
        </>
      )}
    </section>
  );
}
