// Measure: who builds on whom, a formula with its errors under it, and its numbers as saved and as written.
import { useEffect, useState } from 'react';
import type { ModelDocument, PatternInfo } from '../../api/client';
import { actions } from '../../app/shown';
import { useMeasure } from './store';
import { Desk } from './Desk';
import { draftNames, keptKey, useKeptDrafts } from '../../shared/kept';
import { MEASURE, NEW, draftKey, draftOf, freeName, same, type Draft } from './drafts';
import { Outline } from './Outline';
import { SheetText } from './SheetText';
import './measure.css';

export function Measure({ model }: { model: ModelDocument }) {
  const chosen = useMeasure((s) => s.measure);
  const put = useKeptDrafts((s) => s.put);
  useMovedDrafts(model);
  const [asText, setAsText] = useState(false);
  const measure = model.measures.find((m) => m.name === chosen) ?? (chosen === '' ? NEW : model.measures[0]) ?? NEW;
  const begin = (pattern: PatternInfo) => {
    const base = model.measures.find((m) => m.name === measure.name);
    const isShare = pattern.key.startsWith('share');
    const draft: Draft = {
      ...draftOf(NEW),
      name: freeName(model.measures, pattern.name),
      formula: pattern.formula,
      home: base?.home ?? '',
      folder: base?.folder ?? '',
      format: isShare ? '0.0%' : pattern.key === 'two_way' || pattern.key === 'new_here' ? '#,##0' : (base?.format ?? ''),
      description: pattern.teaches,
    };
    put(draftKey(model.id, ''), { value: JSON.stringify(draft), base: JSON.stringify(draftOf(NEW)) });
    actions.set({ measure: '', selection: null });
    setAsText(false);
  };
  return (
    <div className="measure-bench">
      <Outline model={model} chosen={measure.name} onPattern={begin} onText={() => setAsText(!asText)} />
      {asText ? (
        <SheetText model={model} close={() => setAsText(false)} />
      ) : (
        <div className="measure-main">
          <Orphans model={model} />
          <Desk key={measure.name} model={model} measure={measure} />
        </div>
      )}
    </div>
  );
}

/** Drafts go along with a measure that was given another name. */
function useMovedDrafts(model: ModelDocument): void {
  const drafts = useKeptDrafts((s) => s.drafts);
  useEffect(() => {
    const names = new Set(model.measures.map((m) => m.name));
    for (const name of draftNames(drafts, model.id, MEASURE)) {
      if (name === '' || names.has(name)) continue;
      const now = [...model.renamed].reverse().find((r) => r.kind === 'measure' && r.was === name)?.now;
      const kept = drafts[draftKey(model.id, name)];
      if (!now || !names.has(now) || !kept || drafts[draftKey(model.id, now)]) continue;
      const { put } = useKeptDrafts.getState();
      const renamed = (text: string): Draft => ({ ...(JSON.parse(text) as Draft), name: now });
      const measure = model.measures.find((m) => m.name === now);
      // What was just saved together with the name is no draft any more.
      const written = measure && same(renamed(kept.value), draftOf(measure));
      if (!written)
        put(keptKey(model.id, MEASURE, now), { value: JSON.stringify(renamed(kept.value)), base: JSON.stringify(renamed(kept.base)) });
      put(keptKey(model.id, MEASURE, name), null);
    }
  }, [drafts, model]);
}

/** What was written of measures that are gone. */
function Orphans({ model }: { model: ModelDocument }) {
  const drafts = useKeptDrafts((s) => s.drafts);
  const put = useKeptDrafts((s) => s.put);
  const names = new Set(model.measures.map((m) => m.name));
  const lost = draftNames(drafts, model.id, MEASURE).filter((n) => n !== '' && !names.has(n));
  return (
    <>
      {lost.map((name) => {
        const kept = drafts[draftKey(model.id, name)];
        const draft = kept ? (JSON.parse(kept.value) as Draft) : null;
        const keep = () => {
          put(draftKey(model.id, ''), {
            value: JSON.stringify({ ...draft, name: freeName(model.measures, name) }),
            base: JSON.stringify(draftOf(NEW)),
          });
          put(draftKey(model.id, name), null);
          actions.set({ measure: '', selection: null });
        };
        return (
          <section key={name} className="meanwhile" role="alert" aria-label="Removed meanwhile">
            <p>
              <b>{name} was removed meanwhile.</b> What was written of it is kept.
            </p>
            <pre className="formula-box">{draft?.formula}</pre>
            <span className="row">
              <button type="button" className="pill small" disabled={Boolean(drafts[draftKey(model.id, '')])} onClick={keep}>
                Make it a new measure
              </button>
              <button type="button" className="pill small" onClick={() => put(draftKey(model.id, name), null)}>
                Throw it away
              </button>
            </span>
          </section>
        );
      })}
    </>
  );
}
