// How a check stands, as one sign with its words.
import type { CheckRow } from '../../api/client';

const SIGNS: Record<CheckRow['state'], [string, string]> = {
  holds: ['✓', 'holds'],
  fails: ['✗', 'fails'],
  cannot: ['!', 'cannot be computed'],
  'not run': ['·', 'not run yet'],
};

export const stateWords = (row: CheckRow | undefined): string => {
  const words = SIGNS[row?.state ?? 'not run'][1];
  return [words, row?.silenced ? 'silenced' : '', row?.old && row.state !== 'not run' ? 'as of before' : ''].filter(Boolean).join(', ');
};

export function StateMark({ row }: { row: CheckRow | undefined }) {
  const state = row?.state ?? 'not run';
  return (
    <span
      className={`check-state ${state.replace(' ', '-')} ${row?.old ? 'old' : ''} ${row?.silenced ? 'silenced' : ''}`}
      role="img"
      aria-label={stateWords(row)}
      title={stateWords(row)}
    >
      {SIGNS[state][0]}
    </span>
  );
}
