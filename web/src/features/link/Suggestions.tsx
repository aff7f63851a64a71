// Links that the data suggest, with their evidence: taken one by one in the link sheet, or several together; never by themselves.
import { useState } from 'react';
import type { ModelDocument, Suggestion } from '../../api/client';
import type { Edit } from '../../api/queries';
import { useEdits } from '../../api/queries';
import { LinkMark } from '../../marks/Marks';
import { columnName } from '../../shared/format';
import { listed, tableIn } from './CellPanel';
import { ask, askNew } from './edits';
import { useSuggestions } from './requests';

const FIRST = 4;

export function Suggestions({ model }: { model: ModelDocument }) {
  const suggestions = useSuggestions(model);
  const [ticked, setTicked] = useState<Set<string>>(new Set());
  const [all, setAll] = useState(false);
  const shown = suggestions.data ?? [];
  const away = model.put_aside;
  const choices = [...new Set(shown.map((s) => s.choice).filter(Boolean))];
  const taken = shown.filter((s) => ticked.has(s.text));
  const together = () => {
    const edits: Edit[] = taken.map((s) => ({ kind: 'add_link', link: s.link }));
    ask({ kind: 'edits', title: `make ${taken.length} links`, edits });
    setTicked(new Set());
  };
  const tick = (s: Suggestion) =>
    setTicked((old) => {
      const next = new Set(old);
      if (!next.delete(s.text)) next.add(s.text);
      return next;
    });
  if (suggestions.isPending) return <p className="wait">Looking for keys in common…</p>;
  if (suggestions.isError) return <p className="quiet">Links were not suggested: {suggestions.error.message}</p>;
  if (shown.length === 0 && away.length === 0) return null;
  return (
    <section aria-label="Suggested by the data" className="suggestions">
      <div className="row" style={{ justifyContent: 'space-between' }}>
        <h2>Suggested by the data</h2>
        {shown.length > 1 && (
          <span className="row">
            <button
              type="button"
              className="pill small"
              onClick={() => setTicked(taken.length === shown.length ? new Set() : new Set(shown.map((s) => s.text)))}
            >
              {taken.length === shown.length ? 'Tick none' : 'Tick all'}
            </button>
            <button type="button" className="pill small solid" disabled={taken.length === 0} onClick={together}>
              Look at {taken.length || 'those ticked'}
            </button>
          </span>
        )}
      </div>
      {choices.map((choice) => (
        <WhichRole key={choice} model={model} choices={shown.filter((s) => s.choice === choice)} />
      ))}
      {shown.slice(0, all ? shown.length : FIRST).map((s) => (
        <Suggested key={s.text} model={model} suggestion={s} ticked={ticked.has(s.text)} onTick={shown.length > 1 ? () => tick(s) : null} />
      ))}
      {!all && shown.length > FIRST && (
        <button type="button" className="plain quiet" onClick={() => setAll(true)}>
          {shown.length - FIRST} more
        </button>
      )}
      {away.length > 0 && <PutAside model={model} away={away} />}
    </section>
  );
}

interface SuggestedProps {
  model: ModelDocument;
  suggestion: Suggestion;
  ticked: boolean;
  onTick: (() => void) | null;
}

function Suggested({ model, suggestion, ticked, onTick }: SuggestedProps) {
  const { edit, busy } = useEdits(model);
  const { text, link, evidence } = suggestion;
  // What is not meant is remembered by the model, and told in its history.
  const dismiss = () => void edit({ kind: 'accept_finding', code: 'suggestion', about: text, reason: 'not meant' });
  return (
    <div className="suggestion">
      {onTick && <input type="checkbox" aria-label={`Take ${text}`} checked={ticked} onChange={onTick} />}
      <div>
        <div className="mono">{text}</div>
        <div className="quiet">
          <LinkMark link={markOf(suggestion)} width={40} /> {evidence.sentence}
        </div>
        <div className="row">
          <button data-needs="edit" type="button" className="pill small solid" onClick={() => askNew(listed(link.from), listed(link.to))}>
            Look and link
          </button>
          <button
            data-needs="edit"
            type="button"
            className="pill small"
            disabled={busy}
            aria-label={`Not this one: ${text}`}
            onClick={dismiss}
          >
            Not this one
          </button>
        </div>
      </div>
    </div>
  );
}

function PutAside({ model, away }: { model: ModelDocument; away: string[] }) {
  const { edit, busy } = useEdits(model);
  const bringBack = (text: string) => void edit({ kind: 'reopen_finding', code: 'suggestion', about: text });
  return (
    <details>
      <summary className="quiet">{away.length} put aside</summary>
      {away.map((text) => (
        <div key={text} className="row">
          <span className="mono grow">{text}</span>
          <button type="button" className="plain quiet" disabled={busy} aria-label={`Bring ${text} back`} onClick={() => bringBack(text)}>
            <u>bring it back</u>
          </button>
        </div>
      ))}
    </details>
  );
}

/** Of several dates, or places, one may be the active one: asked in a sentence, the others are offered as roles that a measure switches on. */
function WhichRole({ model, choices }: { model: ModelDocument; choices: Suggestion[] }) {
  const [chosen, setChosen] = useState<string | null>(null);
  const [first] = choices;
  if (!first) return null;
  const [table = ''] = listed(first.link.from).map((c) => tableIn(c));
  const one = tableIn(listed(first.link.to)[0] ?? '');
  const what = model.tables.find((t) => t.name === one)?.calendar ? 'date' : 'column';
  const go = () => {
    const edits: Edit[] = choices.map((s) => ({ kind: 'add_link', link: { ...s.link, active: s.text === chosen } }));
    ask({ kind: 'edits', title: `link ${table} to ${one}`, edits });
  };
  return (
    <fieldset className="which-date">
      <legend>
        Which {what} of {table} does {one} filter, when nothing else is said?
      </legend>
      {choices.map((s) => {
        const column = columnName(listed(s.link.from)[0] ?? '');
        return (
          <label key={s.text}>
            <input type="radio" name={`role of ${table} and ${one}`} checked={chosen === s.text} onChange={() => setChosen(s.text)} />{' '}
            {column}
          </label>
        );
      })}
      <p className="quiet">
        The others become inactive links: roles that a measure switches on, or that get a table of their own from their Lens.
      </p>
      <button type="button" className="pill small solid" disabled={chosen === null} onClick={go}>
        Look at these links
      </button>
    </fieldset>
  );
}

export function markOf(s: Suggestion) {
  const link = s.link as { cardinality: 'many-to-one' | 'one-to-one' | 'many-to-many'; flow: 'one-way' | 'two-way'; active: boolean };
  return { ...link, firm: s.evidence.unique && link.cardinality !== 'many-to-many' };
}
