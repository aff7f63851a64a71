// The grid: lines and cells, marks for what does not reach a measure and what it overrides. Long grids are windowed.
import { useVirtualizer } from '@tanstack/react-virtual';
import { memo, useMemo, useRef, type KeyboardEvent } from 'react';
import type { GridAnswer, GridMeasure, Member, Probe } from '../../api/client';
import { useShown } from '../../app/shown';
import { columnName, count, measureText, memberText, nameText } from '../../shared/format';
import { coordinates, nextSort, shownLines, type ShownLine } from './axes';

const LINE = 30;

interface Props {
  answer: GridAnswer;
  probe: Probe;
}

export function GridTable({ answer, probe }: Props) {
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => shownLines(answer.rows.lines), [answer]);
  const across = useMemo(() => shownLines(answer.columns.lines).sort((a, b) => a.place - b.place), [answer]);
  const virtual = useVirtualizer({
    count: rows.length, getScrollElement: () => scroll.current?.closest('.grid-scroll') ?? null, estimateSize: () => LINE, overscan: 20,
  });
  const items = virtual.getVirtualItems();
  const before = items[0]?.start ?? 0;
  const after = virtual.getTotalSize() - (items.at(-1)?.end ?? 0);
  const width = 1 + across.length * answer.measures.length;
  const lines = rows.filter((r) => !r.isTotal).length;
  if (answer.cells === 0)
    return <p className="pad quiet">Nothing is left: no measure has a value anywhere under these picks.</p>;
  return (
    <div ref={scroll}>
      <div className="grid-bar" aria-live="polite">
        {count(lines || rows.length)} line{lines === 1 ? '' : 's'}, {count(answer.cells)} cells in {answer.milliseconds.toFixed(0)} ms
      </div>
      <table className="grid" aria-label="Grid" onKeyDown={moveByKey}>
        <Head answer={answer} across={across} probe={probe} />
        <tbody>
          {before > 0 && <tr aria-hidden><td colSpan={width} style={{ height: before }} /></tr>}
          {items.map((item) => {
            const line = rows[item.index];
            return line ? <Line key={line.place} answer={answer} line={line} across={across} /> : null;
          })}
          {after > 0 && <tr aria-hidden><td colSpan={width} style={{ height: after }} /></tr>}
        </tbody>
      </table>
      <Notes answer={answer} />
    </div>
  );
}

function acrossText(line: ShownLine): string {
  return line.isGrand ? 'All' : line.members.slice(0, line.level).map((m) => memberText(m)).join(' › ') + (line.isTotal ? ', all' : '');
}

function Head({ answer, across, probe }: { answer: GridAnswer; across: ShownLine[]; probe: Probe }) {
  const put = useShown((s) => s.setProbe);
  const hasColumns = answer.columns.columns.length > 0;
  return (
    <thead>
      {hasColumns && (
        <tr>
          <th className="corner" style={{ top: 0 }} />
          {across.map((c) => (
            <th key={c.place} scope="colgroup" className="across group-start" colSpan={answer.measures.length}>
              {acrossText(c)}
            </th>
          ))}
        </tr>
      )}
      <tr>
        <th className="corner" scope="col" style={{ top: hasColumns ? 27 : 0 }}>{answer.rows.columns.map((c) => columnName(c)).join(' › ')}</th>
        {across.map((c) =>
          answer.measures.map((m, i) => {
            const sorted = probe.sort?.find((s) => s.by === m.name);
            return (
              <th key={`${c.place} ${m.name}`} scope="col" className={i === 0 && hasColumns ? 'num group-start' : 'num'} style={{ top: hasColumns ? 27 : 0 }} aria-sort={sorted ? (sorted.desc ? 'descending' : 'ascending') : undefined}>
                <button type="button" className="plain" style={{ textAlign: 'right' }} title="Sort by it" onClick={() => put({ sort: nextSort(probe.sort, m.name) })}>
                  {nameText(m.name)} {sorted ? (sorted.desc ? '↓' : '↑') : ''}
                </button>
                {m.unreached.length > 0 && <span className="not-reached">not reached by {m.unreached.join(', ')}</span>}
                {m.error && <span className="not-reached">fails: {m.error}</span>}
              </th>
            );
          }),
        )}
      </tr>
    </thead>
  );
}

function same(a: { column: string; member: Member }[], b: { column: string; member: Member }[]): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

const Line = memo(function Line({ answer, line, across }: { answer: GridAnswer; line: ShownLine; across: ShownLine[] }) {
  const selection = useShown((s) => s.selection);
  const classes = `${line.isTotal ? 'total' : ''} ${line.isGrand ? 'grand' : ''}`;
  return (
    <tr className={classes}>
      <th scope="row" className="line" style={{ paddingLeft: 6 + Math.max(line.level - 1, 0) * 18 }}>
        {answer.rows.columns.length === 0 ? '' : line.label}
      </th>
      {across.map((c) =>
        answer.measures.map((m, i) => {
          const at = coordinates(answer, line.members, c.members);
          const chosen = selection?.kind === 'cell' && selection.measure === m.name && same(selection.at, at);
          return <Cell key={`${c.place} ${m.name}`} of={m} value={answer.values[answer.measures.indexOf(m)]?.[line.place]?.[c.place] ?? null} at={at} chosen={chosen} first={i === 0 && answer.columns.columns.length > 0} />;
        }),
      )}
    </tr>
  );
});

interface CellProps {
  of: GridMeasure;
  value: boolean | number | string | null;
  at: { column: string; member: Member }[];
  chosen: boolean;
  first: boolean;
}

function Cell({ of: measure, value, at, chosen, first }: CellProps) {
  const overridden = at.filter((c) => measure.overrides.includes(c.column)).map((c) => columnName(c.column));
  const classes = [
    chosen ? 'chosen' : '', first ? 'group-start' : '', measure.unreached.length ? 'hatched' : '', overridden.length && value !== null ? 'overridden' : '',
  ];
  const title = [
    overridden.length ? `it replaces or clears ${overridden.join(' and ')}` : '', measure.unreached.length ? `not reached by ${measure.unreached.join(', ')}` : '',
  ].filter(Boolean).join('; ');
  return (
    <td className={classes.filter(Boolean).join(' ')}>
      <button type="button" title={title || undefined} aria-pressed={chosen} onClick={() => useShown.setState({ selection: { kind: 'cell', measure: measure.name, at }, lensOpen: true })}>
        {measure.error ? <span className="signal">{measure.error}</span> : measureText(value, measure.format, measure.dtype)}
        {value === null && <span className="visually-hidden">empty</span>}
      </button>
    </td>
  );
}

/** What a person should know before trusting the numbers above. */
function Notes({ answer }: { answer: GridAnswer }) {
  const unreached = answer.measures.filter((m) => m.unreached.length);
  const overriding = answer.measures.filter((m) => m.overrides.length);
  return (
    <div className="quiet" style={{ padding: '12px 0', maxWidth: 640 }}>
      {unreached.map((m) => (
        <p key={m.name}>
          {nameText(m.name)} knows nothing of {m.unreached.join(' or ')}: its numbers are for all of {m.unreached.length > 1 ? 'them' : 'it'}. Choose a cell to see where the filter stops.
        </p>
      ))}
      {overriding.map((m) => (
        <p key={m.name}>
          ↷ {nameText(m.name)} replaces or clears {m.overrides.map((c) => columnName(c)).join(', ')} itself, so it does not follow that part of the grid.
        </p>
      ))}
    </div>
  );
}

/** Arrow keys go from cell to cell. */
function moveByKey(event: KeyboardEvent<HTMLTableElement>) {
  const cell = (event.target as HTMLElement).closest('td');
  const row = cell?.parentElement as HTMLTableRowElement | null;
  if (!cell || !row) return;
  const steps: Record<string, Element | null | undefined> = {
    ArrowLeft: cell.previousElementSibling, ArrowRight: cell.nextElementSibling,
    ArrowUp: (row.previousElementSibling as HTMLTableRowElement | null)?.cells[cell.cellIndex],
    ArrowDown: (row.nextElementSibling as HTMLTableRowElement | null)?.cells[cell.cellIndex],
  };
  const next = steps[event.key];
  if (next === undefined) return;
  event.preventDefault();
  next?.querySelector('button')?.focus();
}
