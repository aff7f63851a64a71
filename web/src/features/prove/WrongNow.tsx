// What is wrong now, and since when: each line leads to the cell, and to the edit.
import type { Check, CheckRow, ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { counted, dateText } from '../../shared/format';
import { useBlame, useProving } from './requests';
import { StateMark } from './StateMark';
import { useShowCell } from './useShowCell';

const MOST = 6;

export function WrongNow({ model, checks }: { model: ModelDocument; checks: CheckRow[] }) {
  const wrong = checks.filter((c) => (c.state === 'fails' || c.state === 'cannot') && !c.silenced);
  const silenced = checks.filter((c) => c.silenced && c.state !== 'holds').length;
  if (checks.length === 0)
    return (
      <p className="prove-part quiet">
        The model has no checks yet. In Probe, any cell, any grid and any pasted table becomes one: choose a cell and press H.
      </p>
    );
  return (
    <section className="wrong-now" aria-label="What is wrong now">
      <h2>{wrong.length ? `${counted(wrong.length, 'check')} ${wrong.length === 1 ? 'does' : 'do'} not hold` : 'Nothing is wrong now'}</h2>
      {silenced > 0 && (
        <p className="quiet">{silenced === 1 ? 'One more fails and is silenced.' : `${silenced} more fail and are silenced.`}</p>
      )}
      {wrong.slice(0, MOST).map((row) => {
        const check = model.checks.find((c) => c.name === row.name);
        return check ? <WrongLine key={row.name} model={model} row={row} check={check} /> : null;
      })}
      {wrong.length > MOST && <p className="quiet">and {wrong.length - MOST} more, below</p>}
    </section>
  );
}

function WrongLine({ model, row, check }: { model: ModelDocument; row: CheckRow; check: Check }) {
  const showCell = useShowCell(model);
  return (
    <div className="wrong-line">
      <StateMark row={row} />
      <div className="grow">
        <button type="button" className="plain" onClick={() => actions.select({ kind: 'check', name: row.name })}>
          <b>{row.name}</b>
        </button>
        <div>{row.sentence}</div>
        <Since model={model} name={row.name} />
      </div>
      {row.at && check.probe && (
        <button type="button" className="pill small" onClick={() => row.at && showCell(check, row.at.measure, row.at.at)}>
          Trace the cell
        </button>
      )}
    </div>
  );
}

/** The edit since which a check fails, and its undoing alone. */
export function Since({ model, name }: { model: ModelDocument; name: string }) {
  const blame = useBlame(model, name, true);
  const { undoAlone, busy } = useProving(model);
  if (blame.isPending) return <div className="quiet">Looking for the edit…</div>;
  if (blame.error) return <div className="quiet">{blame.error.message}</div>;
  const { edit, sentence, undo } = blame.data;
  if (!edit) return <div className="quiet">{sentence}</div>;
  return (
    <div className="since" data-testid="since">
      since{' '}
      <button
        type="button"
        className="plain"
        title="What this edit changed"
        onClick={() => actions.set({ lensOpen: true, selection: { kind: 'history', number: edit.number } })}
      >
        <u>{edit.title}</u>
      </button>
      , {edit.author}, {dateText(edit.made_at.slice(0, 16))}{' '}
      {undo ? (
        <button type="button" className="pill small" disabled={busy} onClick={() => undoAlone(edit.number)}>
          Take just this edit back
        </button>
      ) : (
        <span className="quiet">(edits after it touch the same, so it cannot be taken back alone)</span>
      )}
    </div>
  );
}
