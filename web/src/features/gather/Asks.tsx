// One question for all files at a time: whether NA and the like mean that there is no value, whether broken rows are left out, whether
// columns are what they nearly are.
import { useMemo, useState, type ReactNode } from 'react';
import type { ReadingItem } from '../../api/client';
import { counted } from '../../shared/format';
import { brokenQuestion, nearlyQuestion } from './questions';
import { missingQuestion, type MissingQuestion } from './missing';

type Read = (sources: Record<number, Record<string, unknown>>) => void;

/** The first question that nobody has answered. */
export function Asks({ items, onRead }: { items: ReadingItem[]; onRead: Read }) {
  const broken = useMemo(() => brokenQuestion(items), [items]);
  const missing = useMemo(() => missingQuestion(items), [items]);
  const nearly = useMemo(() => nearlyQuestion(items), [items]);
  const [passed, setPassed] = useState<string[]>([]);
  const pass = (what: string) => () => setPassed([...passed, what]);
  if (broken && !passed.includes('broken'))
    return (
      <Ask
        label="Rows that are broken"
        take="Leave broken rows out: read again"
        skip="Leave it"
        onTake={() => onRead(broken.sources)}
        onSkip={pass('broken')}
      >
        <b>{counted(broken.tables, 'file')}</b> {broken.tables > 1 ? 'have' : 'has'} rows with too many or too few columns, and{' '}
        {broken.tables > 1 ? 'were' : 'was'} not read: <span className="mono">{broken.about.join(', ')}</span>.
      </Ask>
    );
  if (missing && !passed.includes('missing')) return <MissingAsk question={missing} onRead={onRead} onSkip={pass('missing')} />;
  if (nearly && !passed.includes('nearly'))
    return (
      <Ask
        label="Columns that are nearly of another type"
        take="Read them so: what does not fit is empty"
        skip="Keep as texts"
        onTake={() => onRead(nearly.sources)}
        onSkip={pass('nearly')}
      >
        <b>{counted(nearly.columns, 'column')}</b> of {counted(nearly.tables, 'table')} {nearly.columns > 1 ? 'are' : 'is'} of another type
        but for {counted(nearly.values, 'value')}: <span className="mono">{nearly.about.slice(0, 8).join(', ')}</span>
        {nearly.about.length > 8 && ` and ${nearly.about.length - 8} more`}.
      </Ask>
    );
  return null;
}

interface AskProps {
  label: string;
  take: string;
  skip: string;
  onTake: () => void;
  onSkip: () => void;
  children: ReactNode;
}

function Ask({ label, take, skip, onTake, onSkip, children }: AskProps) {
  return (
    <div className="ask" role="group" aria-label={label}>
      <p>{children}</p>
      <div className="row">
        <button type="button" className="pill solid" onClick={onTake}>
          {take}
        </button>
        <button type="button" className="pill" onClick={onSkip}>
          {skip}
        </button>
      </div>
    </div>
  );
}

function MissingAsk({ question, onRead, onSkip }: { question: MissingQuestion; onRead: Read; onSkip: () => void }) {
  const words = question.words.join(', ');
  const many = question.words.length > 1;
  return (
    <Ask
      label="Texts that mean no value"
      take={`${words} ${many ? 'mean' : 'means'} empty: read again`}
      skip="Keep as texts"
      onTake={() => onRead(question.sources)}
      onSkip={onSkip}
    >
      <b>{counted(question.columns, 'column')}</b> of {counted(question.tables, 'table')} {question.columns > 1 ? 'are' : 'is'} numbers,
      dates or the like but for <b className="mono">{words}</b> ({counted(question.values, 'value')}), and so kept as text.
      {question.texts.length > 0 && (
        <span className="quiet">
          {' '}
          Among texts {many ? 'they stand' : 'it stands'} too:{' '}
          {question.texts.map((t) => `${t.column} (${counted(t.count, 'value')})`).join(', ')}; there {many ? 'they' : 'it'} would become
          empty as well.
        </span>
      )}
    </Ask>
  );
}
