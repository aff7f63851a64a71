// What a formula does to each filter of a cell: arriving, the edit, leaving.
import type { Coordinate, LedgerLine, Pick } from '../../api/client';
import { ChangeMark } from '../../marks/Marks';
import { memberText } from '../../shared/format';
import { conditionOf } from '../../api/queries';
import { pickText } from '../probe/pickText';

/** The filters that a cell brings in words, and those of them that are picks. */
export function filtersOf(at: Coordinate[], picks: Pick[]): { arriving: Record<string, string>; page: Record<string, string> } {
  const page: Record<string, string> = {};
  for (const pick of picks) {
    // A condition is known once a grid has been answered under it.
    const columns = 'column' in pick ? (pick.in.length ? [pick.column] : []) : (conditionOf(pick.where)?.columns ?? []);
    const words = 'column' in pick ? pickText(pick).split(' is ').slice(1).join(' is ') : pickText(pick);
    for (const column of columns) page[column] = page[column] ? `${page[column]} and ${words}` : words;
  }
  const arriving = { ...page };
  for (const c of at) arriving[c.column] = memberText(c.member);
  return { arriving, page };
}

export function Ledger({ lines, at }: { lines: LedgerLine[]; at: Coordinate[] }) {
  if (lines.length === 0) return null;
  return (
    <section className="ledger" aria-label="Ledger">
      <h3>
        What happens to each filter{' '}
        <span className="quiet">{at.length ? `in the cell ${at.map((c) => memberText(c.member)).join(', ')}` : 'in the whole'}</span>
      </h3>
      <table>
        <thead>
          <tr>
            <th />
            <th>filter</th>
            <th>arriving</th>
            <th>leaving</th>
            <th>because</th>
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <tr key={`${line.given} ${line.column}`}>
              <td>
                <ChangeMark kind={line.kind} />
              </td>
              <td className="fact-ink">{line.column}</td>
              <td className="quiet">{line.arriving || 'any'}</td>
              <td>
                {line.kind === 'cleared' && !line.leaving ? (
                  <b className="signal">any</b>
                ) : line.kind === 'kept' ? (
                  line.leaving
                ) : (
                  <b>{line.leaving || 'any'}</b>
                )}
              </td>
              <td className="quiet">{line.edit || 'nothing says otherwise'}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
