// The headings of a grid: places across, measures, what does not reach them, and a menu each.
import { memo } from 'react';
import type { GridAnswer, GridMeasure as Measured, Probe, TruthMark } from '../../api/client';
import { actions } from '../../app/shown';
import { columnName, counted, nameText } from '../../shared/format';
import { nextSort, orderOf, orderPlace } from './axes';
import { acrossText, type CellColumn } from './gridState';
import type { HeadMenuAsked } from './HeadMenu';

interface Props {
  answer: GridAnswer;
  probe: Probe;
  columns: CellColumn[];
  from: number;
  to: number;
  /** Where the first of these columns begins. */
  left: number;
  head: number;
  still: boolean;
  onMenu: (menu: HeadMenuAsked) => void;
}

/** Drawn anew when other columns come into sight, not when lines do. */
export const GridHead = memo(function GridHead({ answer, probe, columns, from, to, left, head, still, onMenu }: Props) {
  const put = actions.setProbe;
  const shown = columns.slice(from, to + 1);
  const hasColumns = answer.columns.columns.length > 0;
  const groups: { place: number; text: string; width: number }[] = [];
  for (const column of shown) {
    const last = groups.at(-1);
    if (last && last.place === column.across.place) last.width += column.width;
    else groups.push({ place: column.across.place, text: acrossText(column.across), width: column.width });
  }
  return (
    <thead>
      {hasColumns && (
        <tr>
          <td className="corner" style={{ width: head }} />
          {groups.map((g, i) => (
            <th key={g.place} scope="col" className="across group-start" style={{ width: g.width, marginLeft: i === 0 ? left : undefined }}>
              {g.text}
            </th>
          ))}
        </tr>
      )}
      <tr aria-rowindex={1}>
        <th scope="col" className="corner" style={{ width: head }}>
          {answer.rows.columns.map((c, i) => {
            const order = orderOf(probe.sort, c);
            return (
              <span key={c}>
                {i > 0 && ' › '}
                {still ? (
                  columnName(c)
                ) : (
                  <button
                    type="button"
                    className="plain"
                    title={`Order by ${columnName(c)}`}
                    onClick={() => put({ sort: nextSort(probe.sort, c) })}
                  >
                    {columnName(c)}
                    {order ? (order.desc ? ' ↓' : ' ↑') : ''}
                  </button>
                )}
              </span>
            );
          })}
        </th>
        {shown.map((column, i) => {
          const place = orderPlace(answer, column.across.members);
          const order = orderOf(probe.sort, column.measure.name, place);
          return (
            <th
              key={`${column.across.place} ${column.measure.name}`}
              scope="col"
              className={column.first && hasColumns ? 'num group-start' : 'num'}
              style={{ width: column.width, marginLeft: i === 0 ? left : undefined }}
              aria-sort={order ? (order.desc ? 'descending' : 'ascending') : undefined}
            >
              <Heading
                probe={probe}
                measure={column.measure}
                across={column.across.place}
                order={order ? (order.desc ? ' ↓' : ' ↑') : ''}
                onSort={() => put({ sort: nextSort(probe.sort, column.measure.name, place) })}
                still={still}
                onMenu={onMenu}
              />
            </th>
          );
        })}
      </tr>
    </thead>
  );
});

const SIGNS: Partial<Record<TruthMark['kind'], [string, string]>> = {
  denominator: ['÷', 'its whole goes with the picks'],
  whole: ['1⁄1', '100 % everywhere'],
  dimension_side: ['◌+', 'adds up rows of a dimension'],
  overridden: ['↷', 'does away with coordinates of the grid'],
  apart: ['', 'parts do not add up'],
  coarse: ['▭', 'its fact is coarser than the axis'],
  lost: ['⊖', 'rows fall out of a product'],
  uneven: ['≠', 'compares periods that are not alike'],
  nested: ['2×', 'counts parents beside their children'],
  first: ['#1', 'is first on every line'],
  fixed: ['⊘', 'has a given that changes nothing'],
};

interface HeadingProps {
  probe: Probe;
  measure: Measured;
  across: number;
  order: string;
  onSort: () => void;
  still: boolean;
  onMenu: (menu: HeadMenuAsked) => void;
}

function Heading({ probe, measure, across, order, onSort, still, onMenu }: HeadingProps) {
  const failed = measure.failed.filter((f) => f.column === across);
  const unreached = measure.marks.find((m) => m.kind === 'unreached');
  const partly = measure.marks.filter((m) => m.kind === 'partly').flatMap((m) => m.tables);
  const open = (mark: TruthMark['kind']) => {
    if (still) actions.takeProbe(probe);
    actions.set({ selection: { kind: 'mark', measure: measure.name, mark }, lensOpen: true });
  };
  return (
    <>
      <span className="heading">
        <Signs measure={measure} open={open} />
        {still ? (
          nameText(measure.name)
        ) : (
          <button type="button" className="plain" style={{ textAlign: 'right' }} title="Order by it" onClick={onSort}>
            {nameText(measure.name)}
            {order}
          </button>
        )}
        {!still && (
          <button
            type="button"
            className="head-menu"
            aria-label={`What to do with ${nameText(measure.name)}`}
            title="Order, top lines, shades, bars, format"
            onClick={(e) => onMenu({ measure, at: e.currentTarget.getBoundingClientRect() })}
          >
            ⋯
          </button>
        )}
      </span>
      {unreached && (
        <button type="button" className="plain not-reached" onClick={() => open('unreached')}>
          not reached by {measure.unreached.join(', ')}
        </button>
      )}
      {partly.length > 0 && (
        <button type="button" className="plain not-reached" onClick={() => open('partly')}>
          reached in part by {partly.join(', ')}
        </button>
      )}
      {failed.length > 0 && (
        <span className="not-reached">
          {counted(failed.length, 'cell')} cannot be computed: {[...new Set(failed.map((f) => f.error))].join(', ')}
        </span>
      )}
    </>
  );
}

/** The marks that are signs, each kind once. */
function Signs({ measure, open }: { measure: Measured; open: (mark: TruthMark['kind']) => void }) {
  const signs = measure.marks.filter((m, i) => SIGNS[m.kind] && measure.marks.findIndex((x) => x.kind === m.kind) === i);
  if (signs.length === 0) return null;
  return (
    <span className="heading-signs">
      {signs.map((m) => (
        <button
          key={m.kind}
          type="button"
          className={`truth-mark ${m.kind}`}
          title={m.sentence}
          aria-label={`${nameText(measure.name)}: ${SIGNS[m.kind]?.[1] ?? ''}`}
          onClick={() => open(m.kind)}
        >
          {m.kind === 'apart' ? <i className="parts" /> : SIGNS[m.kind]?.[0]}
        </button>
      ))}
    </span>
  );
}
