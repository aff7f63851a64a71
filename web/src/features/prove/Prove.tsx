// Prove: what is known to be true of the numbers, what would go unnoticed, what was released, and what the model says of itself.
import type { CheckRow, ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { count, counted } from '../../shared/format';
import { ChecksView } from './ChecksView';
import { CoverageView } from './CoverageView';
import { openFindings } from './FindingLine';
import { Findings } from './Findings';
import { ProofsView, provenOf } from './ProofsView';
import { ReleasesView } from './ReleasesView';
import { useProofs } from '../sql/requests';
import { shareOf } from './coverageModel';
import { useChecks, useCoverage, useReleases } from './requests';
import { useProving } from './proving';
import { useProve, type ProveView } from './store';
import { WrongNow } from './WrongNow';
import './prove.css';
import { MadeLine } from './MadeLine';

/** Those that do not hold, and are not silenced. */
export const wrongNow = (checks: CheckRow[]) => checks.filter((c) => (c.state === 'fails' || c.state === 'cannot') && !c.silenced);

export function Prove({ model }: { model: ModelDocument }) {
  const view = useProve((s) => s.proveView);
  const checks = useChecks(model).data?.checks ?? [];
  return (
    <div className="prove" data-region>
      <Head model={model} checks={checks} view={view} />
      {view === 'checks' && (
        <>
          <WrongNow model={model} checks={checks} />
          <ChecksView model={model} checks={checks} />
        </>
      )}
      {view === 'coverage' && <CoverageView model={model} />}
      {view === 'proofs' && <ProofsView model={model} />}
      {view === 'releases' && <ReleasesView model={model} />}
      {view === 'findings' && <Findings model={model} />}
      <MadeLine model={model} />
    </div>
  );
}

function Head({ model, checks, view }: { model: ModelDocument; checks: CheckRow[]; view: ProveView }) {
  const coverage = useCoverage(model).data;
  const releases = useReleases(model).data ?? [];
  const proofs = useProofs(model).data?.proofs ?? [];
  const share = shareOf(coverage?.changes ?? []);
  const held = checks.filter((c) => c.state === 'holds').length;
  const parts: [ProveView, string, string][] = [
    ['checks', 'Checks', `${held}/${checks.length}`],
    ['coverage', 'Coverage', share.of ? `${share.noticed}/${share.of}` : 'not computed'],
    ['proofs', 'Proofs', proofs.length && provenOf(proofs) ? `${provenOf(proofs)}/${proofs.length}` : 'in SQL'],
    ['releases', 'Releases', releases.length ? `${releases.length}` : 'none'],
    ['findings', 'Findings', `${openFindings(model).length}`],
  ];
  return (
    <header className="prove-head">
      <div className="prove-switch" role="group" aria-label="Parts of Prove">
        {parts.map(([key, words, told]) => (
          <button key={key} type="button" aria-pressed={view === key} onClick={() => actions.set({ proveView: key })}>
            <b>{words}</b> <span>{told}</span>
          </button>
        ))}
      </div>
      {view === 'checks' && <Running model={model} />}
    </header>
  );
}

/** How far the checks are, with the way to begin them again and to stop them. */
function Running({ model }: { model: ModelDocument }) {
  const answer = useChecks(model).data;
  const { runChecks, stop, busy } = useProving(model);
  if (!answer || answer.checks.length === 0) return null;
  if (answer.running)
    return (
      <div className="row prove-run" role="status">
        <progress max={answer.total || 1} value={answer.done} aria-label="Checks that are computed" />
        <span className="quiet">
          {count(answer.done)} of {counted(answer.total, 'check')}
        </span>
        <button type="button" className="pill small" onClick={() => stop('checks')}>
          Stop
        </button>
      </div>
    );
  const old = answer.checks.filter((c) => c.old).length;
  return (
    <div className="row prove-run" role="status">
      {old > 0 && <span className="quiet">{counted(old, 'check')} as of before</span>}
      <button type="button" className="pill small" disabled={busy} onClick={runChecks}>
        Run all again
      </button>
    </div>
  );
}
