// Probe: a grid asked for by a sentence of chips; a chosen cell is traced in the Lens.
import { Refusal, type ModelDocument } from '../../api/client';
import { useGrid } from '../../api/queries';
import { EMPTY_PROBE, askedProbe, useShown } from '../../app/shown';
import { GridTable } from './GridTable';
import { Picks } from './Picks';
import { Sentence } from './Sentence';

export function ProbeStage({ model }: { model: ModelDocument }) {
  const probe = useShown((s) => s.probe) ?? EMPTY_PROBE;
  const asked = askedProbe(probe);
  const grid = useGrid(model, asked);
  return (
    <div className="probe-bench">
      <Sentence model={model} probe={probe} />
      <div className="probe-body">
        <Picks model={model} picks={probe.picks} />
        <div className="grid-scroll" aria-busy={grid.isFetching}>
          {probe.measures.length === 0 && <p className="pad quiet">Ask for a measure: “+ measure” in the sentence above.</p>}
          {grid.isPending && probe.measures.length > 0 && <p className="wait">Computing {probe.measures.length} measures…</p>}
          {grid.error instanceof Refusal && probe.measures.length > 0 && (
            <div className="pad" role="alert">
              <b>The grid cannot be computed.</b>
              <ul>
                {(grid.error.problem.errors.length ? grid.error.problem.errors : [{ message: grid.error.message, mend: '', code: '', in: '' }]).map((e) => (
                  <li key={e.code + e.in + e.message}>
                    {e.in && <b>{e.in}: </b>}
                    {e.message} <span className="quiet">{e.mend}</span>
                  </li>
                ))}
              </ul>
            </div>
          )}
          {!grid.error && grid.data && probe.measures.length > 0 && <GridTable answer={grid.data} probe={asked} />}
        </div>
      </div>
    </div>
  );
}
