// The headings of a grid: places across, measures, what does not reach them, and a menu each.
import { Menu } from '@mantine/core';
import type { GridAnswer, GridMeasure as Measured, Look, Probe, TruthMark } from '../../api/client';
import { actions, useShown } from '../../app/shown';
import { columnName, nameText } from '../../shared/format';
import { nextSort, orderOf, orderPlace } from './axes';
import { acrossText, type CellColumn } from './gridState';

interface Props {
  answer: GridAnswer;
  probe: Probe;
  columns: CellColumn[];
  from: number;
  to: number;
  left: number;
  rest: number;
  head: number;
  still: boolean;
}

export function GridHead({ answer, probe, columns, from, to, left, rest, head, still }: Props) {
  const put = useShown((s) => s.setProbe);
  const shown = columns.slice(from, to + 1);
  const hasColumns = answer.columns.columns.length > 0;
  const groups: { place: number; text: string; span: number }[] = [];
  for (const column of shown) {
    const last = groups.at(-1);
    if (last && last.place === column.across.place) last.span += 1;
    else groups.push({ place: column.across.place, text: acrossText(column.across), span: 1 });
  }
  return (
    <thead>
      {hasColumns && (
        <tr>
          <th className="corner" style={{ top: 0, width: head }} />
          {left > 0 && <th aria-hidden style={{ width: left }} />}
          {groups.map((g) => (
            <th key={g.place} scope="colgroup" className="across group-start" colSpan={g.span}>
              {g.text}
            </th>
          ))}
          {rest > 0 && <th aria-hidden style={{ width: rest }} />}
        </tr>
      )}
      <tr>
        <th className="corner" scope="col" style={{ top: hasColumns ? 27 : 0, width: head, minWidth: head }}>
          {answer.rows.columns.map((c, i) => {
            const order = orderOf(probe.sort, c);
            return (
              <span key={c}>
                {i > 0 && ' › '}
                {still ? columnName(c) : (
                  <button type="button" className="plain" title={`Order by ${columnName(c)}`} onClick={() => put({ sort: nextSort(probe.sort, c) })}>
                    {columnName(c)}{order ? (order.desc ? ' ↓' : ' ↑') : ''}
                  </button>
                )}
              </span>
            );
          })}
        </th>
        {left > 0 && <th aria-hidden style={{ width: left }} />}
        {shown.map((column) => {
          const place = orderPlace(answer, column.across.members);
          const order = orderOf(probe.sort, column.measure.name, place);
          return (
            <th key={`${column.across.place} ${column.measure.name}`} scope="col" className={column.first && hasColumns ? 'num group-start' : 'num'} style={{ top: hasColumns ? 27 : 0, width: column.width, minWidth: column.width }} aria-sort={order ? (order.desc ? 'descending' : 'ascending') : undefined}>
              <Heading measure={column.measure} probe={probe} order={order ? (order.desc ? ' ↓' : ' ↑') : ''} onSort={() => put({ sort: nextSort(probe.sort, column.measure.name, place) })} still={still} />
            </th>
          );
        })}
        {rest > 0 && <th aria-hidden style={{ width: rest }} />}
      </tr>
    </thead>
  );
}

const SIGNS: Partial<Record<TruthMark['kind'], [string, string]>> = {
  denominator: ['÷', 'its whole goes with the picks'],
  whole: ['1⁄1', '100 % everywhere'],
  dimension_side: ['◌Σ', 'adds up rows of a dimension'],
  overridden: ['↷', 'does away with coordinates of the grid'],
  apart: ['Σ', 'parts do not add up'],
};

function Heading({ measure, probe, order, onSort, still }: { measure: Measured; probe: Probe; order: string; onSort: () => void; still: boolean }) {
  const unreached = measure.marks.find((m) => m.kind === 'unreached');
  const signs = measure.marks.filter((m, i) => SIGNS[m.kind] && measure.marks.findIndex((x) => x.kind === m.kind) === i);
  const open = (mark: TruthMark['kind']) => actions.set({ selection: { kind: 'mark', measure: measure.name, mark }, lensOpen: true });
  return (
    <>
      <span className="heading">
        {still ? nameText(measure.name) : (
          <button type="button" className="plain" style={{ textAlign: 'right' }} title="Order by it" onClick={onSort}>
            {nameText(measure.name)}{order}
          </button>
        )}
        {!still && <HeadMenu measure={measure} probe={probe} />}
      </span>
      {signs.length > 0 && (
        <span className="heading-signs">
          {signs.map((m) => (
            <button key={m.kind} type="button" className={`truth-mark ${m.kind}`} title={m.sentence} aria-label={`${nameText(measure.name)}: ${SIGNS[m.kind]?.[1] ?? ''}`} onClick={() => open(m.kind)}>
              {SIGNS[m.kind]?.[0]}
            </button>
          ))}
        </span>
      )}
      {unreached && <button type="button" className="plain not-reached" onClick={() => open('unreached')}>not reached by {measure.unreached.join(', ')}</button>}
      {measure.error && <span className="not-reached">fails: {measure.error}</span>}
    </>
  );
}

const FORMATS = ['#,##0', '#,##0.0', '#,##0.00', '0%', '0.0%', '+#,##0;-#,##0'];
const TOPS = [5, 10, 25, 100];

function HeadMenu({ measure, probe }: { measure: Measured; probe: Probe }) {
  const put = useShown((s) => s.setProbe);
  const look: Look = probe.look ?? {};
  const { name } = measure;
  const flip = (part: 'shade' | 'bars') => {
    const now = look[part] ?? [];
    put({ look: { ...look, [part]: now.includes(name) ? now.filter((m) => m !== name) : [...now, name] } });
  };
  return (
    <Menu shadow="none" position="bottom-end" width={210}>
      <Menu.Target>
        <button type="button" className="head-menu" aria-label={`What to do with ${nameText(name)}`} title="Order, top lines, shades, bars, format">⋯</button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item onClick={() => put({ sort: [{ by: name, desc: true }] })}>Largest first</Menu.Item>
        <Menu.Item onClick={() => put({ sort: [{ by: name, desc: false }] })}>Smallest first</Menu.Item>
        {(probe.sort?.length ?? 0) > 0 && <Menu.Item onClick={() => put({ sort: [] })}>As the axis has it</Menu.Item>}
        <Menu.Divider />
        {TOPS.map((n) => <Menu.Item key={n} onClick={() => put({ top: { count: n, by: name }, sort: [{ by: name, desc: true }] })}>The top {n} of each</Menu.Item>)}
        {probe.top && <Menu.Item onClick={() => put({ top: undefined })}>All lines again</Menu.Item>}
        <Menu.Divider />
        <Menu.Item onClick={() => flip('shade')}>{look.shade?.includes(name) ? 'No shades' : 'Shade by value'}</Menu.Item>
        <Menu.Item onClick={() => flip('bars')}>{look.bars?.includes(name) ? 'No bars' : 'Bars in cells'}</Menu.Item>
        <Menu.Divider />
        {FORMATS.map((f) => (
          <Menu.Item key={f} onClick={() => put({ look: { ...look, formats: { ...look.formats, [name]: f } } })}>
            <span className="mono">{f}</span>{(look.formats?.[name] ?? measure.format) === f ? ' ✓' : ''}
          </Menu.Item>
        ))}
        <input
          className="field mono" style={{ margin: '3px 0' }} aria-label="A format of its own" placeholder="a pattern of its own" defaultValue={FORMATS.includes(look.formats?.[name] ?? '') ? '' : (look.formats?.[name] ?? '')}
          onKeyDown={(e) => { e.stopPropagation(); if (e.key === 'Enter') put({ look: { ...look, formats: { ...look.formats, [name]: e.currentTarget.value.trim() } } }); }}
        />
        <Menu.Divider />
        <Menu.Item onClick={() => actions.set({ selection: { kind: 'measure', name }, lensOpen: true })}>What it is</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
