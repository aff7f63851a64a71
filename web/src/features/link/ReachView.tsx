// The reach of a table, a column or a measure: what it filters, what filters it, over which links, and what would open the rest.
import { useState } from 'react';
import type { ModelDocument, ReachOf } from '../../api/client';
import { actions } from '../../app/shown';
import { useLink } from './store';
import { OpeningLine } from './OpeningLine';
import { useReachOf, type ReachSubject } from './requests';

const REASONS: Record<string, string> = { inactive: 'is inactive', 'one-way': 'runs the other way only', off: 'is off' };

type Blocked = ReachOf['blocked'][number];

export function ReachView({ model, subject }: { model: ModelDocument; subject: ReachSubject }) {
  const way = useLink((s) => s.reach) ?? 'out';
  const [measured, setMeasured] = useState(0);
  const reach = useReachOf(model, subject);
  if (!reach.data) return <p className="wait">{reach.error ? reach.error.message : 'Following every link…'}</p>;
  const answer = reach.data;
  const ofMeasure = answer.measure !== null;
  const scan = answer.scans[Math.min(measured, answer.scans.length - 1)];
  const reached = way === 'out' && !ofMeasure ? answer.filters : (scan?.filtered_by ?? []);
  const blocked = way === 'out' && !ofMeasure ? answer.blocked : (scan?.blocked_by ?? []);
  const here = answer.table ?? scan?.grain ?? '';
  return (
    <section className="reach" aria-label="Reach">
      {!ofMeasure && (
        <span className="segment" role="group" aria-label="Which way">
          <button type="button" aria-pressed={way === 'out'} onClick={() => actions.set({ reach: 'out' })}>
            what it filters
          </button>
          <button type="button" aria-pressed={way === 'in'} onClick={() => actions.set({ reach: 'in' })}>
            what filters it
          </button>
        </span>
      )}
      {ofMeasure && answer.scans.length > 1 && (
        <select className="field" aria-label="Which aggregate" value={measured} onChange={(e) => setMeasured(Number(e.target.value))}>
          {answer.scans.map((s, i) => (
            <option key={`${s.text}${i}`} value={i}>
              {s.text || s.grain}
            </option>
          ))}
        </select>
      )}
      {ofMeasure && scan && <p className="quiet">It runs over the rows of {scan.grain}.</p>}
      <table>
        <tbody>
          {reached.map((r) => (
            <tr key={r.table}>
              <td>
                <button type="button" className="plain" onClick={() => actions.select({ kind: 'table', name: r.table })}>
                  <b>{r.table}</b>
                </button>
              </td>
              <td className="quiet">{r.path.length > 0 ? `over ${r.path.join(' › ')}` : ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {reached.length === 0 && <p>{way === 'out' && !ofMeasure ? 'A filter here stays here.' : 'No other table filters it.'}</p>}
      {blocked.length > 0 && <h3>{way === 'out' && !ofMeasure ? 'Not reached' : 'Does not reach it'}</h3>}
      {blocked.map((b) => (
        <BlockedLine
          key={b.table}
          model={model}
          blocked={b}
          from={way === 'out' && !ofMeasure ? here : b.table}
          to={way === 'out' && !ofMeasure ? b.table : here}
          measure={answer.measure}
        />
      ))}
    </section>
  );
}

function BlockedLine({
  model,
  blocked,
  from,
  to,
  measure,
}: {
  model: ModelDocument;
  blocked: Blocked;
  from: string;
  to: string;
  measure: string | null;
}) {
  const why = blocked.stops.map((s) => `${s.link} ${REASONS[s.reason] ?? s.reason}`).join('; ');
  return (
    <div className="blocked-line">
      <b>{blocked.table}</b> <span className="quiet">{why || 'no links lead there'}</span>
      <OpeningLine model={model} from={from} to={to} measure={measure} folded />
    </div>
  );
}
