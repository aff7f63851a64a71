// A release: its notes, what changed since the one before, which checked numbers moved, its addresses, and the draft brought back to it.
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { ModelDocument, NumbersMoved, PartChanged, ReleaseRow } from '../../api/client';
import { actions } from '../../app/shown';
import { count, counted, whenText } from '../../shared/format';
import { useReleases } from './requests';
import { useProving, useReleasePreview, useReleasesCompared } from './proving';

export function LensRelease({ model, number }: { model: ModelDocument; number: number | 'new' }) {
  const releases = useReleases(model).data;
  if (number === 'new') return <NewRelease model={model} />;
  const release = releases?.find((r) => r.number === number);
  if (!release) return <p className="quiet">{releases ? `There is no release ${number}.` : 'Looking…'}</p>;
  return <Released model={model} release={release} releases={releases ?? []} />;
}

function Released({ model, release, releases }: { model: ModelDocument; release: ReleaseRow; releases: ReleaseRow[] }) {
  const navigate = useNavigate();
  const { bringBack, busy } = useProving(model);
  const [other, setOther] = useState<string | null>(null);
  const compared = useReleasesCompared(model, release.number, other);
  const { evidence } = release;
  const base = `/api/models/${model.id}/releases/${release.number}`;
  const failing = evidence.checks.filter((c) => c.state !== 'holds');
  return (
    <div data-testid="lens-release">
      <h2>
        {release.number} · {release.name}
      </h2>
      <p className="quiet">
        {release.author}, {whenText(release.made_at)}
      </p>
      {release.notes.split('\n').map((line, i) => (
        <p key={`${i} ${line}`}>{line}</p>
      ))}
      {release.reason && <p className="signal">Made although a check failed: {release.reason}</p>}
      <div className="row wrap">
        <button
          type="button"
          className="pill small solid"
          onClick={() => {
            actions.set({ asOf: release.number });
            void navigate(`/m/${model.id}/probe`);
          }}
        >
          See probes as of it
        </button>
        <button type="button" className="pill small" disabled={busy} onClick={() => bringBack(release.number)}>
          Bring the draft back to it
        </button>
        <a className="pill small" href={`${base}/report`} target="_blank" rel="noreferrer">
          Its report
        </a>
        <a className="pill small" href={`${base}/package`} download>
          Its package
        </a>
      </div>
      <h3>Checks</h3>
      <p>
        {evidence.checks.length - failing.length} of {counted(evidence.checks.length, 'check')} held
        {failing.length > 0 && <>; not {failing.map((c) => `“${c.name}”${c.silenced ? ' (silenced)' : ''}`).join(', ')}</>}.
      </p>
      <Proven evidence={evidence} />
      <Changes changes={evidence.changes} words="since the release before" />
      <Moved moved={evidence.moved} />
      <h3>Compared</h3>
      <select className="field short" aria-label="Compare with" value={other ?? ''} onChange={(e) => setOther(e.target.value || null)}>
        <option value="">compare with…</option>
        <option value="draft">the draft</option>
        {releases
          .filter((r) => r.number !== release.number)
          .map((r) => (
            <option key={r.number} value={r.number}>
              {r.number} · {r.name}
            </option>
          ))}
      </select>
      {other && !compared.data && <p className="wait">{compared.error?.message ?? 'Comparing…'}</p>}
      {other && compared.data && (
        <>
          <Changes changes={compared.data.changes} words={`in ${other === 'draft' ? 'the draft' : `release ${other}`}`} />
          <Moved moved={[...compared.data.checked, ...compared.data.looked]} />
        </>
      )}
      <h3>Addresses</h3>
      <p className="quiet">What they give, they give for ever; `latest` in place of the number goes with each release.</p>
      <ul className="addresses">
        {model.probes.slice(0, 6).map((p) => (
          <li key={p.name}>
            <a href={`${base}/probes/${encodeURIComponent(p.name ?? '')}.csv`}>{p.name}.csv</a>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Which grids SQL had the same when the release was made. */
function Proven({ evidence }: { evidence: ReleaseRow['evidence'] }) {
  const proofs = evidence.proofs ?? [];
  if (proofs.length === 0) return null;
  const proven = proofs.filter((p) => p.state === 'proven').length;
  const other = proofs.find((p) => p.state !== 'proven');
  return (
    <p>
      {proven} of {counted(proofs.length, 'grid')} {proven === 1 ? 'was' : 'were'} the same in {proofs[0]?.by}.
      {other && (
        <span className="signal">
          {' '}
          {other.about}: {other.sentence}
        </span>
      )}
    </p>
  );
}

const MOST = 12;

function Changes({ changes, words }: { changes: PartChanged[]; words: string }) {
  if (changes.length === 0) return <p className="quiet">Nothing that is written is other {words}.</p>;
  return (
    <section aria-label="What changed">
      <h3>What changed {words}</h3>
      {changes.slice(0, MOST).map((c) => (
        <div key={`${c.what} ${c.name} ${c.change}`} className="part-changed">
          {c.words}
          {c.what === 'measure' && c.before !== c.after && (
            <>
              {c.before && <pre className="formula-box before">− {c.before}</pre>}
              {c.after && <pre className="formula-box">+ {c.after}</pre>}
            </>
          )}
        </div>
      ))}
      {changes.length > MOST && <p className="quiet">and {changes.length - MOST} more</p>}
    </section>
  );
}

function Moved({ moved }: { moved: NumbersMoved[] }) {
  if (moved.length === 0) return <p className="quiet">No number moved.</p>;
  return (
    <section aria-label="Numbers that moved">
      <h3>Numbers that moved</h3>
      {moved.slice(0, MOST).map((m, i) => (
        <div key={`${m.about} ${i}`} className="part-changed">
          <b>{m.about}</b>: {m.error ? m.error : `${count(m.changed)} of ${counted(m.cells, 'cell')}`}
          {(m.widest ?? []).slice(0, 2).map((f) => (
            <div key={f.sentence} className="quiet">
              {f.sentence}
            </div>
          ))}
        </div>
      ))}
      {moved.length > MOST && <p className="quiet">and {moved.length - MOST} more</p>}
    </section>
  );
}

/** What a release made now would say, and the words that go with it. */
function NewRelease({ model }: { model: ModelDocument }) {
  const preview = useReleasePreview(model, true);
  const { makeRelease, busy } = useProving(model);
  const [words, setWords] = useState({ name: '', notes: '', reason: '' });
  if (!preview.data) return <p className="wait">{preview.error?.message ?? 'Comparing with the last release…'}</p>;
  const { number, last, changes, moved, stops, evidence } = preview.data;
  const held = evidence.checks.filter((c) => c.state === 'holds').length;
  const send = (event: React.FormEvent) => {
    event.preventDefault();
    makeRelease(words);
  };
  return (
    <form onSubmit={send} data-testid="new-release">
      <h2>Release {number}</h2>
      <p>
        {held} of {counted(evidence.checks.length, 'check')} hold.{' '}
        {evidence.coverage
          ? `${evidence.coverage.noticed} of ${evidence.coverage.of} changes are noticed.`
          : 'Coverage was not computed for the model as it stands.'}
      </p>
      {stops.length > 0 && (
        <p className="signal" role="alert">
          {stops.join(', ')} {stops.length === 1 ? 'fails, and guards releases' : 'fail, and guard releases'}: write why it may be made.
        </p>
      )}
      <input
        className="field"
        aria-label="Name of the release"
        placeholder={`Release ${number}`}
        value={words.name}
        onChange={(e) => setWords({ ...words, name: e.target.value })}
      />
      <textarea
        className="field"
        rows={4}
        aria-label="Notes of the release"
        placeholder="what a reader should know"
        value={words.notes}
        onChange={(e) => setWords({ ...words, notes: e.target.value })}
      />
      {stops.length > 0 && (
        <input
          className="field"
          aria-label="Why it may be made"
          placeholder="why it may be made although this fails"
          value={words.reason}
          onChange={(e) => setWords({ ...words, reason: e.target.value })}
        />
      )}
      <button data-needs="keep" type="submit" className="pill solid" disabled={busy || (stops.length > 0 && !words.reason.trim())}>
        Make release {number}
      </button>
      {last !== null && (
        <>
          <Changes changes={changes} words={`since release ${last}`} />
          <Moved moved={moved} />
        </>
      )}
    </form>
  );
}
