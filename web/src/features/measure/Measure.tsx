// Measure: who builds on whom, a formula with its errors under it, and its numbers as saved and as written.
import { useState } from 'react';
import type { ModelDocument, PatternInfo } from '../../api/client';
import { actions, useShown } from '../../app/shown';
import { Desk } from './Desk';
import { NEW, draftKey, draftOf, freeName, useDrafts } from './drafts';
import { Outline } from './Outline';
import { SheetText } from './SheetText';
import './measure.css';

export function Measure({ model }: { model: ModelDocument }) {
  const chosen = useShown((s) => s.measure);
  const put = useDrafts((s) => s.put);
  const [asText, setAsText] = useState(false);
  const measure = model.measures.find((m) => m.name === chosen) ?? (chosen === '' ? NEW : model.measures[0]) ?? NEW;
  const begin = (pattern: PatternInfo) => {
    const base = model.measures.find((m) => m.name === measure.name);
    const isShare = pattern.key.startsWith('share');
    put(draftKey(model.id, ''), {
      ...draftOf(NEW), name: freeName(model.measures, pattern.name), formula: pattern.formula, home: base?.home ?? '', folder: base?.folder ?? '', format: isShare ? '0.0%' : pattern.key === 'two_way' || pattern.key === 'new_here' ? '#,##0' : (base?.format ?? ''), description: pattern.teaches,
    });
    actions.set({ measure: '', selection: null });
    setAsText(false);
  };
  return (
    <div className="measure-bench">
      <Outline model={model} chosen={measure.name} onPattern={begin} onText={() => setAsText(!asText)} />
      {asText ? <SheetText model={model} close={() => setAsText(false)} /> : <Desk key={measure.name} model={model} measure={measure} />}
    </div>
  );
}
