// Who may what in a model, which rows they see, the tokens of programs, and what was done.
import { Modal } from '@mantine/core';
import { useState } from 'react';
import type { ModelDocument } from '../../api/client';
import { useFrame } from '../../app/frame';
import { actions } from '../../app/shown';
import { counted, whenText } from '../../shared/format';
import { Accounts } from './Accounts';
import { Clearances } from './Clearances';
import { Members } from './Members';
import { endOwn, makeToken, useAsked, useLog, useMay, useMe, useOwn } from './requests';
import { useReleases } from '../prove/requests';
import './people.css';

export type PeoplePart = 'members' | 'clearances' | 'own' | 'log' | 'accounts';

const TITLES: Record<PeoplePart, string> = {
  members: 'People',
  clearances: 'Clearances',
  own: 'Tokens and sessions',
  log: 'Log',
  accounts: 'Accounts',
};

export function PeopleDialog({ model }: { model: ModelDocument }) {
  const open = useFrame((s) => s.people);
  const me = useMe(model.id).data;
  const isOwner = useMay(model.id, 'keep');
  const parts = (Object.keys(TITLES) as PeoplePart[]).filter(
    (part) =>
      (part === 'own' ? me?.mode !== 'open' : isOwner) &&
      (part !== 'members' || me?.mode === 'team') &&
      (part !== 'accounts' || me?.person?.operator === true),
  );
  const part = open ?? parts[0];
  return (
    <Modal
      opened={open !== null}
      onClose={() => actions.set({ people: null })}
      title={`${model.title}: people and rules`}
      size={920}
      closeButtonProps={{ 'aria-label': 'Close' }}
    >
      <div className="segment" role="group" aria-label="What to see">
        {parts.map((p) => (
          <button key={p} type="button" aria-pressed={p === part} onClick={() => actions.set({ people: p })}>
            {TITLES[p]}
          </button>
        ))}
      </div>
      {part === 'members' && <Members model={model} />}
      {part === 'clearances' && <Clearances model={model} />}
      {part === 'own' && <Own model={model} />}
      {part === 'log' && <Log model={model} />}
      {part === 'accounts' && <Accounts own={me?.person?.id ?? null} />}
    </Modal>
  );
}

/** Tokens for programs, and where else one is signed in. */
function Own({ model }: { model: ModelDocument }) {
  const own = useOwn();
  const releases = useReleases(model).data ?? [];
  const [name, setName] = useState('');
  const [release, setRelease] = useState<number | null>(null);
  const [days, setDays] = useState(90);
  const make = useAsked(makeToken, ['own']);
  const end = useAsked(endOwn, ['own']);
  if (!own.data) return <p className="pad wait">{own.error?.message ?? 'Looking…'}</p>;
  const tokens = own.data.tokens.filter((t) => t.model_id === model.id);
  return (
    <div className="people-part">
      <h3>Tokens for programs</h3>
      <p className="quiet">
        A token lets a program read grids of this model, and nothing else: it sends the header <code>Authorization: Bearer …</code>
      </p>
      <form
        className="people-form"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate({ name, model: model.id, release, days });
        }}
      >
        <label>
          Which program has it
          <input className="field" required value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        <label>
          What it reads
          <select className="field" value={release ?? ''} onChange={(e) => setRelease(e.target.value ? Number(e.target.value) : null)}>
            <option value="">the draft and all releases</option>
            {releases.map((r) => (
              <option key={r.number} value={r.number}>
                release {r.number} alone
              </option>
            ))}
          </select>
        </label>
        <label>
          Days that it holds
          <input className="field" type="number" min={1} max={730} value={days} onChange={(e) => setDays(Number(e.target.value))} />
        </label>
        <button type="submit" className="pill solid small" disabled={make.isPending}>
          Make a token
        </button>
      </form>
      {make.data && <ToldOnce what="The token" text={make.data} />}
      <table className="people-list">
        <tbody>
          {tokens.map((t) => (
            <tr key={t.digest}>
              <td>
                <b>{t.name}</b>
              </td>
              <td>{t.release ? `release ${t.release}` : 'the draft and all releases'}</td>
              <td className="quiet">{t.last_at ? `last used ${whenText(t.last_at)}` : 'not used yet'}</td>
              <td className="quiet">{t.ends_at && `until ${whenText(t.ends_at)}`}</td>
              <td>
                <button type="button" className="plain" aria-label={`End the token ${t.name}`} onClick={() => end.mutate(t.digest)}>
                  End
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <h3>Where you are signed in</h3>
      <table className="people-list">
        <tbody>
          {own.data.sessions.map((s) => (
            <tr key={s.digest}>
              <td>{s.present ? <b>This browser</b> : 'Another browser'}</td>
              <td className="quiet">since {whenText(s.made_at)}</td>
              <td className="quiet">{s.last_at && `last seen ${whenText(s.last_at)}`}</td>
              <td>
                {!s.present && (
                  <button type="button" className="plain" onClick={() => end.mutate(s.digest)}>
                    End
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** A secret, shown this once. */
export function ToldOnce({ what, text }: { what: string; text: string }) {
  return (
    <p className="told-once" role="status">
      <span>
        {what}, shown this once: <code>{text}</code>
      </span>
      <button type="button" className="pill small" onClick={() => void navigator.clipboard.writeText(text)}>
        Copy
      </button>
    </p>
  );
}

function Log({ model }: { model: ModelDocument }) {
  const log = useLog(model);
  if (!log.data) return <p className="pad wait">{log.error?.message ?? 'Looking…'}</p>;
  return (
    <div className="people-part">
      <p className="quiet">{counted(log.data.length, 'line')}; nobody can change or remove them.</p>
      <table className="people-list">
        <tbody>
          {log.data.map((line) => (
            <tr key={line.id}>
              <td className="quiet">{whenText(line.made_at)}</td>
              <td>
                <b>{line.person}</b> {line.what}
              </td>
              <td>{line.about}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
