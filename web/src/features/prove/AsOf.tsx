// Probes as of a release: which one is seen, its numbers beside the draft's, and the way back.
import { useState } from 'react';
import type { ModelDocument, Probe } from '../../api/client';
import { actions } from '../../app/shown';
import { BesideGrid } from '../link/BesideGrid';
import { askedProbe, useProbe } from '../probe/store';
import { useReleases } from './requests';
import { useReleaseBeside } from './proving';
import { useProve } from './store';
import './prove.css';

/** `beside`: the open probe can be set beside the draft's. */
export function AsOf({ model, beside: canBeside }: { model: ModelDocument; beside: boolean }) {
  const asOf = useProve((s) => s.asOf);
  const probe = useProbe((s) => s.probe);
  const releases = useReleases(model).data ?? [];
  const [beside, setBeside] = useState(false);
  if (asOf === null) return null;
  const release = releases.find((r) => r.number === asOf);
  return (
    <section aria-label="As of a release">
      <div className="as-of" role="status">
        <span>
          Seen as of{' '}
          <select
            className="field short"
            aria-label="As of release"
            value={asOf}
            onChange={(e) => actions.set({ asOf: e.target.value ? Number(e.target.value) : null })}
          >
            <option value="">the draft</option>
            {releases.map((r) => (
              <option key={r.number} value={r.number}>
                release {r.number}, {r.name}
              </option>
            ))}
          </select>
        </span>
        {canBeside && probe && (
          <button type="button" className="plain" aria-expanded={beside} onClick={() => setBeside(!beside)}>
            <u>{beside ? 'it alone' : 'beside the draft'}</u>
          </button>
        )}
        <button
          type="button"
          className="plain"
          onClick={() => actions.set({ lensOpen: true, selection: release ? { kind: 'release', number: release.number } : null })}
        >
          <u>its notes</u>
        </button>
        <span className="grow" />
        <button type="button" className="pill small" onClick={() => actions.set({ asOf: null })}>
          Back to the draft
        </button>
      </div>
      {beside && canBeside && probe && <BesideDraft model={model} release={asOf} probe={probe} />}
    </section>
  );
}

function BesideDraft({ model, release, probe }: { model: ModelDocument; release: number; probe: Probe }) {
  const grid = useReleaseBeside(model, release, probe.measures.length ? askedProbe(probe) : null);
  if (!grid.data) return <p className="pad wait">{grid.error?.message ?? 'Comparing…'}</p>;
  return (
    <div className="pad as-of-beside">
      <BesideGrid grid={grid.data} sides={[`release ${release}`, 'draft']} />
    </div>
  );
}
