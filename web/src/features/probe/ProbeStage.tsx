// Probe: a grid asked for by a sentence of chips; a chosen cell is traced in the Lens. Several probes stand on a folio.
import { useQueryClient } from '@tanstack/react-query';
import { Suspense, lazy, useMemo, useState } from 'react';
import { Refusal, type ModelDocument, type Picture } from '../../api/client';
import { gridKey, useGrid } from '../../api/queries';
import { asFolio } from '../../app/shapes';
import { actions } from '../../app/shown';
import { EMPTY_FOLIO, useFolio } from '../folio/store';
import { EMPTY_PROBE, askedProbe, useProbe } from './store';
import { GridTable, gridWords } from './GridTable';
import { PastedTable } from './PastedTable';
import { Picks, usePickSide } from './Picks';
import { drawing, misfit } from './pictures/series';
import { Sentence, SentenceEnd } from './Sentence';
import { TakeOut } from './TakeOut';
import './probe.css';
import { useProve } from '../prove/store';
import { AsOf } from '../prove/AsOf';
import { MOST_HELD, fromCells, fromGrid, fromPasted, heldCells } from '../prove/checkModel';
import { MadeLine } from '../prove/MadeLine';
import { useHold } from '../prove/useHold';
import { counted } from '../../shared/format';
import { AskedNow, Stopped } from '../sql/AskedNow';

const PictureView = lazy(() => import('./PictureView').then((m) => ({ default: m.PictureView })));
const FolioView = lazy(() => import('../folio/FolioView').then((m) => ({ default: m.FolioView })));

const PICTURES: [Picture, string][] = [
  ['grid', 'Grid'],
  ['bars', 'Bars'],
  ['lines', 'Lines'],
  ['columns', 'Columns'],
  ['stacked', 'Stacked'],
  ['dots', 'Dots'],
  ['heat', 'Heat'],
  ['multiples', 'Small multiples'],
];

export function ProbeStage({ model }: { model: ModelDocument }) {
  const folio = useFolio((s) => s.folio);
  const from = useFolio((s) => s.folioFrom);
  const opened = useFolio((s) => s.folioCount);
  return (
    <div className="probe-stage">
      <div className="row folio-strip" role="group" aria-label="Probe or folio">
        <button type="button" aria-pressed={folio === null} onClick={() => actions.openFolio(null)}>
          Probe
        </button>
        {model.folios.map((f) => (
          <button
            key={String(f.name)}
            type="button"
            aria-pressed={folio !== null && from === f.name}
            title={String(f.description ?? '')}
            onClick={() => actions.openFolio(asFolio(f))}
          >
            {String(f.name)}
          </button>
        ))}
        <button
          type="button"
          className="quiet"
          aria-pressed={folio !== null && !model.folios.some((f) => f.name === from)}
          onClick={() => actions.openFolio(EMPTY_FOLIO)}
        >
          + folio
        </button>
        <span className="grow" />
        {folio === null && <SentenceEnd model={model} />}
      </div>
      <AsOf model={model} folio={folio !== null} />
      {folio ? (
        <Suspense fallback={<p className="pad wait">Opening the folio…</p>}>
          <FolioView key={opened} model={model} folio={folio} />
        </Suspense>
      ) : (
        <ProbeBench model={model} />
      )}
      <MadeLine model={model} />
    </div>
  );
}

function ProbeBench({ model }: { model: ModelDocument }) {
  const probe = useProbe((s) => s.probe) ?? EMPTY_PROBE;
  const put = actions.setProbe;
  const release = useProve((s) => s.asOf);
  const grid = useGrid(model, askedProbe(probe), release);
  const picture = probe.look?.picture ?? 'grid';
  const [pasting, setPasting] = useState(false);
  const queries = useQueryClient();
  const stop = () => void queries.cancelQueries({ queryKey: gridKey(model, askedProbe(probe), release) });
  const isStopped = probe.measures.length > 0 && !grid.isFetching && !grid.error && (grid.isPending || grid.isPlaceholderData);
  const answer = !grid.error && probe.measures.length > 0 ? grid.data : undefined;
  const { hold } = useHold(model);
  const side = usePickSide(probe.picks);
  const asked = useMemo(() => askedProbe(probe), [probe]);
  const held = useMemo(() => (answer && release === null ? heldCells(model, asked, answer) : undefined), [model, asked, answer, release]);
  return (
    <div className="probe-bench">
      <Sentence model={model} probe={probe} answer={answer} />
      <div className={side.open ? 'probe-body' : 'probe-body no-picks'}>
        <Picks model={model} picks={probe.picks} answer={grid.data} put={(picks) => put({ picks })} {...side} />
        <div className="grid-place" data-region aria-busy={grid.isFetching}>
          {probe.measures.length === 0 && <p className="pad quiet">Ask for a measure: “+ measure” in the sentence above.</p>}
          {grid.isPending && grid.isFetching && <p className="wait pad">Computing {counted(probe.measures.length, 'measure')}…</p>}
          <AskedNow model={model} waits={grid.isFetching && model.tables.some((t) => t.stays)} onStop={stop} />
          {isStopped && (
            <Stopped of={answer ? 'the grid below is of the probe before' : 'there is no grid'} onAgain={() => void grid.refetch()} />
          )}
          {grid.error && probe.measures.length > 0 && <Wrong error={grid.error} />}
          {answer && (
            <>
              <div className="grid-bar" aria-live="polite">
                <span>{gridWords(answer)}</span>
                <span className="grow" />
                <span className="picture-switch" role="group" aria-label="Shown as">
                  {PICTURES.map(([kind, words]) => {
                    const why = misfit(
                      kind,
                      drawing(answer, probe.look ?? {}, 2),
                      answer.rows.columns.length || answer.columns.columns.length,
                    );
                    return (
                      <button
                        key={kind}
                        type="button"
                        aria-pressed={picture === kind}
                        disabled={why !== '' && picture !== kind}
                        title={why || undefined}
                        onClick={() => put({ look: { ...probe.look, picture: kind } })}
                      >
                        {words}
                      </button>
                    );
                  })}
                </span>
                <TakeOut
                  model={model}
                  probe={probe}
                  answer={answer}
                  onPaste={() => setPasting(true)}
                  onHold={() => void hold(fromGrid(model, asked, answer), `Only a grid of up to ${MOST_HELD} cells becomes one check.`)}
                />
              </div>
              {pasting && (
                <PastedTable
                  answer={answer}
                  look={probe.look ?? {}}
                  close={() => setPasting(false)}
                  onKeep={(cells) => void hold(fromPasted(model, asked, cells))}
                />
              )}
              {picture === 'grid' ? (
                <GridTable answer={answer} probe={probe} held={held} onHold={(cells) => void hold(fromCells(model, asked, cells))} />
              ) : (
                <Suspense fallback={<p className="wait pad">Drawing…</p>}>
                  <PictureView answer={answer} probe={probe} picks={probe.picks} onPick={(picks) => put({ picks })} />
                </Suspense>
              )}
            </>
          )}
        </div>
      </div>
    </div>
  );
}

export function Wrong({ error }: { error: Error }) {
  const errors =
    error instanceof Refusal && error.problem.errors.length
      ? error.problem.errors
      : [{ message: error.message, mend: '', code: '', in: '' }];
  return (
    <div className="pad" role="alert">
      <b>The grid cannot be computed.</b>
      <ul>
        {errors.map((e) => (
          <li key={e.code + e.in + e.message}>
            {e.in && <b>{e.in}: </b>}
            {e.message} <span className="quiet">{e.mend}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
