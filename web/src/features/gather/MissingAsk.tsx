// One question for all files: whether NA, NULL and the like mean that there is no value.
import { useMemo, useState } from 'react';
import type { ReadingItem } from '../../api/client';
import { counted } from '../../shared/format';
import { missingQuestion } from './missing';

export function MissingAsk({
  items,
  onRead,
}: {
  items: ReadingItem[];
  onRead: (sources: Record<number, Record<string, unknown>>) => void;
}) {
  const question = useMemo(() => missingQuestion(items), [items]);
  const [answered, setAnswered] = useState(false);
  if (!question || answered) return null;
  const words = question.words.join(', ');
  const mean = question.words.length > 1 ? 'mean' : 'means';
  return (
    <div className="ask" role="group" aria-label="Texts that mean no value">
      <p>
        <b>{counted(question.columns, 'column')}</b> of {counted(question.tables, 'table')} {question.columns > 1 ? 'are' : 'is'} numbers,
        dates or the like but for <b className="mono">{words}</b> ({counted(question.values, 'value')}), and so kept as text.
        {question.texts.length > 0 && (
          <span className="quiet">
            {' '}
            Among texts {question.words.length > 1 ? 'they stand' : 'it stands'} too:{' '}
            {question.texts.map((t) => `${t.column} (${counted(t.count, 'value')})`).join(', ')}; there{' '}
            {question.words.length > 1 ? 'they' : 'it'} would become empty as well.
          </span>
        )}
      </p>
      <div className="row">
        <button type="button" className="pill solid" onClick={() => onRead(question.sources)}>
          {words} {mean} empty: read again
        </button>
        <button type="button" className="pill" onClick={() => setAnswered(true)}>
          Keep as texts
        </button>
      </div>
    </div>
  );
}
