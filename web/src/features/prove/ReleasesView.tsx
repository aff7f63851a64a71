// Releases as a line in time: what each was, and what moved between them; the draft stands at its end.
import type { ModelDocument, ReleaseRow } from '../../api/client';
import { useFrame } from '../../app/frame';
import { actions } from '../../app/shown';
import { counted, whenText } from '../../shared/format';
import { useReleases } from './requests';
import { useReleasesCompared } from './proving';

const choose = (number: number | 'new') => actions.set({ lensOpen: true, selection: { kind: 'release', number } });

export function ReleasesView({ model }: { model: ModelDocument }) {
  const releases = useReleases(model);
  const selection = useFrame((s) => s.selection);
  const chosen = selection?.kind === 'release' ? selection.number : null;
  const line = [...(releases.data ?? [])].reverse();
  if (!releases.data) return <p className="wait pad">{releases.error?.message ?? 'Looking…'}</p>;
  return (
    <div className="prove-part releases">
      <p className="quiet">
        A release is the model as it stands with the loads it stands on. Its addresses give the same bytes for ever; drafts never move its
        numbers.
      </p>
      <ol className="time-line" aria-label="Releases">
        {line.map((r) => (
          <ReleaseCard key={r.number} release={r} chosen={chosen === r.number} />
        ))}
        <Draft model={model} last={line.at(-1) ?? null} chosen={chosen === 'new'} />
      </ol>
    </div>
  );
}

function ReleaseCard({ release, chosen }: { release: ReleaseRow; chosen: boolean }) {
  const { evidence } = release;
  const held = evidence.checks.filter((c) => c.state === 'holds').length;
  const moved = evidence.moved.filter((m) => m.changed > 0);
  return (
    <li className={chosen ? 'chosen' : ''}>
      <span className="time-dot" aria-hidden />
      <div className="between quiet">
        {evidence.changes.length > 0 && counted(evidence.changes.length, 'part')} {evidence.changes.length > 0 && 'changed'}
        {moved.length > 0 && <>, {counted(moved.length, 'check')} saw numbers move</>}
        {moved[0]?.widest[0] && <div>{moved[0].widest[0].sentence}</div>}
      </div>
      <button type="button" className="plain" aria-current={chosen ? 'true' : undefined} onClick={() => choose(release.number)}>
        <b>
          {release.number} · {release.name}
        </b>
      </button>
      <div className="quiet">
        {release.author}, {whenText(release.made_at)}
      </div>
      <div>
        {held}/{evidence.checks.length} checks held
        {evidence.coverage && (
          <>
            , {evidence.coverage.noticed}/{evidence.coverage.of} changes noticed
          </>
        )}
      </div>
      {release.reason && <div className="signal">made although a check failed: {release.reason}</div>}
      {release.notes && <p className="notes">{release.notes}</p>}
    </li>
  );
}

function Draft({ model, last, chosen }: { model: ModelDocument; last: ReleaseRow | null; chosen: boolean }) {
  const compared = useReleasesCompared(model, last?.number ?? 0, last ? 'draft' : null);
  const changes = compared.data?.changes ?? [];
  const moved = compared.data?.checked.filter((m) => m.changed > 0) ?? [];
  return (
    <li className={`draft ${chosen ? 'chosen' : ''}`}>
      <span className="time-dot" aria-hidden />
      {last && (
        <div className="between quiet">
          {compared.isPending
            ? 'Comparing…'
            : changes.length || moved.length
              ? `${counted(changes.length, 'part')} changed since, ${counted(moved.length, 'check')} saw numbers move`
              : 'nothing has changed since'}
        </div>
      )}
      <b>the draft</b>
      <div style={{ marginTop: 6 }}>
        <button data-needs="keep" type="button" className="pill small solid" onClick={() => choose('new')}>
          Make a release
        </button>
      </div>
    </li>
  );
}
