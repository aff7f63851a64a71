import { Note } from '../../shared/Note';
import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { client, unwrap, type FormulaAnswer, type MeasureInfo, type ModelDocument } from '../../api/client';
import { useEdits, useFormula } from '../../api/queries';
import { actions } from '../../app/shown';
import { useLink } from '../link/store';
import { Uses } from '../lineage/Uses';
import { ReachView } from '../link/ReachView';
import { Names } from '../../marks/Names';
import { nameText } from '../../shared/format';
import { Difference } from './Difference';
import './measure.css';

export function LensMeasure({ model, measure }: { model: ModelDocument; measure: MeasureInfo }) {
  const answer = useFormula(model, measure.name, measure.formula);
  const navigate = useNavigate();
  const reach = useLink((s) => s.reach);
  const select = actions.select;
  const set = actions.set;
  const above = model.measures.filter((m) => m.builds_on.includes(measure.name));
  const links = (names: string[]) => (
    <Names>
      {names.map((n) => (
        <button
          key={n}
          type="button"
          className="plain measure-ink"
          onClick={() => {
            set({ measure: n });
            select({ kind: 'measure', name: n });
          }}
        >
          {nameText(n)}
        </button>
      ))}
    </Names>
  );
  return (
    <>
      <h2>{nameText(measure.name)}</h2>
      <p className="quiet">
        {measure.trial ? (measure.variant_of ? `a trial beside ${nameText(measure.variant_of).toLowerCase()}` : 'a trial') : 'official'}
        {measure.dtype ? `, gives ${measure.dtype === 'integer' ? 'an' : 'a'} ${measure.dtype}` : ''}
        {measure.home ? `, kept with ${measure.home}` : ''}
      </p>
      <Note text={measure.description} />
      <div className="formula-box">{measure.formula}</div>
      {measure.trial && <Promote model={model} measure={measure} />}
      {measure.broken && (
        <p role="alert" className="signal">
          It cannot be computed: {measure.broken}
        </p>
      )}
      {reach && !measure.broken && <ReachView model={model} subject={{ measure: measure.name }} />}
      {!measure.broken && (
        <p className="row">
          <button
            type="button"
            className="pill small"
            onClick={() => {
              set({ held: { measure: measure.name } });
              void navigate(`/m/${model.id}/link`);
            }}
          >
            Hold it over the star
          </button>
          <button
            data-needs="edit"
            type="button"
            className="pill small"
            aria-pressed={reach !== null}
            onClick={() => set({ reach: reach ? null : 'in' })}
          >
            Its reach
          </button>
        </p>
      )}
      {answer.data && answer.data.errors.length === 0 && !reach && <Reached model={model} answer={answer.data} />}
      {measure.builds_on.length > 0 && (
        <>
          <h3>Builds on</h3>
          <p>{links(measure.builds_on)}</p>
        </>
      )}
      <h3>Built on it</h3>
      <p>{above.length ? links(above.map((m) => m.name)) : 'nothing yet'}</p>
      <Uses model={model} kind="measure" name={measure.name} />
    </>
  );
}

/** A trial's difference from the official measure it stands beside, and the step that puts it in its place. */
function Promote({ model, measure }: { model: ModelDocument; measure: MeasureInfo }) {
  const { edit, busy } = useEdits(model);
  const set = actions.set;
  const query = useQuery({
    queryKey: ['promotion', model.id, model.version, measure.name],
    queryFn: async ({ signal }) =>
      unwrap(
        await client.GET('/api/models/{model_id}/measures/{name}/promotion', {
          params: { path: { model_id: model.id, name: measure.name } },
          signal,
        }),
      ),
  });
  const answer = query.data;
  if (!answer) return null;
  const promote = async () => {
    const official = answer.official ?? measure.name;
    if (await edit({ kind: 'promote_measure', name: measure.name }))
      set({ measure: official, selection: { kind: 'measure', name: official } });
  };
  return (
    <section aria-label="Promote">
      {answer.official && <h3>{nameText(answer.official)} against this trial</h3>}
      {answer.difference.length > 0 && <Difference pieces={answer.difference} />}
      {answer.errors.map((e) => (
        <p key={e.code + e.message} className="signal">
          {e.message} {e.mend}
        </p>
      ))}
      <button
        data-needs="edit"
        type="button"
        className="pill small solid"
        disabled={busy || answer.errors.length > 0}
        onClick={() => void promote()}
      >
        {answer.official ? `Put it in the place of ${nameText(answer.official).toLowerCase()}` : 'Make it official'}
      </button>
    </section>
  );
}

function Reached({ model, answer }: { model: ModelDocument; answer: FormulaAnswer }) {
  // What is reached alike is told once.
  const alike = new Map<string, { texts: Set<string>; tables: FormulaAnswer['scans'][number]['tables'] }>();
  for (const scan of answer.scans) {
    const key = JSON.stringify(scan.tables);
    const group = alike.get(key);
    if (group) group.texts.add(scan.text);
    else alike.set(key, { texts: new Set([scan.text]), tables: scan.tables });
  }
  const unreached = model.tables.filter((t) => !answer.tables.includes(t.name)).map((t) => t.name);
  return (
    <>
      {[...alike].map(([key, { texts, tables }]) => (
        <div key={key}>
          <h3>
            <span className="mono">{[...texts].join(', ')}</span> {texts.size > 1 ? 'are' : 'is'} reached by
          </h3>
          <table>
            <tbody>
              {Object.entries(tables).map(([table, path]) => (
                <tr key={table}>
                  <td>{table}</td>
                  <td className="quiet">{path.length ? `over ${path.join(', ')}` : 'itself'}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      ))}
      <h3>Not reached by</h3>
      <p>{unreached.length ? unreached.join(', ') : 'every table reaches it'}</p>
    </>
  );
}
