// In the Lens of a cell: which checks hold it; where one fails, the cell as it stood when it last held, and where the two part; and when
// the cell became what it is.
import { useState } from 'react';
import type { Check, CheckRow, Coordinate, ModelDocument, Probe } from '../../api/client';
import { actions } from '../../app/shown';
import { columnName, whenText, measureText } from '../../shared/format';
import { heldAt } from './checkModel';
import { useChecks } from './requests';
import { useBlame, useCellMoves, useCellThen, type Then } from './proving';
import { StateMark } from './StateMark';
import { Since } from './WrongNow';

interface Props {
  model: ModelDocument;
  probe: Probe;
  measure: string;
  at: Coordinate[];
}

export function HeldBy({ model, probe, measure, at }: Props) {
  const rows = useChecks(model).data?.checks ?? [];
  const holding = heldAt(model, probe, measure, at);
  const [asking, setAsking] = useState(false);
  return (
    <section aria-label="What holds this cell" className="held-by">
      {holding.map((check) => (
        <Holding key={check.name} check={check} row={rows.find((r) => r.name === check.name)} {...{ model, probe, measure, at }} />
      ))}
      {asking ? (
        <Moves {...{ model, probe, measure, at }} />
      ) : (
        <button type="button" className="plain quiet" data-needs="whole" onClick={() => setAsking(true)}>
          <u>when did this cell become what it is?</u>
        </button>
      )}
    </section>
  );
}

function Holding({ check, row, ...cell }: Props & { check: Check; row: CheckRow | undefined }) {
  return (
    <div className="holding">
      <div className="row">
        <StateMark row={row} />
        <button type="button" className="plain" onClick={() => actions.select({ kind: 'check', name: check.name ?? '' })}>
          held by <b>{check.name}</b>
        </button>
      </div>
      {row?.state === 'fails' && (
        <>
          <Since model={cell.model} name={row.name} />
          <BesideHeld check={row.name} {...cell} />
        </>
      )}
    </div>
  );
}

/** A value by the format of its measure. */
function text(model: ModelDocument, measure: string, value: unknown): string {
  if (value !== null && typeof value === 'object') return 'error' in value ? String(value.error) : 'fails';
  const own = model.measures.find((m) => m.name === measure);
  return measureText(value as number | string | null, own?.format ?? '', own?.dtype ?? 'number') || '(empty)';
}

/** The cell as it stood when a check last held, beside what it is. */
function BesideHeld({ model, probe, measure, at, check }: Props & { check: string }) {
  const held = useBlame(model, check, true).data?.held_at ?? null;
  return held === null ? null : <BesideThen {...{ model, probe, measure, at }} then={{ number: held }} sides={['when it held', 'now']} />;
}

/** The cell as it stood then, beside what it is in the draft, and where the two traces part. */
export function BesideThen({ model, probe, measure, at, then: when, sides }: Props & { then: Then; sides: [string, string] }) {
  const then = useCellThen(model, { probe, measure, at }, when);
  if (!then.data) return <p className="wait">{then.error?.message ?? 'Tracing it as it was…'}</p>;
  return (
    <table className="beside-held" data-testid="beside-held">
      <thead>
        <tr>
          <th />
          <th>{sides[0]}</th>
          <th>{sides[1]}</th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <td className="quiet">the value</td>
          <td>{text(model, measure, then.data.then)}</td>
          <td>{text(model, measure, then.data.now)}</td>
        </tr>
        {then.data.steps
          .filter((s) => s.kind !== 'value')
          .map((s, i) => (
            <tr key={`${s.path} ${s.kind} ${s.what} ${i}`} className={s.kind}>
              <td className="quiet">{s.kind === 'coordinate' ? columnName(s.what) : s.what}</td>
              <td>{s.first}</td>
              <td>{s.second}</td>
            </tr>
          ))}
      </tbody>
    </table>
  );
}

/** The edits and loads that moved the cell, the newest first. */
function Moves({ model, probe, measure, at }: Props) {
  const moves = useCellMoves(model, { probe, measure, at });
  if (!moves.data) return <p className="wait">{moves.error?.message ?? 'Looking through the history…'}</p>;
  const { moves: steps, gone, more } = moves.data;
  return (
    <div data-testid="cell-moves">
      {steps.length === 0 && <p className="quiet">No edit has moved it since the model was opened.</p>}
      {steps.map((s) => (
        <div key={s.edit.number} className="part-changed">
          <b>{text(model, measure, s.after)}</b> since{' '}
          <button
            type="button"
            className="plain"
            onClick={() => actions.set({ lensOpen: true, selection: { kind: 'history', number: s.edit.number } })}
          >
            <u>{s.edit.title}</u>
          </button>
          , {s.edit.author}, {whenText(s.edit.made_at)}; before it {text(model, measure, s.before)}
        </div>
      ))}
      {gone && <p className="quiet">Further back the rows are no longer kept.</p>}
      {more && <p className="quiet">There are others before.</p>}
    </div>
  );
}
