// The history of loads, going back to one before, loads that are held, and schedules.
import { useState } from 'react';
import { client, problemOf, unwrap, type LoadInfo, type ModelDocument } from '../../api/client';
import { queryClient, useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
import { count, counted } from '../../shared/format';
import { ComparisonView } from './ComparisonView';
import { canReload } from './TableCards';
import { useLoadComparison, useLoads, usePutSchedule, useSchedules, type Mend } from './requests';

const EVERY: [number, string][] = [
  [0, 'by hand only'],
  [15, 'every 15 minutes'],
  [60, 'every hour'],
  [360, 'every 6 hours'],
  [1440, 'every day'],
  [10080, 'every week'],
];

function when(text: string): string {
  return new Date(text).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });
}

function useLoadActions(model: ModelDocument) {
  const say = actions.say;
  const { keep } = useEdits(model);
  const use = async (load: LoadInfo, mends: Mend[] = []) => {
    try {
      keep(
        unwrap(
          await client.POST('/api/models/{model_id}/loads/{load_id}/use', {
            params: { path: { model_id: model.id, load_id: load.id } },
            body: { base: model.version, mends },
          }),
        ),
      );
      say(null);
    } catch (error) {
      say({ problem: { ...problemOf(error), title: 'The rows stay as they are.' }, retry: null });
    }
  };
  const drop = async (load: LoadInfo) => {
    try {
      unwrap(await client.DELETE('/api/models/{model_id}/loads/{load_id}', { params: { path: { model_id: model.id, load_id: load.id } } }));
      await queryClient.invalidateQueries({ queryKey: ['loads', model.id] });
    } catch (error) {
      say({ problem: problemOf(error), retry: null });
    }
  };
  return { use, drop };
}

export function Loads({ model }: { model: ModelDocument }) {
  return (
    <section className="panel two" aria-label="Loads and schedules">
      <History model={model} />
      <Schedules model={model} />
    </section>
  );
}

function History({ model }: { model: ModelDocument }) {
  const loads = useLoads(model);
  const { use } = useLoadActions(model);
  return (
    <div tabIndex={0} role="region" aria-label="History of loads">
      <h3>Loads, the newest first</h3>
      <table className="told-table">
        <thead>
          <tr>
            <th>Table</th>
            <th>When</th>
            <th className="num">Rows</th>
            <th className="num">Seconds</th>
            <th>From</th>
            <th>By</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {loads.data?.map((x) => (
            <tr key={x.id}>
              <td>
                <b>{x.table}</b>
              </td>
              <td>{when(x.loaded_at)}</td>
              <td className="num">{count(x.rows)}</td>
              <td className="num">{x.seconds.toFixed(1)}</td>
              <td className="clip" style={{ maxWidth: 160 }} title={x.source}>
                {x.source}
              </td>
              <td className="quiet">{x.author}</td>
              <td>
                {x.live ? (
                  <span className="quiet">in force</span>
                ) : x.state === 'held' ? (
                  <span className="signal">held</span>
                ) : (
                  <button type="button" className="pill small" onClick={() => void use(x)}>
                    Go back to it
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Schedules({ model }: { model: ModelDocument }) {
  const schedules = useSchedules(model);
  const put = usePutSchedule(model);
  const sources = ['*', ...model.tables.filter(canReload).map((t) => t.name)];
  const set = (table: string, minutes: number) =>
    void put(table, minutes).catch((error: unknown) => actions.say({ problem: problemOf(error), retry: null }));
  return (
    <div tabIndex={0} role="region" aria-label="Schedules">
      <h3>Load by itself</h3>
      <table className="told-table">
        <tbody>
          {sources.map((table) => {
            const schedule = schedules.data?.find((s) => s.table === table);
            const last = schedule?.last_at ? `; ${when(schedule.last_at)}: ${schedule.last_result}` : '';
            return (
              <tr key={table}>
                <td>{table === '*' ? <b>all tables</b> : table}</td>
                <td>
                  <select
                    className="field"
                    aria-label={`When ${table === '*' ? 'all tables' : table} load by themselves`}
                    value={schedule?.minutes ?? 0}
                    onChange={(e) => set(table, Number(e.target.value))}
                  >
                    {EVERY.map(([n, words]) => (
                      <option key={n} value={n}>
                        {words}
                      </option>
                    ))}
                  </select>
                </td>
                <td className="quiet">{schedule ? `next ${when(schedule.next_at)}${last}` : ''}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="quiet">
        A load that would break a link or a measure is held; the old rows stay in force until you choose. Files are read from the model’s
        folder of files, databases over their connection.
      </p>
    </div>
  );
}

/** Loads that wait for a choice. */
export function HeldLoads({ model }: { model: ModelDocument }) {
  const loads = useLoads(model);
  const held = loads.data?.filter((x) => x.state === 'held') ?? [];
  return (
    <>
      {held.map((load) => (
        <Held key={load.id} model={model} load={load} />
      ))}
    </>
  );
}

function Held({ model, load }: { model: ModelDocument; load: LoadInfo }) {
  const comparison = useLoadComparison(model, load.id);
  const [mends, setMends] = useState<Mend[]>([]);
  const { use, drop } = useLoadActions(model);
  return (
    <section className="panel held" aria-label={`A load of ${load.table} is held`}>
      <div className="row" style={{ justifyContent: 'space-between' }}>
        <h3>
          A load of {load.table}, {when(load.loaded_at)}, {counted(load.rows, 'row')}, is held
        </h3>
        <span className="row">
          <button
            type="button"
            className="pill"
            disabled={!comparison.data || (comparison.data.breaks.length > 0 && mends.length === 0)}
            onClick={() => void use(load, mends)}
          >
            Take it
          </button>
          <button type="button" className="pill" onClick={() => void drop(load)}>
            Keep the old rows
          </button>
        </span>
      </div>
      <ComparisonView
        model={model}
        comparison={comparison.data}
        pending={comparison.isFetching}
        error={comparison.error}
        mends={mends}
        onMends={setMends}
      />
    </section>
  );
}
