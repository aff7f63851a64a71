// The history: every edit in words, by whom and when; what one of them changed; and the way back to any point.
import type { ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
import { askedProbe, useProbe } from '../probe/store';
import { counted, whenText } from '../../shared/format';
import { Compared } from './Outcome';
import { useEditChange, useHistory } from './requests';

export function HistoryView({ model, number }: { model: ModelDocument; number: number | null }) {
  const history = useHistory(model);
  const { goTo, busy } = useEdits(model);
  const open = useProbe((s) => s.probe);
  const probe = open && open.measures.length ? askedProbe(open) : null;
  const change = useEditChange(model, number, probe);
  const edits = history.data ?? [];
  return (
    <>
      <h2>History</h2>
      <p className="quiet">
        {edits.length === 0
          ? 'Nothing has been edited since the model was opened.'
          : `${counted(model.edits, 'edit')} in force. Choose one to see what it changed.`}
      </p>
      <ol className="history">
        {edits.map((e) => (
          <li key={e.number} className={e.undone ? 'undone' : ''}>
            <button
              type="button"
              className="plain"
              aria-expanded={number === e.number}
              onClick={() => actions.select({ kind: 'history', number: number === e.number ? null : e.number })}
            >
              <b>{e.title}</b>
            </button>
            <div className="row quiet">
              <span className="grow">
                {e.author}, {whenText(e.made_at)}
                {e.undone ? ', undone' : ''}
                {e.moved.map((m) => (
                  <span key={m.name} className={m.after === 'holds' ? 'fact-ink moved-check' : 'signal moved-check'}>
                    {m.after === 'holds' ? '✓' : m.after === 'fails' ? '✗' : '!'} {m.name}
                  </span>
                ))}
              </span>
              {e.number !== model.edits && (
                <button
                  data-needs="try"
                  type="button"
                  className="pill small"
                  disabled={busy}
                  aria-label={`${e.undone ? 'Again up to here' : 'Back to here'}: ${e.title}, edit ${e.number}`}
                  onClick={() => goTo(e.number)}
                >
                  {e.undone ? 'Again up to here' : 'Back to here'}
                </button>
              )}
            </div>
            {number === e.number && (
              <div className="history-change">
                {change.isFetching && !change.data && <p className="wait">Comparing before and after…</p>}
                {change.error && (
                  <p className="signal" role="alert">
                    {change.error.message}
                  </p>
                )}
                {change.data && <Compared compared={change.data} probe={probe} words="It" />}
              </div>
            )}
          </li>
        ))}
        {edits.length > 0 && (
          <li>
            <div className="row quiet">
              <span className="grow">as it was opened</span>
              {model.edits > 0 && (
                <button
                  data-needs="try"
                  type="button"
                  className="pill small"
                  disabled={busy}
                  aria-label="Back to here: as it was opened"
                  onClick={() => goTo(0)}
                >
                  Back to here
                </button>
              )}
            </div>
          </li>
        )}
      </ol>
    </>
  );
}
