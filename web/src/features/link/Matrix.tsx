// The bus matrix: a row a fact, a column a dimension, in each cell how the one filters the other.
import { useRef, type KeyboardEvent } from 'react';
import type { ModelDocument } from '../../api/client';
import { actions, useShown } from '../../app/shown';
import { REACH_WORDS, ReachMark, RoleMark, type ReachKind } from '../../marks/Marks';
import { count } from '../../shared/format';

const LEGEND: ReachKind[] = ['direct', 'through', 'inactive', 'loose'];

export function Matrix({ model, fact }: { model: ModelDocument; fact: string }) {
  const { facts, dimensions, cells } = model.matrix;
  const hovered = useShown((s) => s.hovered);
  const { select, set, hover } = actions;
  const body = useRef<HTMLTableSectionElement>(null);
  const role = (name: string) => model.tables.find((t) => t.name === name)?.role ?? 'dimension';
  const current = model.currents.find((c) => c.table === hovered);
  const reached = new Set(current?.runs.map((r) => r.to));
  const choose = (row: string, column: string) => {
    const cell = cells[row]?.[column];
    set({ fact: row });
    const own = cell?.links ?? [];
    const link = model.links.find((k) => own.includes(k.name) && k.active)?.name ?? own[0] ?? cell?.path.at(-1);
    if (link && cell?.kind !== 'none') select({ kind: 'link', name: link });
    else set({ linkSheet: { from: `${row}.`, to: `${column}.` } });
  };
  /** Arrow keys go from cell to cell. */
  const onKey = (event: KeyboardEvent, r: number, c: number) => {
    const step: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
    const move = step[event.key];
    if (!move) return;
    event.preventDefault();
    body.current?.rows[r + move[0]]?.cells[c + move[1] + 1]?.querySelector('button')?.focus();
  };
  return (
    <>
      <table className="matrix" aria-label="Bus matrix">
        <thead>
          <tr>
            <td />
            {dimensions.map((d) => (
              <th key={d} scope="col" className={d === hovered ? 'col lit' : 'col'}>
                <button type="button" onMouseEnter={() => hover(d)} onMouseLeave={() => hover(null)} onClick={() => select({ kind: 'table', name: d })}>
                  {d}
                </button>
                <RoleMark role={role(d)} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody ref={body}>
          {facts.map((f, r) => (
            <tr key={f} onMouseEnter={() => hover(f)} onMouseLeave={() => hover(null)}>
              <th scope="row" className="row">
                <button type="button" aria-pressed={f === fact} onClick={() => { set({ fact: f }); select({ kind: 'table', name: f }); }}>
                  <RoleMark role={role(f)} /> <b>{f}</b>
                  <br />
                  <small className="quiet">{count(model.tables.find((t) => t.name === f)?.rows ?? 0)} rows</small>
                </button>
              </th>
              {dimensions.map((d, c) => {
                const cell = cells[f]?.[d];
                const kind = cell?.kind ?? 'none';
                const words = `${d} to ${f}: ${REACH_WORDS[kind]}${cell && cell.path.length && kind !== 'none' ? `, over ${cell.path.join(', ')}` : ''}`;
                const lit = d === hovered && reached.has(f);
                return (
                  <td key={d} className={lit ? 'lit' : ''}>
                    <button type="button" title={words} aria-label={words} onClick={() => choose(f, d)} onKeyDown={(e) => onKey(e, r, c)} onMouseEnter={() => hover(d)}>
                      <ReachMark kind={kind} />
                      {cell && cell.links.length > 1 && <sup>{cell.links.length}</sup>}
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      <div className="legend">
        {LEGEND.map((kind) => (
          <span key={kind}>
            <ReachMark kind={kind} size={15} /> {REACH_WORDS[kind]}
          </span>
        ))}
      </div>
    </>
  );
}
