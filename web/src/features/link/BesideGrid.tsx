// One probe under two states of the model: each cell now and then, those that differ marked.
import { useState } from 'react';
import type { Beside, Member, Scalar } from '../../api/client';
import { columnName, count, counted, measureText, memberText, nameText } from '../../shared/format';

const BRIEF = 8;
const STEP = 200;

function lineText(line: Member[]): string {
  const shown = line.filter((m) => m.kind !== 'total').map(memberText);
  return shown.length ? shown.join(' › ') : 'All';
}

function text(value: Scalar | undefined, grid: Beside, m: number): string {
  const shown = grid.measures[m];
  return shown ? measureText(value, shown.format, shown.dtype) : '';
}

interface BesideGiven {
  grid: Beside;
  /** The first lines that differ, each measure over all columns; else everything. */
  brief?: boolean;
  /** What its two states are called. */
  sides?: [string, string];
}

export function BesideGrid({ grid, brief = false, sides = ['now', 'then'] }: BesideGiven) {
  const [only, setOnly] = useState(brief);
  const [most, setMost] = useState(brief ? BRIEF : STEP);
  const changed = new Set(grid.changed);
  const places = grid.rows.lines.map((_, i) => i).filter((i) => !only || changed.has(i));
  const cells = grid.rows.lines.length * grid.columns.lines.length * grid.measures.length;
  const whole = grid.columns.lines.findIndex((line) => line.every((m) => m.kind === 'total'));
  // Little room: the total over the columns stands for them, unless it alone did not change.
  const columns =
    brief && grid.columns.lines.length > 2
      ? [whole >= 0 && differsIn(grid, whole) ? whole : firstDiffering(grid)]
      : grid.columns.lines.map((_, i) => i);
  return (
    <div className="beside-grid">
      <p className="row">
        <b className={grid.differs ? 'signal' : ''}>
          {grid.differs ? `${count(grid.differs)} of ${count(cells)} cells differ` : `None of ${count(cells)} cells differs`}
        </b>
        {!brief && grid.differs > 0 && (
          <label>
            <input type="checkbox" checked={only} onChange={(e) => setOnly(e.target.checked)} /> only lines that differ
          </label>
        )}
      </p>
      {(grid.differs > 0 || !brief) && (
        // It scrolls, so it can be reached.
        // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
        <div className="beside-scroll" role="region" aria-label={`${sides[0]} and ${sides[1]}`} tabIndex={0}>
          <NowAndThen grid={grid} brief={brief} sides={sides} columns={columns} rows={places.slice(0, most)} />
        </div>
      )}
      {places.length > most && (
        <button type="button" className="plain quiet" onClick={() => setMost(most + STEP)}>
          {counted(places.length - most, 'line')} more
        </button>
      )}
      {grid.more > 0 && <p className="quiet">{counted(grid.more, 'line')} are left out here.</p>}
      {grid.measures
        .filter((m) => m.now_unreached.join() !== m.then_unreached.join())
        .map((m) => (
          <p key={m.name} className="quiet">
            {nameText(m.name)}: {unreached(m.now_unreached)} {sides[0]}, {unreached(m.then_unreached)} {sides[1]}.
          </p>
        ))}
    </div>
  );
}

interface TableProps {
  grid: Beside;
  brief: boolean;
  sides: [string, string];
  /** The places of the lines that are shown, across and down. */
  columns: number[];
  rows: number[];
}

function NowAndThen({ grid, brief, sides, columns, rows }: TableProps) {
  return (
    <table className="small-grid">
      <Heads grid={grid} brief={brief} sides={sides} columns={columns} />
      <tbody>
        {rows.map((r) => (
          <tr key={r} className={grid.rows.lines[r]?.some((x) => x.kind === 'total') ? 'whole' : ''}>
            <td>{lineText(grid.rows.lines[r] ?? [])}</td>
            {columns.flatMap((c) =>
              grid.measures.flatMap((m, i) => {
                const [now, then] = [grid.now[i]?.[r]?.[c], grid.then[i]?.[r]?.[c]];
                const differs = now !== then;
                return [
                  <td key={`${c} ${m.name} now`}>{text(now, grid, i)}</td>,
                  <td key={`${c} ${m.name} then`} className={differs ? 'differs' : ''}>
                    {differs && <span aria-label="differs">≠ </span>}
                    {text(then, grid, i) || (differs ? 'empty' : '')}
                  </td>,
                ];
              }),
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Heads({ grid, brief, sides, columns }: Omit<TableProps, 'rows'>) {
  const across = (c: number) => lineText(grid.columns.lines[c] ?? []);
  const alone = brief && columns.length === 1 && grid.columns.lines.length > 1;
  return (
    <thead>
      {!brief && grid.columns.columns.length > 0 && (
        <tr>
          <th />
          {columns.map((c) => (
            <th key={c} colSpan={grid.measures.length * 2} className="across">
              {across(c)}
            </th>
          ))}
        </tr>
      )}
      <tr>
        <th>{grid.rows.columns.map(columnName).join(' › ')}</th>
        {columns.flatMap((c) =>
          grid.measures.flatMap((m) => [
            <th key={`${c} ${m.name} now`}>
              {nameText(m.name)}
              {alone ? `, ${across(c)}` : ''} <span className="quiet">{sides[0]}</span>
            </th>,
            <th key={`${c} ${m.name} then`}>{sides[1]}</th>,
          ]),
        )}
      </tr>
    </thead>
  );
}

const unreached = (tables: string[]) => (tables.length ? `not reached by ${tables.join(', ')}` : 'reached by every axis and pick');

function differsIn(grid: Beside, c: number): boolean {
  return grid.measures.some((_, i) => grid.now[i]?.some((row, r) => row[c] !== grid.then[i]?.[r]?.[c]));
}

function firstDiffering(grid: Beside): number {
  return Math.max(
    0,
    grid.columns.lines.findIndex((_, c) => differsIn(grid, c)),
  );
}
