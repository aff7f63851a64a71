// Beside: a variant of the model, its edits in words, and the open probe under both; taken or dropped as one edit.
import type { ModelDocument } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { asProbe } from '../../app/shapes';
import { actions, askedProbe, useShown } from '../../app/shown';
import { BesideGrid } from './BesideGrid';
import { editWords } from './edits';
import { useTrial } from './requests';
import { Compared } from './Outcome';

export function VariantPane({
  model,
  shown,
  edits,
  error,
}: {
  model: ModelDocument;
  shown: ModelDocument;
  edits: Edit[];
  error: Error | null;
}) {
  const open = useShown((s) => s.probe);
  const probe = open && open.measures.length ? askedProbe(open) : null;
  const trial = useTrial(model, edits, probe);
  const { edit, busy } = useEdits(model);
  const told = edits.length ? trial.data : undefined;
  const take = async () => {
    if (
      await edit({
        kind: 'change_links',
        edits,
        title:
          edits.length === 1 && edits[0]
            ? editWords(edits[0])
            : `take the variant: ${edits.map(editWords).slice(0, 3).join('; ')}${edits.length > 3 ? ' …' : ''}`,
      })
    )
      actions.set({ variant: null });
  };
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
        <select
          className="field short"
          aria-label="Probe under both"
          value={model.probes.some((p) => p.name === open?.name) ? open?.name : ''}
          onChange={(e) => {
            const found = model.probes.find((p) => p.name === e.target.value);
            if (found) actions.set({ probe: asProbe(found) });
          }}
        >
          <option value="">{open?.measures.length ? 'the open probe' : 'choose a probe'}</option>
          {model.probes.map((p) => (
            <option key={String(p.name)} value={String(p.name)}>
              {String(p.name)}
            </option>
          ))}
        </select>
        <button type="button" className="pill small" onClick={() => actions.set({ variant: null })}>
          Drop the variant
        </button>
        <button
          type="button"
          className="pill small solid"
          disabled={!told?.comparison || trial.isFetching || busy}
          onClick={() => void take()}
        >
          Take it as one edit
        </button>
      </div>
      {error && (
        <p className="signal" role="alert">
          {error.message}
        </p>
      )}
      {told &&
        !told.comparison &&
        told.errors.map((e) => (
          <p key={e.message} className="signal" role="alert">
            {e.message} {e.mend}
          </p>
        ))}
      {edits.length > 0 && trial.isFetching && <p className="wait">Computing both…</p>}
      {told?.comparison && (
        <div className="variant-body">
          <div>
            {told.comparison.grid_error && (
              <p className="signal" role="alert">
                {told.comparison.grid_error}
              </p>
            )}
            {told.comparison.grid ? (
              <BesideGrid grid={told.comparison.grid} />
            ) : (
              !told.comparison.grid_error && <p className="quiet">Choose a probe: it is computed under the model and under the variant.</p>
            )}
          </div>
          <Compared told={{ ...told.comparison, grid: null, grid_error: '' }} probe={null} words="The variant" reachOnly />
        </div>
      )}
      {edits.length === 0 && shown.links.length === 0 && <p className="quiet">There is no link yet.</p>}
    </section>
  );
}
