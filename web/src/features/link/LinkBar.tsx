// What the Link stage can be asked: which view, whose reach, what is held over the star, a link, a variant, documents.
import { Suspense, lazy, useState } from 'react';
import type { ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { type LinkView, useLink } from './store';
import { askNew } from './edits';

const Documents = lazy(() => import('./Documents').then((m) => ({ default: m.Documents })));
const VIEWS: [LinkView, string][] = [
  ['both', 'Both'],
  ['matrix', 'Matrix'],
  ['star', 'Star'],
];

export function LinkBar({ model }: { model: ModelDocument }) {
  const view = useLink((s) => s.linkView);
  const reach = useLink((s) => s.reach);
  const variant = useLink((s) => s.variant);
  return (
    <div className="link-bar" role="toolbar" aria-label="Link">
      <span className="segment" role="group" aria-label="View of the links">
        {VIEWS.map(([value, words]) => (
          <button key={value} type="button" aria-pressed={view === value} onClick={() => actions.set({ linkView: value })}>
            {words}
          </button>
        ))}
      </span>
      <span className="segment" role="group" aria-label="Reach of what is chosen">
        <button
          type="button"
          aria-pressed={reach === 'out'}
          title="What the chosen table filters (R)"
          onClick={() => actions.set({ reach: reach === 'out' ? null : 'out' })}
        >
          reaches
        </button>
        <button
          type="button"
          aria-pressed={reach === 'in'}
          title="What filters the chosen table or measure (R)"
          onClick={() => actions.set({ reach: reach === 'in' ? null : 'in' })}
        >
          is reached by
        </button>
      </span>
      <Hold model={model} />
      <span className="grow" />
      <button
        data-needs="edit"
        type="button"
        className="pill small"
        disabled={variant !== null}
        title="B"
        onClick={() => actions.set({ variant: [] })}
      >
        Beside…
      </button>
      <Suspense fallback={null}>{!model.cleared && <Documents model={model} />}</Suspense>
      <button data-needs="edit" type="button" className="pill small solid" title="L" onClick={() => askNew()}>
        New link
      </button>
    </div>
  );
}

/** A measure, or typed edits, to be held over the star. */
function Hold({ model }: { model: ModelDocument }) {
  const held = useLink((s) => s.held);
  const [text, setText] = useState('');
  const hold = (typed: string) => {
    const words = typed.trim();
    const measure = model.measures.find((m) => m.name.toLowerCase() === words.toLowerCase());
    if (measure) actions.set({ held: { measure: measure.name } });
    else if (words)
      actions.set({
        held: { given: words.replace(/^given\s*\(/i, '').replace(words.toLowerCase().startsWith('given') ? /\)$/ : /$^/, '') },
      });
    else actions.set({ held: null });
  };
  return (
    <form
      className="hold"
      onSubmit={(e) => {
        e.preventDefault();
        hold(text);
        setText('');
      }}
    >
      <input
        className="field"
        aria-label="Hold a measure or a given over the star"
        placeholder={held ? 'held; Enter takes it off' : 'Hold a measure or given (…)'}
        list="star-measures"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <datalist id="star-measures">
        {model.measures.map((m) => (
          <option key={m.name} value={m.name} />
        ))}
      </datalist>
    </form>
  );
}
