// What an edit would touch and break, said before it is made, with what would make it whole.
import { useState } from 'react';
import { problemOf, type Consequences, type ErrorItem, type ModelDocument } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { actions } from '../../app/shown';
import { counted } from '../../shared/format';
import { consequences } from './requests';

export interface Box {
  edit: Edit;
  consequences: Consequences;
}

/** Makes an edit at once where nothing is built on what it takes away; else shows what it would do first. */
export function useChange(model: ModelDocument) {
  const [box, setBox] = useState<Box | null>(null);
  const [busy, setBusy] = useState(false);
  const { edit } = useEdits(model);
  const say = actions.say;
  const ask = async (change: Edit): Promise<boolean> => {
    setBusy(true);
    try {
      const answer = await consequences(model, change);
      if (answer.breaks.length || answer.touches.length || answer.checks.length) {
        setBox({ edit: change, consequences: answer });
        return false;
      }
      setBox(null);
      return (await edit(change)) !== null;
    } catch (error) {
      say({ problem: problemOf(error), retry: null });
      return false;
    } finally {
      setBusy(false);
    }
  };
  return { box, busy, ask, clear: () => setBox(null) };
}

const MOST = 10;

interface BoxProps {
  model: ModelDocument;
  box: Box;
  onMake: (edit: Edit) => void;
  onLeave: () => void;
  /** Another way to what is wanted, that breaks nothing. */
  instead?: { words: string; go: () => void } | undefined;
}

export function ConsequencesBox({ model, box, onMake, onLeave, instead }: BoxProps) {
  const { breaks, touches, checks } = box.consequences;
  const mends = breaks.map((b) => mendOf(model, b));
  const broken = breaks.filter((_, i) => mends[i] === null);
  // A measure that no longer makes sense may stay and say so; a model that does not hold together may not.
  const stops = broken.filter((b) => !model.measures.some((m) => m.name === b.in));
  const links = [...new Set(mends.filter((m) => m !== null))];
  const make = () => onMake({ ...box.edit, mends: links.map((name) => ({ kind: 'remove_link', name })) });
  // What fails only because something it is built on does, is mended with that.
  const further = breaks.filter((b) => b.code === 'broken_measure');
  const first = breaks.filter((b) => b.code !== 'broken_measure');
  const line = (b: ErrorItem) => (
    <p key={b.in + b.message}>
      {model.measures.some((m) => m.name === b.in) ? `The measure ${b.in} would no longer make sense: ` : ''}
      {b.message} {b.mend}
    </p>
  );
  return (
    <section className="wrong-box" role="alertdialog" aria-label="What this would do">
      <h3>Before this is done</h3>
      {touches.length > 0 && (
        <p>
          What would go is used by{' '}
          {touches
            .slice(0, MOST)
            .map((t) => `${t.kind} ${t.name}`)
            .join(', ')}
          {touches.length > MOST && ` and ${touches.length - MOST} more`}.
        </p>
      )}
      {first.map(line)}
      {checks.length > 0 && (
        <p>
          {counted(checks.length, 'check')} would no longer hold:{' '}
          {checks
            .slice(0, MOST)
            .map((c) => `${c.name}${c.after === 'cannot' ? ' (it ends)' : ''}`)
            .join(', ')}
          {checks.length > MOST && ` and ${checks.length - MOST} more`}.
        </p>
      )}
      {further.length > 0 && (
        <details>
          <summary>
            {counted(further.length, 'measure')} built on {first.length > 1 ? 'these' : 'it'} would fail, too
          </summary>
          {further.map(line)}
        </details>
      )}
      <div className="row">
        {instead && (
          <button type="button" className="pill solid" onClick={instead.go}>
            {instead.words}
          </button>
        )}
        {stops.length === 0 && (
          <button type="button" className={instead ? 'pill' : 'pill solid'} onClick={make}>
            {links.length ? `Do it, and remove ${links.length > 1 ? 'the links' : 'the link'} ${links.join(', ')}` : 'Do it all the same'}
          </button>
        )}
        <button type="button" className="pill" onClick={onLeave}>
          Leave it as it is
        </button>
      </div>
    </section>
  );
}

/** The link that would have to go, where a break is of that kind. */
function mendOf(model: ModelDocument, broken: ErrorItem): string | null {
  return model.links.some((k) => k.name === broken.in) ? broken.in : null;
}
