// What is wrong now, and since when: each line leads to the cell, and to the edit.
import type { Check, CheckRow, ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { counted, whenText } from '../../shared/format';
import { useBlame, useBlames, useProving } from './proving';
import { StateMark } from './StateMark';
import { useShowCell } from './useShowCell';

const MOST = 6;

export function WrongNow({ model, checks }: { model: ModelDocument; checks: CheckRow[] }) {
  const wrong = checks.filter((c) => (c.state === 'fails' || c.state === 'cannot') && !c.silenced);
  const silenced = checks.filter((c) => c.silenced && c.state !== 'holds').length;
  const groups = useBlamed(model, wrong);
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
      {groups.map(({ key, edit, rows }) => (
        <div key={key} className="wrong-group">
          {edit ? <Since model={model} name={rows[0]?.name ?? ''} /> : rows.length > 0 && <div className="quiet">{key}</div>}
          {rows.slice(0, MOST).map((row) => {
            const check = model.checks.find((c) => c.name === row.name);
            return check ? <WrongLine key={row.name} model={model} row={row} check={check} /> : null;
          })}
          {rows.length > MOST && <p className="quiet">and {rows.length - MOST} more, below</p>}
        </div>
      ))}
    </section>
  );
}

interface Group {
  /** The edit's number, or why there is none. */
  key: string;
  edit: boolean;
  rows: CheckRow[];
}

/** What is wrong, by the edit since which it is. */
function useBlamed(model: ModelDocument, wrong: CheckRow[]): Group[] {
  const blames = useBlames(
    model,
    wrong.map((r) => r.name),
  );
  const groups = new Map<string, Group>();
  for (const [i, row] of wrong.entries()) {
    const blame = blames[i];
    const number = blame?.edit?.number;
    const key = number !== undefined ? String(number) : blame ? 'not since any edit that is known' : 'looking for the edit…';
    const group = groups.get(key) ?? { key, edit: number !== undefined, rows: [] };
    group.rows.push(row);
    groups.set(key, group);
  }
  return [...groups.values()].sort((a, b) => Number(b.edit) - Number(a.edit) || Number(b.key) - Number(a.key));
}

function WrongLine({ model, row, check }: { model: ModelDocument; row: CheckRow; check: Check }) {
  const showCell = useShowCell(model);
  return (
    <div className="wrong-line">
      <StateMark row={row} />
      <div className="grow">
        <button
          type="button"
          className="plain"
          onClick={() => actions.set({ lensOpen: true, selection: { kind: 'check', name: row.name } })}
        >
          <b>{row.name}</b>
        </button>
        <div>{row.sentence}</div>
      </div>
      {row.at && check.probe && (
        <button
          type="button"
          className="pill small"
          aria-label={`Trace the worst cell of ${row.name}`}
          onClick={() => row.at && showCell(check, row.at.measure, row.at.at)}
        >
          Trace the worst cell
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
      , {edit.author}, {whenText(edit.made_at)}{' '}
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
