// Proofs: every grid that the model keeps, held against what PostgreSQL gives for it.
import { useNavigate } from 'react-router';
import type { ModelDocument, ProofRow } from '../../api/client';
import { asFolio, asProbe } from '../../app/shapes';
import { actions } from '../../app/shown';
import { count, counted } from '../../shared/format';
import { useProofs, useProvingAll } from '../sql/requests';
import '../sql/sql.css';

const SIGNS = {
  proven: ['✓', 'proven', 'holds'],
  differs: ['✗', 'differs', 'fails'],
  cannot: ['!', 'cannot be compared', 'cannot'],
} as const;
const TITLES: [string, string][] = [
  ['probe ', 'Probes'],
  ['folio ', 'Folios'],
  ['check ', 'Checks'],
];

export const provenOf = (rows: ProofRow[]) => rows.filter((r) => r.proof?.state === 'proven').length;

export function ProofsView({ model }: { model: ModelDocument }) {
  const proofs = useProofs(model);
  if (!proofs.data) return <p className="wait pad">{proofs.error?.message ?? 'Looking…'}</p>;
  const rows = proofs.data.proofs;
  return (
    <div className="prove-part proofs">
      <Head model={model} data={proofs.data} />
      {TITLES.map(([prefix, title]) => {
        const mine = rows.filter((r) => r.about.startsWith(prefix));
        if (mine.length === 0) return null;
        return (
          <section key={prefix} aria-label={`Proofs: ${title}`}>
            <h3 className="row" style={{ justifyContent: 'space-between' }}>
              <span>{title}</span>
              <span className="quiet">
                {provenOf(mine)}/{mine.length}
              </span>
            </h3>
            {mine.map((row, i) => (
              // A folio has several grids of one name.
              // oxlint-disable-next-line react/no-array-index-key
              <ProofLine key={row.about + String(i)} model={model} row={row} name={row.about.slice(prefix.length)} />
            ))}
          </section>
        );
      })}
    </div>
  );
}

function Head({ model, data }: { model: ModelDocument; data: { proofs: ProofRow[]; done: number; total: number; running: boolean } }) {
  const { run, stop, busy } = useProvingAll(model);
  const rows = data.proofs;
  const proven = provenOf(rows);
  const differing = rows.filter((r) => r.proof?.state === 'differs').length;
  const cells = rows.reduce((sum, r) => sum + (r.proof?.equal ?? 0), 0);
  const open = rows.filter((r) => !r.proof).length;
  return (
    <div className="row proofs-head">
      <p className="grow" aria-live="polite" style={{ flex: 1, margin: 0 }}>
        {proven + differing === 0 ? (
          'Each grid is written as one SQL statement, which a PostgreSQL answers from the model’s rows: another witness, that shares nothing with the engine.'
        ) : (
          <>
            <b className={differing ? 'signal' : ''}>
              {differing
                ? `${counted(differing, 'grid')} ${differing === 1 ? 'differs' : 'differ'} in PostgreSQL.`
                : `${proven} of ${counted(rows.length, 'grid')} are the same in PostgreSQL.`}
            </b>{' '}
            {counted(cells, 'cell')} were the same{open ? `, ${counted(open, 'grid')} ${open === 1 ? 'is' : 'are'} yet to be proven` : ''}.
          </>
        )}
      </p>
      {data.running ? (
        <span className="row" role="status">
          <progress max={data.total || 1} value={data.done} aria-label="Grids that are proven" />
          <span className="quiet">
            {count(data.done)} of {counted(data.total, 'grid')}
          </span>
          <button type="button" className="pill small" onClick={stop}>
            Stop
          </button>
        </span>
      ) : (
        <button type="button" className="pill small solid" disabled={busy || open === 0} onClick={run}>
          {open === rows.length ? 'Prove all' : open ? 'Prove the rest' : 'All is proven'}
        </button>
      )}
    </div>
  );
}

function ProofLine({ model, row, name }: { model: ModelDocument; row: ProofRow; name: string }) {
  const navigate = useNavigate();
  const [sign, words, looks] = row.proof ? SIGNS[row.proof.state as keyof typeof SIGNS] : ['·', 'yet to be proven', 'not-run'];
  const open = () => {
    if (row.about.startsWith('check ')) return actions.set({ lensOpen: true, selection: { kind: 'check', name } });
    const folio = model.folios.find((f) => f.name === name);
    const probe = model.probes.find((p) => p.name === name);
    if (row.about.startsWith('probe ') && probe) actions.openProbe(asProbe(probe));
    actions.openFolio(row.about.startsWith('folio ') && folio ? asFolio(folio) : null);
    return void navigate(`/m/${model.id}/probe`);
  };
  const sentence = row.proof?.differences?.[0]?.sentence ?? row.proof?.sentence ?? 'It was not asked yet.';
  return (
    <div className="proof-line">
      <span className={`check-state ${looks}`} role="img" aria-label={words} title={words}>
        {sign}
      </span>
      <button type="button" className="plain" onClick={open}>
        {name} <span className="quiet">{row.words}</span>
      </button>
      <span className={row.proof?.state === 'differs' ? 'signal' : 'quiet'} title={row.proof?.sentence}>
        {sentence}
      </span>
      <span className="quiet">
        {row.proof?.by} {row.made_at ? new Date(row.made_at).toLocaleString(undefined, { dateStyle: 'short', timeStyle: 'short' }) : ''}
      </span>
      <span className="quiet num">{row.proof ? `${(row.proof.milliseconds ?? 0).toFixed(0)} ms` : ''}</span>
    </div>
  );
}
