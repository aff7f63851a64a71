// What a person should know before trusting the numbers above, a sentence each; choosing one opens its explanation. And what is known of
// totals: proven, compared, or no sums by their kind; nothing of those that nobody looked at.
import type { GridAnswer, GridMeasure, TruthMark } from '../../api/client';
import { actions } from '../../app/shown';
import { nameText } from '../../shared/format';

export const MARK_WORDS: Record<TruthMark['kind'], string> = {
  unreached: 'Not reached',
  partly: 'Reached in part',
  overridden: 'Overridden',
  apart: 'No sum of its parts',
  denominator: 'Its whole goes with the picks',
  whole: '100 % everywhere',
  dimension_side: 'Adds up rows of a dimension',
  unmatched: 'Unmatched rows are in here',
  coarse: 'Coarser than the axis',
  lost: 'Rows fall out of a product',
  uneven: 'Periods that are not alike',
  nested: 'Parents beside their children',
  first: 'First on every line',
  fixed: 'A given that changes nothing',
};

/** Why a measure is no sum by its kind, in a word. */
const KINDS: Record<string, string> = {
  ratio: 'a ratio',
  product: 'a product of totals',
  average: 'an average',
  extreme: 'one value of many',
  constant: 'a constant in it',
  distinct: 'counts what is different',
  kind: 'no number',
  overlap: 'a link over which rows count on several lines or none',
  edit: 'its edits',
  unreached: 'an axis that does not reach it',
  context: 'recomputed for each total',
};

export function MarkNotes({ answer }: { answer: GridAnswer }) {
  const every = [...answer.measures.flatMap((m) => m.marks), ...answer.unmatched];
  // Totals down and across may be apart for the same reason: it is said once.
  const marks = every.filter(
    (m, i) => every.findIndex((x) => x.kind === m.kind && x.measure === m.measure && x.sentence === m.sentence) === i,
  );
  const sums = sumsLine(answer.measures);
  if (marks.length === 0 && !sums && answer.notes.length + answer.said.length === 0) return null;
  return (
    <ul className="mark-notes quiet" aria-label="Worth knowing">
      {answer.notes.map((note) => (
        <li key={note} className="signal">
          {note}
        </li>
      ))}
      {answer.said.map((words) => (
        <li key={words}>{words}</li>
      ))}
      {marks.map((m) => (
        <li key={`${m.measure} ${m.kind} ${m.sentence}`}>
          <button
            type="button"
            className="plain"
            onClick={() => actions.set({ selection: { kind: 'mark', measure: m.measure, mark: m.kind }, lensOpen: true })}
          >
            <b>{MARK_WORDS[m.kind]}</b>
            {m.measure ? `, ${nameText(m.measure)}` : ''}: {m.sentence}
          </button>
        </li>
      ))}
      {sums && <li data-testid="sums">{sums}</li>}
    </ul>
  );
}

/** What is known of the totals, for which measures. */
export function sumsLine(measures: GridMeasure[]): string {
  const named = (status: string) => measures.filter((m) => m.sums.status === status).map((m) => nameText(m.name));
  const not = measures.filter((m) => m.sums.status === 'not').map((m) => `${nameText(m.name)} (${KINDS[m.sums.why] ?? 'no sum'})`);
  const parts = [
    named('sum').length ? `Totals are the sums of their lines, as the formula proves: ${named('sum').join(', ')}` : '',
    named('found').length ? `Totals were compared with their lines and are their sums here: ${named('found').join(', ')}` : '',
    not.length ? `Totals are not sums: ${not.join(', ')}` : '',
  ].filter(Boolean);
  return parts.length ? `${parts.join('. ')}.` : '';
}
