// Somebody saved the thing that is being written here: told at once, both beside each other, and nobody's words replaced in silence.
import type { ReactNode } from 'react';
import type { ModelDocument } from '../../api/client';
import { useHistory } from '../link/requests';

interface Props {
  model: ModelDocument;
  /** What it is about, as the titles of edits name it. */
  name: string;
  theirs: ReactNode;
  mine: ReactNode;
  onTheirs: () => void;
  onMine: () => void;
}

export function Meanwhile({ model, name, theirs, mine, onTheirs, onMine }: Props) {
  const edits = useHistory(model).data ?? [];
  // Named only where the title has the whole name: another's edit of `seats_sold` is none of `seats`.
  const last = edits.find((e) => !e.undone && ` ${e.title.toLowerCase()} `.includes(` ${name.toLowerCase()} `));
  return (
    <section className="meanwhile" role="alert" aria-label="Saved meanwhile">
      <p>
        <b>{last ? `${last.author} saved ${name} meanwhile` : `${name} was saved meanwhile`}</b>, while this was being written. Nothing is
        lost: take theirs, or go on with yours, which then replaces theirs when you save.
      </p>
      <div className="meanwhile-sides">
        <div>
          <h3>Saved meanwhile</h3>
          {theirs}
          <button type="button" className="pill small" onClick={onTheirs}>
            Take theirs
          </button>
        </div>
        <div>
          <h3>Written here</h3>
          {mine}
          <button type="button" className="pill small" onClick={onMine}>
            Go on with mine
          </button>
        </div>
      </div>
    </section>
  );
}
