// The open probe's lines, or another's, under the measure as saved, as written here, and under its variants: side by side, cells that
// differ marked. One request for all of them, so that what they share is computed once.
import { memo, useEffect, useMemo } from 'react';
import type { Coordinate, GridAnswer, MeasureInfo, ModelDocument, Probe } from '../../api/client';
import { useGrid } from '../../api/queries';
import { asProbe } from '../../app/shapes';
import { actions } from '../../app/shown';
import { EMPTY_PROBE, askedProbe, useProbe } from '../probe/store';
import { columnName, count, counted, measureText, nameText } from '../../shared/format';
import { coordinates, shownLines } from '../probe/axes';
import { acrossText } from '../probe/gridState';
import type { Draft } from './drafts';
import { showSql } from '../sql/store';

const MOST_LINES = 14;
const MOST_ACROSS = 4;
export const SAVED = 'as saved';
export const WRITTEN = 'as written here';

/** What the live grid shows by name: formulas by their heading. */
export function sides(measure: MeasureInfo, draft: Draft, formula: string, variants: MeasureInfo[]): Record<string, string> {
  const formulas: Record<string, string> = {};
  if (measure.name && !measure.broken) formulas[SAVED] = measure.formula;
  if (!measure.name || formula !== measure.formula) formulas[WRITTEN] = formula;
  for (const v of variants) if (v.name !== draft.name) formulas[`variant ${v.name}`] = v.formula;
  return formulas;
}

export function liveProbe(open: Probe | null, define: Record<string, string>): Probe | null {
  const names = Object.keys(define);
  if (names.length === 0) return null;
  const base = open ? askedProbe(open) : EMPTY_PROBE;
  return {
    rows: base.rows,
    columns: base.columns,
    measures: names,
    define,
    picks: base.picks,
    totals: base.rows.length || base.columns.length ? 'all' : 'none',
    limit: undefined,
  } as Probe;
}

interface Props {
  model: ModelDocument;
  define: Record<string, string>;
  format: string;
  cell: Coordinate[] | null;
  onCell: (at: Coordinate[]) => void;
}

export function LiveGrid({ model, define, format, cell, onCell }: Props) {
  const open = useProbe((s) => s.probe);
  const probe = liveProbe(open, define);
  const grid = useGrid(model, probe);
  const named = model.probes.some((p) => p.name === open?.name);
  const answer = grid.data;
  useEffect(() => {
    if (cell !== null || !answer) return;
    // The ledger begins with the first cell that is no total.
    const line = shownLines(answer.rows.lines).find((l) => !l.isTotal);
    const column = shownLines(answer.columns.lines).find((l) => !l.isTotal);
    if (line || column) onCell(coordinates(answer, line?.members ?? [], column?.members ?? []));
  }, [cell, answer, onCell]);
  return (
    <section aria-label="In the open probe" className="live-grid" aria-busy={grid.isFetching}>
      <div className="row">
        <h3>In</h3>
        <select
          className="field short"
          aria-label="Probe of the live grid"
          value={named ? open?.name : ''}
          onChange={(e) => {
            const chosen = model.probes.find((p) => p.name === e.target.value);
            if (chosen) actions.openProbe(asProbe(chosen));
          }}
        >
          <option value="">{open ? 'the open probe' : 'no probe: the whole'}</option>
          {model.probes.map((p) => (
            <option key={String(p.name)} value={String(p.name)}>
              {String(p.name)}
            </option>
          ))}
        </select>
        {grid.data && <Differ answer={grid.data} />}
        {probe && grid.data && (
          <button
            type="button"
            className="plain"
            title="This grid as one SQL statement, and what PostgreSQL gives for it"
            onClick={() => showSql(probe)}
          >
            <u>as SQL</u>
          </button>
        )}
      </div>
      {grid.error && (
        <p className="signal" role="alert">
          {grid.error.message}
        </p>
      )}
      {grid.data && <Sides answer={grid.data} format={format} cell={cell} onCell={onCell} />}
    </section>
  );
}

function Differ({ answer }: { answer: GridAnswer }) {
  const differing = useMemo(() => {
    const [a, b] = [answer.measures.findIndex((m) => m.name === SAVED), answer.measures.findIndex((m) => m.name === WRITTEN)];
    if (a < 0 || b < 0) return null;
    let n = 0;
    for (const [r, row] of (answer.values[a] ?? []).entries())
      for (const [c, value] of row.entries()) if (value !== answer.values[b]?.[r]?.[c]) n += 1;
    return n;
  }, [answer]);
  const cells = answer.rows.lines.length * answer.columns.lines.length;
  if (differing === null)
    return (
      <span className="quiet">
        {counted(cells, 'cell')} in {answer.milliseconds.toFixed(0)} ms
      </span>
    );
  return (
    <b className={differing ? 'signal' : 'quiet'} data-testid="differ">
      {differing ? `${count(differing)} of ${counted(cells, 'cell')} differ` : `none of ${counted(cells, 'cell')} differs`}
    </b>
  );
}

interface SidesProps {
  answer: GridAnswer;
  format: string;
  cell: Coordinate[] | null;
  onCell: (at: Coordinate[]) => void;
}

type Differs = (measure: number, row: number, column: number) => boolean;

/** The lines that are shown down and across, and how many are left out; of many the first that differ come before the first that do not,
 * and the whole stays last. */
function shownSides(answer: GridAnswer, differs: Differs) {
  const rows = shownLines(answer.rows.lines);
  const across = shownLines(answer.columns.lines).sort((a, b) => a.place - b.place);
  const anyDiffers = (r: number) => answer.measures.some((_, m) => across.some((c) => differs(m, r, c.place)));
  const body = rows.filter((r) => !r.isGrand);
  const chosen =
    body.length > MOST_LINES
      ? [...body.filter((r) => anyDiffers(r.place)), ...body.filter((r) => !anyDiffers(r.place))].slice(0, MOST_LINES)
      : body;
  const kept = new Set(chosen.map((r) => r.place));
  return {
    lines: [...body.filter((r) => kept.has(r.place)), ...rows.filter((r) => r.isGrand)],
    columns: across.length > MOST_ACROSS ? [...across.slice(0, MOST_ACROSS - 1), ...across.slice(-1)] : across,
    left: body.length - chosen.length,
  };
}

/** Drawn anew with other numbers, not with every key. */
const Sides = memo(function Sides({ answer, format, cell, onCell }: SidesProps) {
  const { differs, lines, columns, left } = useMemo(() => {
    const saved = answer.measures.findIndex((m) => m.name === SAVED);
    const other: Differs = (m, r, c) => saved >= 0 && m !== saved && answer.values[saved]?.[r]?.[c] !== answer.values[m]?.[r]?.[c];
    return { differs: other, ...shownSides(answer, other) };
  }, [answer]);
  const key = JSON.stringify(cell);
  return (
    // It scrolls, so it can be reached.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
    <div className="live-scroll" tabIndex={0} role="region" aria-label="Side by side">
      <table className="small-grid">
        <SideHeads answer={answer} columns={columns} />
        <tbody>
          {lines.map((line) => (
            <tr key={line.place} className={line.isTotal ? 'whole' : ''}>
              <td style={{ paddingLeft: 4 + Math.max(0, line.level - 1) * 14 }}>{answer.rows.columns.length ? line.label : ''}</td>
              {answer.measures.flatMap((m, i) =>
                columns.map((c, j) => {
                  const at = coordinates(answer, line.members, c.members);
                  const value = answer.values[i]?.[line.place]?.[c.place];
                  const other = differs(i, line.place, c.place);
                  return (
                    <td
                      key={`${m.name} ${c.place}`}
                      className={`${other ? 'differs' : ''} ${j === 0 ? 'side-first' : ''} ${JSON.stringify(at) === key ? 'at' : ''}`}
                    >
                      <button type="button" className="plain" title="What happens to filters in this cell" onClick={() => onCell(at)}>
                        {other && <span aria-label="differs">≠ </span>}
                        {measureText(value, format, m.dtype) || (other ? 'empty' : '')}
                        {value === null && !other && <span className="visually-hidden">empty</span>}
                      </button>
                    </td>
                  );
                }),
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {left > 0 && <p className="quiet">{counted(left, 'line')} more in the probe</p>}
    </div>
  );
});

function SideHeads({ answer, columns }: { answer: GridAnswer; columns: ReturnType<typeof shownLines> }) {
  return (
    <thead>
      <tr>
        <th />
        {answer.measures.map((m) => (
          <th key={m.name} colSpan={columns.length} className="side-head">
            {m.name.startsWith('variant ') ? nameText(m.name.slice(8)) : nameText(m.name)}
            {m.failed.length > 0 && <span className="signal"> {m.failed[0]?.error}</span>}
          </th>
        ))}
      </tr>
      {answer.columns.columns.length > 0 && (
        <tr>
          <th>{answer.rows.columns.map(columnName).join(' › ')}</th>
          {answer.measures.flatMap((m) =>
            columns.map((c, i) => (
              <th key={`${m.name} ${c.place}`} className={i === 0 ? 'side-first' : ''}>
                {acrossText(c)}
              </th>
            )),
          )}
        </tr>
      )}
    </thead>
  );
}
