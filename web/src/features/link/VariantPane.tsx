// Beside: a variant of the model, its edits in words, and the open probe under both; taken or dropped as one edit.
import type { ModelDocument, Probe, Trial } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { asProbe } from '../../app/shapes';
import { actions } from '../../app/shown';
import { askedProbe, useProbe } from '../probe/store';
import { BesideGrid } from './BesideGrid';
import { editWords } from './edits';
import { useTrial } from './requests';
import { Compared } from './Outcome';

interface Given {
  model: ModelDocument;
  shown: ModelDocument;
  edits: Edit[];
  error: Error | null;
}

/** All edits of the variant in a few words. */
const titleOf = (edits: Edit[]) =>
  edits.length === 1 && edits[0]
    ? editWords(edits[0])
    : `take the variant: ${edits.map(editWords).slice(0, 3).join('; ')}${edits.length > 3 ? ' …' : ''}`;

export function VariantPane({ model, shown, edits, error }: Given) {
  const open = useProbe((s) => s.probe);
  const trial = useTrial(model, edits, open && open.measures.length ? askedProbe(open) : null);
  const { edit, busy } = useEdits(model);
  const outcome = edits.length ? trial.data : undefined;
  const take = async () => {
    if (await edit({ kind: 'change_links', edits, title: titleOf(edits) })) actions.set({ variant: null });
  };
  const wrong = [
    ...(error ? [error.message] : []),
    ...(outcome && !outcome.comparison ? outcome.errors.map((e) => `${e.message} ${e.mend}`) : []),
  ];
  return (
    <section className="variant" aria-label="Beside">
      <div className="row variant-head">
        <h2>Beside the model</h2>
        {edits.length === 0 && (
          <span className="quiet">
            Switch, turn, make or remove links as usual: they go into the variant, and the model stays as it is.
          </span>
        )}
        {edits.map((e, i) => (
          <span key={JSON.stringify(e)} className="chip">
            <span className="chip-text">{editWords(e)}</span>
            <button
              type="button"
              aria-label={`Take back ${editWords(e)}`}
              onClick={() => actions.set({ variant: edits.filter((_, j) => j !== i) })}
            >
              ✕
            </button>
          </span>
        ))}
        <span className="grow" />
        <ProbeUnderBoth model={model} open={open} />
        <button type="button" className="pill small" onClick={() => actions.set({ variant: null })}>
          Drop the variant
        </button>
        <button
          type="button"
          className="pill small solid"
          disabled={!outcome?.comparison || trial.isFetching || busy}
          onClick={() => void take()}
        >
          Take it as one edit
        </button>
      </div>
      {wrong.map((words) => (
        <p key={words} className="signal" role="alert">
          {words}
        </p>
      ))}
      {edits.length > 0 && trial.isFetching && <p className="wait">Computing both…</p>}
      {outcome?.comparison && <Both comparison={outcome.comparison} />}
      {edits.length === 0 && shown.links.length === 0 && <p className="quiet">There are no links yet.</p>}
    </section>
  );
}

function ProbeUnderBoth({ model, open }: { model: ModelDocument; open: Probe | null }) {
  return (
    <select
      className="field short"
      aria-label="Probe under both"
      value={model.probes.some((p) => p.name === open?.name) ? open?.name : ''}
      onChange={(e) => {
        const probe = model.probes.find((p) => p.name === e.target.value);
        if (probe) actions.set({ probe: asProbe(probe) });
      }}
    >
      <option value="">{open?.measures.length ? 'the open probe' : 'choose a probe'}</option>
      {model.probes.map((p) => (
        <option key={String(p.name)} value={String(p.name)}>
          {String(p.name)}
        </option>
      ))}
    </select>
  );
}

/** The open probe under the model and under the variant, and who filters whom in either. */
function Both({ comparison }: { comparison: NonNullable<Trial['comparison']> }) {
  return (
    <div className="variant-body">
      <div>
        {comparison.grid_error && (
          <p className="signal" role="alert">
            {comparison.grid_error}
          </p>
        )}
        {comparison.grid ? (
          <BesideGrid grid={comparison.grid} />
        ) : (
          !comparison.grid_error && <p className="quiet">Choose a probe: it is computed under the model and under the variant.</p>
        )}
      </div>
      <Compared compared={{ ...comparison, grid: null, grid_error: '' }} probe={null} words="The variant" reachOnly />
    </div>
  );
}
