// Coverage: what would nobody notice? Each link in the bus matrix, each measure and step with a hole, and what would close it.
import { useNavigate } from 'react-router';
import type { Covered, ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
import { asFolio, asProbe } from '../../app/shapes';
import { CoverMark } from '../../marks/CoverMark';
import { RoleMark } from '../../marks/Marks';
import { count, counted } from '../../shared/format';
import { byAbout, shareOf, shareOfCell, shareWords, type Share } from './coverageModel';
import { useCoverage } from './requests';
import { useProving } from './proving';

export function CoverageView({ model }: { model: ModelDocument }) {
  const coverage = useCoverage(model);
  const { runCoverage, stop, busy } = useProving(model);
  if (!coverage.data) return <p className="wait pad">{coverage.error?.message ?? 'Looking…'}</p>;
  const { changes, running, old, done, total, words } = coverage.data;
  const share = shareOf(changes);
  const shares = byAbout(changes);
  const refused = changes.filter((c) => c.verdict.state === 'refused').length;
  return (
    <div className="prove-part coverage">
      <div className="row">
        <p className="grow" aria-live="polite">
          {changes.length === 0 ? (
            'The model is broken on purpose, one small change at a time, and the checks run on each: a change that none of them notices is a hole.'
          ) : (
            <>
              <b className={share.holes.length ? 'signal' : ''}>
                {share.holes.length ? `${counted(share.holes.length, 'change')} would go unnoticed.` : 'Every change is noticed.'}
              </b>{' '}
              {shareWords(share)}. {count(refused)} nobody can make: the model refuses them.
              {old && !running && <span className="signal"> The model has changed since.</span>}
            </>
          )}
        </p>
        {running ? (
          <span className="row" role="status">
            <progress max={total || 1} value={done} aria-label="Changes that were tried" />
            <span className="quiet clip" title={words}>
              {count(done)} of {count(total)}
            </span>
            <button type="button" className="pill small" onClick={() => stop('coverage')}>
              Stop
            </button>
          </span>
        ) : (
          <button type="button" className="pill small solid" disabled={busy} onClick={runCoverage}>
            {changes.length === 0 ? 'Compute it' : done < total ? 'Go on' : old ? 'Compute it anew' : 'Compute it again'}
          </button>
        )}
      </div>
      {changes.length > 0 && (
        <>
          <Holes model={model} holes={share.holes} />
          <div className="cover-body">
            <CoverMatrix model={model} shares={shares} />
            <div>
              <Others model={model} shares={shares} />
            </div>
          </div>
          <Equivalent changes={changes.filter((c) => c.verdict.state === 'equivalent')} />
        </>
      )}
    </div>
  );
}

const showHole = (hole: Covered) => actions.set({ lensOpen: true, selection: { kind: 'hole', about: hole.about, words: hole.words } });

function Holes({ model, holes }: { model: ModelDocument; holes: Covered[] }) {
  const { edit, busy } = useEdits(model);
  if (holes.length === 0) return null;
  return (
    <section aria-label="Holes">
      <h3>Holes</h3>
      {holes.map((hole) => (
        <div key={`${hole.about} ${hole.words}`} className="wrong-line">
          <CoverMark share={{ noticed: 0, of: 1, equivalent: 0, holes: [hole] }} size={16} />
          <div className="grow">
            <button type="button" className="plain" onClick={() => showHole(hole)}>
              <b>{hole.about}</b>, {hole.words}
            </button>
            <div className="quiet">{hole.verdict.sentence}</div>
          </div>
          {hole.verdict.closes && (
            <button
              data-needs="try"
              type="button"
              className="pill small"
              disabled={busy}
              title={`Makes the check “${String(hole.verdict.closes.check['name'])}”`}
              onClick={() => void edit({ kind: 'put_check', check: hole.verdict.closes?.check })}
            >
              Close it
            </button>
          )}
        </div>
      ))}
    </section>
  );
}

/** The bus matrix: of the links on each way from a dimension to a fact, how much would be noticed. */
function CoverMatrix({ model, shares }: { model: ModelDocument; shares: Map<string, Share> }) {
  const { facts, dimensions } = model.matrix;
  const role = (name: string) => model.tables.find((t) => t.name === name)?.role ?? 'dimension';
  return (
    <section aria-label="Coverage of the links">
      <h3>Links, on the way from dimensions to facts</h3>
      <div className="cover-scroll">
        <table className="cover-matrix">
          <thead>
            <tr>
              <td />
              {dimensions.map((d) => (
                <th key={d} scope="col">
                  <span>{d}</span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {facts.map((f) => (
              <tr key={f}>
                <th scope="row">
                  <RoleMark role={role(f)} size={14} /> {f}
                </th>
                {dimensions.map((d) => {
                  const path = model.matrix.cells[f]?.[d]?.path ?? [];
                  const share = shareOfCell(model, shares, f, d);
                  const name = path.find((k) => shares.get(`link ${k}`)?.holes.length) ?? path[0];
                  return (
                    <td key={d}>
                      {name && (
                        <button
                          type="button"
                          className="plain"
                          aria-label={`${d} to ${f}: ${shareWords(share)}`}
                          title={`${d} to ${f} over ${path.join(', ')}: ${shareWords(share)}`}
                          onClick={() => actions.set({ lensOpen: true, selection: { kind: 'link', name } })}
                        >
                          <CoverMark share={share} size={18} />
                        </button>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

const KINDS: [string, string][] = [
  ['measure ', 'Measures'],
  ['table ', 'Steps and loads, by table'],
  ['probe ', 'Pages of probes'],
  ['folio ', 'Pages of folios'],
];

function Others({ model, shares }: { model: ModelDocument; shares: Map<string, Share> }) {
  const navigate = useNavigate();
  const show = (about: string) => {
    const [kind = '', ...rest] = about.split(' ');
    const name = rest.join(' ');
    if (kind === 'measure' || kind === 'table') actions.set({ lensOpen: true, selection: { kind, name } });
    else {
      const folio = kind === 'folio' ? model.folios.find((f) => f.name === name) : undefined;
      const probe = kind === 'probe' ? model.probes.find((p) => p.name === name) : undefined;
      if (probe) actions.openProbe(asProbe(probe));
      actions.openFolio(folio ? asFolio(folio) : null);
      void navigate(`/m/${model.id}/probe`);
    }
  };
  return (
    <>
      {KINDS.map(([prefix, title]) => {
        const mine = [...shares].filter(([about]) => about.startsWith(prefix));
        if (mine.length === 0) return null;
        return (
          <section key={prefix} aria-label={`Coverage: ${title}`}>
            <h3>
              {title} <span className="quiet">{shareWords(sum(mine.map(([, s]) => s)))}</span>
            </h3>
            <div className="cover-list">
              {mine.map(([about, share]) => (
                <button key={about} type="button" className="plain cover-item" title={shareWords(share)} onClick={() => show(about)}>
                  <CoverMark share={share} /> {about.slice(prefix.length)}{' '}
                  {share.of > 0 && (
                    <span className={share.holes.length ? 'signal' : 'quiet'}>
                      {share.noticed}/{share.of}
                    </span>
                  )}
                </button>
              ))}
            </div>
          </section>
        );
      })}
    </>
  );
}

function sum(shares: Share[]): Share {
  const add = (of: (s: Share) => number) => shares.reduce((total, s) => total + of(s), 0);
  return {
    noticed: add((s) => s.noticed),
    of: add((s) => s.of),
    equivalent: add((s) => s.equivalent),
    holes: shares.flatMap((s) => s.holes),
  };
}

/** Changes after which every number is as it was: nothing could notice them here. */
function Equivalent({ changes }: { changes: Covered[] }) {
  if (changes.length === 0) return null;
  return (
    <details>
      <summary>{counted(changes.length, 'change')} that leave every number of every probe, folio and check as it is</summary>
      {changes.map((c) => (
        <div key={`${c.about} ${c.words}`} className="quiet">
          {c.about}, {c.words}
        </div>
      ))}
    </details>
  );
}
