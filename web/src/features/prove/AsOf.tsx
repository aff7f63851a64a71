// Probes as of a release: which one is seen, its numbers beside the draft's, and the way back.
import type { ModelDocument, Probe } from '../../api/client';
import { actions } from '../../app/shown';
import { measureText } from '../../shared/format';
import { BesideGrid } from '../link/BesideGrid';
import { askedProbe, useProbe } from '../probe/store';
import { useReleases } from './requests';
import { useReleaseBeside } from './proving';
import { useProve } from './store';
import './prove.css';

/** `folio`: one is open, whose tiles are set beside the draft's where they stand. */
export function AsOf({ model, folio }: { model: ModelDocument; folio: boolean }) {
  const asOf = useProve((s) => s.asOf);
  const probe = useProbe((s) => s.probe);
  const releases = useReleases(model).data ?? [];
  const beside = useProve((s) => s.asOfBeside);
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
        {(folio || probe) && (
          <button type="button" className="plain" aria-pressed={beside} onClick={() => actions.set({ asOfBeside: !beside })}>
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
      {beside && !folio && probe && (
        <div className="pad as-of-beside">
          <BesideDraft model={model} release={asOf} probe={probe} />
        </div>
      )}
    </section>
  );
}

interface BesideGiven {
  model: ModelDocument;
  release: number;
  probe: Probe;
  /** Its first number alone. */
  number?: boolean;
}

/** A probe as of a release, beside the draft. */
export function BesideDraft({ model, release, probe, number = false }: BesideGiven) {
  const grid = useReleaseBeside(model, release, probe.measures.length ? askedProbe(probe) : null);
  if (!grid.data) return <p className="pad wait">{grid.error?.message ?? 'Comparing…'}</p>;
  const sides: [string, string] = [`release ${release}`, 'draft'];
  if (!number) return <BesideGrid grid={grid.data} sides={sides} />;
  const { measures, now, then, differs } = grid.data;
  const text = (values: typeof now) =>
    measureText(values[0]?.[0]?.[0], measures[0]?.format ?? '', measures[0]?.dtype ?? 'number') || '(empty)';
  return (
    <dl className={differs ? 'number-beside signal' : 'number-beside'}>
      <dt>{sides[0]}</dt>
      <dd>{text(now)}</dd>
      <dt>{sides[1]}</dt>
      <dd>{text(then)}</dd>
    </dl>
  );
}
