// A check changed where it is read: what must hold, how near, its name; and its listed numbers taken from what is shown now.
import { useState } from 'react';
import type { Check, ModelDocument } from '../../api/client';
import { useEdits, useGrid } from '../../api/queries';
import { actions } from '../../app/shown';
import { checkWith, fieldsOf, listedAgain, withoutNothing, type CheckField } from './checkForm';
import { probeOf } from './checkModel';

interface ChangeGiven {
  model: ModelDocument;
  check: Check;
  close: () => void;
}

export function ChangeCheck({ model, check, close }: ChangeGiven) {
  const { edit, busy } = useEdits(model);
  const fields = fieldsOf(check);
  const [said, setSaid] = useState<Record<string, string>>(Object.fromEntries(fields.map((f) => [f.key, f.value])));
  const [wrong, setWrong] = useState<string[]>([]);
  const keep = async (event: React.FormEvent) => {
    event.preventDefault();
    const changed = checkWith(check, said);
    if ('wrong' in changed) return setWrong(changed.wrong);
    setWrong([]);
    const name = changed.check.name ?? '';
    const was = name === check.name ? {} : { was: check.name };
    if (!(await edit({ kind: 'put_check', check: withoutNothing(changed.check), ...was }))) return;
    if (name !== check.name) actions.select({ kind: 'check', name });
    close();
  };
  return (
    <form
      onSubmit={(e) => void keep(e)}
      className="check-named"
      aria-label="Change the check"
      onKeyDown={(e) => e.key === 'Escape' && close()}
    >
      {fields.map((f) => (
        <Field key={f.key} field={f} value={said[f.key] ?? ''} set={(value) => setSaid({ ...said, [f.key]: value })} />
      ))}
      {wrong.map((sentence) => (
        <p key={sentence} className="signal" role="alert">
          {sentence}
        </p>
      ))}
      <div>
        <button type="submit" className="pill small solid" disabled={busy}>
          Keep
        </button>{' '}
        <button type="button" className="pill small" onClick={close}>
          Leave it
        </button>
      </div>
    </form>
  );
}

function Field({ field, value, set }: { field: CheckField; value: string; set: (value: string) => void }) {
  const shared = { 'aria-label': field.label, value, className: `field${field.kind === 'formula' ? ' mono' : ''}` };
  const long = field.kind === 'long' || field.kind === 'formula';
  return (
    <label className={field.kind === 'number' || field.kind === 'choice' ? 'beside' : ''}>
      <span className="quiet">{field.label}</span>
      {field.choices ? (
        <select {...shared} onChange={(e) => set(e.target.value)}>
          {field.choices.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </select>
      ) : long ? (
        <textarea {...shared} rows={2} spellCheck={field.kind === 'long'} onChange={(e) => set(e.target.value)} />
      ) : (
        <input {...shared} inputMode={field.kind === 'number' ? 'decimal' : 'text'} onChange={(e) => set(e.target.value)} />
      )}
    </label>
  );
}

interface RelistGiven {
  model: ModelDocument;
  check: Check;
  put: (part: Partial<Check>) => void;
}

/** The listed numbers were right once: now those that the probe shows are. */
export function Relist({ model, check, put }: RelistGiven) {
  const own = probeOf(model, check);
  const probe = own && { ...own, totals: 'all' as const };
  const grid = useGrid(model, probe);
  const must = probe && grid.data && !grid.isPlaceholderData ? listedAgain(model, check, probe, grid.data) : null;
  if (!must) return null;
  return (
    <button
      type="button"
      className="pill small"
      title="The check lists what its probe shows now, in place of what it lists"
      onClick={() => put({ must })}
    >
      What is shown now is right
    </button>
  );
}
