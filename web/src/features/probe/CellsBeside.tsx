// Two cells beside each other: where their traces part, in the order in which they are computed.
import { useQuery } from '@tanstack/react-query';
import { client, unwrap, type ModelDocument, type Probe } from '../../api/client';
import { actions } from '../../app/shown';
import { type OtherCell } from './store';
import { columnName, memberText, nameText } from '../../shared/format';
import { fromMeasures } from '../prove/checkModel';
import { useHold } from '../prove/useHold';

const words = (cell: OtherCell) =>
  `${nameText(cell.measure)}${cell.at.length ? `, ${cell.at.map((c) => memberText(c.member)).join(', ')}` : ', all'}`;

export function CellsBeside({ model, probe, first, second }: { model: ModelDocument; probe: Probe; first: OtherCell; second: OtherCell }) {
  const { hold } = useHold(model);
  const query = useQuery({
    queryKey: ['traces-beside', model.id, model.version, probe, first, second],
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/trace/beside', {
          params: { path: { model_id: model.id } },
          body: { first: { probe: { ...probe }, ...first }, second: { probe: { ...probe }, ...second } },
          signal,
        }),
      ),
  });
  return (
    <section className="cells-beside" aria-label="Two cells beside">
      <div className="row" style={{ justifyContent: 'space-between' }}>
        <h3 style={{ margin: 0 }}>Where they part</h3>
        <span className="row">
          {first.measure !== second.measure && (
            <button
              type="button"
              className="plain"
              title="Makes a check: the two measures are the same in every cell"
              onClick={() => void hold(fromMeasures(model, probe, first.measure, second.measure))}
            >
              <u>hold them equal</u>
            </button>
          )}
          <button type="button" className="plain" onClick={() => actions.set({ other: null })}>
            <u>one cell again</u>
          </button>
        </span>
      </div>
      {!query.data && <p className="wait">{query.error ? query.error.message : 'Tracing both…'}</p>}
      {query.data && (
        <table>
          <thead>
            <tr>
              <th />
              <th>{words(first)}</th>
              <th>{words(second)}</th>
            </tr>
          </thead>
          <tbody>
            {query.data.steps.map((s, i) => (
              <tr key={`${s.path} ${s.kind} ${s.what} ${i}`} className={s.kind}>
                <td className="quiet">{s.kind === 'coordinate' ? columnName(s.what) : s.what}</td>
                <td>{s.first}</td>
                <td>{s.second}</td>
              </tr>
            ))}
            {query.data.steps.length === 0 && (
              <tr>
                <td colSpan={3}>They do not: every step is the same.</td>
              </tr>
            )}
          </tbody>
        </table>
      )}
    </section>
  );
}
