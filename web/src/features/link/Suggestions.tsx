// Links that the data suggest, with their evidence: taken one by one in the link sheet, or several together; never by themselves.
import { useState } from 'react';
import type { ModelDocument, Suggestion } from '../../api/client';
import type { Edit } from '../../api/queries';
import { LinkMark } from '../../marks/Marks';
import { listed } from './CellPanel';
import { ask, askNew } from './edits';
import { useSuggestions } from './requests';

const FIRST = 4;

function dismissedKey(model: ModelDocument): string {
  return `nexorem.not-suggested.${model.id}`;
}

function readDismissed(model: ModelDocument): string[] {
  try {
    return JSON.parse(localStorage.getItem(dismissedKey(model)) ?? '[]') as string[];
  } catch {
    return [];
  }
}

export function Suggestions({ model }: { model: ModelDocument }) {
  const found = useSuggestions(model);
  const [dismissed, setDismissed] = useState(() => readDismissed(model));
  const [ticked, setTicked] = useState<Set<string>>(new Set());
  const [all, setAll] = useState(false);
  const shown = (found.data ?? []).filter((s) => !dismissed.includes(s.text));
  const away = (found.data ?? []).length - shown.length;
  const dismiss = (texts: string[]) => {
    localStorage.setItem(dismissedKey(model), JSON.stringify(texts));
    setDismissed(texts);
  };
  const taken = shown.filter((s) => ticked.has(s.text));
  const together = () => {
    const edits: Edit[] = taken.map((s) => ({ kind: 'add_link', link: s.link }));
    ask({ kind: 'edits', title: `make ${taken.length} links`, edits });
    setTicked(new Set());
  };
  const tick = (s: Suggestion) => setTicked((old) => {
    const next = new Set(old);
    if (!next.delete(s.text)) next.add(s.text);
    return next;
  });
  if (found.isPending) return <p className="wait">Looking for keys in common…</p>;
  if (shown.length === 0 && away === 0) return null;
  return (
    <section aria-label="Suggested by the data" className="suggestions">
      <div className="row" style={{ justifyContent: 'space-between' }}>
        <h2>Suggested by the data</h2>
        {shown.length > 1 && (
          <span className="row">
            <button type="button" className="pill small" onClick={() => setTicked(taken.length === shown.length ? new Set() : new Set(shown.map((s) => s.text)))}>{taken.length === shown.length ? 'Tick none' : 'Tick all'}</button>
            <button type="button" className="pill small solid" disabled={taken.length === 0} onClick={together}>Look at {taken.length || 'those ticked'}</button>
          </span>
        )}
      </div>
      {shown.slice(0, all ? shown.length : FIRST).map((s) => (
        <div key={s.text} className="suggestion">
          {shown.length > 1 && <input type="checkbox" aria-label={`Take ${s.text}`} checked={ticked.has(s.text)} onChange={() => tick(s)} />}
          <div>
            <div className="mono">{s.text}</div>
            <div className="quiet"><LinkMark link={markOf(s)} width={40} /> {s.evidence.sentence}</div>
            <div className="row">
              <button type="button" className="pill small solid" onClick={() => askNew(listed(s.link.from), listed(s.link.to))}>Look and link</button>
              <button type="button" className="pill small" onClick={() => dismiss([...dismissed, s.text])}>Not this one</button>
            </div>
          </div>
        </div>
      ))}
      {!all && shown.length > FIRST && <button type="button" className="plain quiet" onClick={() => setAll(true)}>{shown.length - FIRST} more</button>}
      {away > 0 && <button type="button" className="plain quiet" onClick={() => dismiss([])}>{away} put aside; show them again</button>}
    </section>
  );
}

function markOf(s: Suggestion) {
  const link = s.link as { cardinality: 'many-to-one' | 'one-to-one' | 'many-to-many'; flow: 'one-way' | 'two-way'; active: boolean };
  return { ...link, firm: s.evidence.unique && link.cardinality !== 'many-to-many' };
}
