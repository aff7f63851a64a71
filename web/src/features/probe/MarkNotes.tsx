// What a person should know before trusting the numbers above, a sentence each; choosing one opens its explanation.
import type { GridAnswer, TruthMark } from '../../api/client';
import { actions } from '../../app/shown';
import { nameText } from '../../shared/format';

export const MARK_WORDS: Record<TruthMark['kind'], string> = {
  unreached: 'Not reached', partly: 'Reached in part', overridden: 'Overridden', apart: 'No sum of its parts', denominator: 'Its whole goes with the picks', whole: '100 % everywhere',
  dimension_side: 'Adds up rows of a dimension', unmatched: 'Unmatched rows are in here',
};

export function MarkNotes({ answer }: { answer: GridAnswer }) {
  const every = [...answer.measures.flatMap((m) => m.marks), ...answer.unmatched];
  // Totals down and across may be apart for the same reason: it is said once.
  const marks = every.filter((m, i) => every.findIndex((x) => x.kind === m.kind && x.measure === m.measure && x.sentence === m.sentence) === i);
  if (marks.length === 0) return answer.rows.columns.length ? <p className="quiet mark-notes">Parts add up to every total shown, and every axis and pick reaches every measure.</p> : null;
  const apart = marks.some((m) => m.kind === 'apart');
  return (
    <ul className="mark-notes quiet" aria-label="Worth knowing">
      {marks.map((m) => (
        <li key={`${m.measure} ${m.kind} ${m.sentence}`}>
          <button type="button" className="plain" onClick={() => actions.set({ selection: { kind: 'mark', measure: m.measure, mark: m.kind }, lensOpen: true })}>
            <b>{MARK_WORDS[m.kind]}</b>{m.measure ? `, ${nameText(m.measure)}` : ''}: {m.sentence}
          </button>
        </li>
      ))}
      {!apart && answer.rows.columns.length > 0 && <li>Parts add up to every total shown of what adds up.</li>}
    </ul>
  );
}
