// What blocks a filter, and the smallest change that would let it through: in the model, or in a formula for itself.
import { useState } from 'react';
import type { ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { ask } from './edits';
import { useOpening } from './requests';

export function OpeningLine({
  model,
  from,
  to,
  measure,
  folded = false,
}: {
  model: ModelDocument;
  from: string;
  to: string;
  measure: string | null;
  folded?: boolean;
}) {
  const [open, setOpen] = useState(!folded);
  const opening = useOpening(model, from, to, measure, open);
  if (!open)
    return (
      <button type="button" className="plain" onClick={() => setOpen(true)}>
        <u>what would open it?</u>
      </button>
    );
  if (!opening.data) return <p className="wait">{opening.error ? opening.error.message : 'Looking for a way…'}</p>;
  const answer = opening.data;
  return (
    <div className="opening">
      {answer.edits.length > 0 ? (
        <p>
          The smallest change: <b>{answer.title}</b>.{' '}
          <button
            type="button"
            className="pill small"
            onClick={() => ask({ kind: 'edits', title: answer.title, edits: answer.edits as { kind: string }[] })}
          >
            Look at it
          </button>
        </p>
      ) : (
        <p className="quiet">
          {answer.refused ? `No one change of the model opens it: ${answer.refused}` : 'No link leads there, and the data suggest none.'}
        </p>
      )}
      {answer.given && (
        <p>
          In one formula: <code>{answer.given}</code>{' '}
          <button
            type="button"
            className="pill small"
            onClick={() => actions.set({ held: { given: answer.given.replace(/^given \(/, '').replace(/\)$/, '') } })}
          >
            Hold it over the star
          </button>
        </p>
      )}
    </div>
  );
}
