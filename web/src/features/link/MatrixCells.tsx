// The heads, rows and cells of the bus matrix; each is drawn anew only where it changed.
import { Ruled } from '../people/Ruled';
import { memo } from 'react';
import type { MatrixCell, ModelDocument, TableInfo } from '../../api/client';
import { REACH_WORDS, ReachMark, RoleMark } from '../../marks/Marks';
import { actions } from '../../app/shown';
import { counted } from '../../shared/format';
import { NO_CELL, cellOf, conformed, type Group } from './matrixModel';
import type { Column } from './matrixWindow';
import type { Lit } from './reachState';
import { HoleMark } from '../../marks/CoverMark';
import { shareOfCell, shareWords, type Share } from '../prove/coverageModel';

export function GroupHead({ group, onToggle }: { group: Group; onToggle: () => void }) {
  return (
    <th scope="colgroup" colSpan={group.collapsed ? 1 : group.members.length}>
      <button type="button" className="plain" aria-expanded={!group.collapsed} title={group.name} onClick={onToggle}>
        {group.collapsed ? '▸' : '▾'} {!group.collapsed && group.name}
      </button>
    </th>
  );
}

export const Head = memo(function Head({
  model,
  table,
  lit,
  apart = false,
}: {
  model: ModelDocument;
  table: TableInfo | undefined;
  lit: Lit;
  apart?: boolean;
}) {
  if (!table) return null;
  const facts = conformed(model, table.name);
  const classes = [
    'col',
    lit.source === table.name ? 'lit' : '',
    lit.reached.has(table.name) ? 'reached' : '',
    lit.blocked.has(table.name) ? 'blocked' : '',
    apart ? 'apart' : '',
  ].join(' ');
  const words =
    table.role === 'disconnected'
      ? 'linked to nothing'
      : facts > 1
        ? `conformed: filters ${facts} facts`
        : `filters ${counted(facts, 'fact')}`;
  return (
    <th scope="col" className={classes} data-head={table.name} title={`${table.name}, ${words}`}>
      <button type="button" className={facts > 1 ? 'conformed' : ''} onClick={() => actions.select({ kind: 'table', name: table.name })}>
        {table.name}
      </button>
      <RoleMark role={table.role} />
      <small>{facts > 1 ? facts : ' '}</small>
    </th>
  );
});

interface RowProps {
  model: ModelDocument;
  table: TableInfo | undefined;
  /** The columns that are drawn, and how many stand before and behind them. */
  drawn: Column[];
  before: number;
  behind: number;
  lit: Lit;
  chosen: boolean;
  /** The column whose cell of this row takes the focus. */
  current: string | null;
  /** How much of what could break would be noticed, where that is known. */
  shares: Map<string, Share> | null;
}

export const MatrixRow = memo(function MatrixRow({ model, table, drawn, before, behind, lit, chosen, current, shares }: RowProps) {
  if (!table) return null;
  const f = table.name;
  const reached = lit.reached.has(f) || lit.source === f;
  const cell = (d: string, first = false) => (
    <Cell
      {...holesOf(model, shares, f, d)}
      key={d}
      fact={f}
      dimension={d}
      cell={model.matrix.cells[f]?.[d] ?? NO_CELL}
      lit={(lit.source === d && reached) || (lit.source === f && lit.reached.has(d))}
      focusable={current === d}
      apart={first}
      self={f === d}
    />
  );
  return (
    <tr>
      <th
        scope="row"
        className={`row ${lit.source === f ? 'lit' : ''} ${lit.reached.has(f) ? 'reached' : ''} ${lit.blocked.has(f) ? 'blocked' : ''}`}
        data-head={f}
      >
        <button
          type="button"
          aria-pressed={chosen}
          onClick={() => {
            actions.set({ fact: f });
            actions.select({ kind: 'table', name: f });
          }}
        >
          <RoleMark role={table.role} /> <b>{f}</b>
          <small className="quiet">{counted(table.rows, 'row')}</small>
          {model.clearances.length > 0 && <Ruled model={model} table={f} />}
        </button>
      </th>
      {before > 0 && <td colSpan={before} />}
      {drawn.map((c) =>
        'group' in c ? (
          <td key={`group ${c.group.name}`} className="narrow">
            {c.group.members.filter((d) => cellOf(model, f, d).kind !== 'none').length || ''}
          </td>
        ) : (
          cell(c.name, c.first)
        ),
      )}
      {behind > 0 && <td colSpan={behind} />}
    </tr>
  );
});

/** The holes of coverage on a way, and in words how much is noticed there. */
function holesOf(model: ModelDocument, shares: Map<string, Share> | null, fact: string, dimension: string) {
  if (!shares) return { holes: 0, noticed: '' };
  const share = shareOfCell(model, shares, fact, dimension);
  return { holes: share.holes.length, noticed: share.of ? shareWords(share) : '' };
}

interface CellProps {
  holes: number;
  noticed: string;
  fact: string;
  dimension: string;
  cell: MatrixCell;
  lit: boolean;
  focusable: boolean;
  apart: boolean;
  self: boolean;
}

function cellWords(fact: string, dimension: string, cell: MatrixCell): string {
  const parts = [`${dimension} to ${fact}: ${REACH_WORDS[cell.kind]}`];
  if (cell.via.length) parts.push(`by way of ${cell.via.join(', ')}`);
  if (cell.path.length && cell.kind !== 'none') parts.push(`over ${cell.path.join(', ')}`);
  if (cell.two_way) parts.push('both ways');
  if (cell.links.length > 1) parts.push(`${cell.links.length} links`);
  if (cell.gap.length) parts.push(`wanted by ${cell.gap.join(', ')}`);
  return parts.join(', ');
}

const Cell = memo(function Cell({ fact, dimension, cell, lit, focusable, apart, self, holes, noticed }: CellProps) {
  if (self) return <td className="self" aria-label={dimension} />;
  const words = [cellWords(fact, dimension, cell), noticed].filter(Boolean).join('; ');
  return (
    <td
      className={`${cell.kind !== 'none' ? 'marked' : ''} ${lit ? 'lit' : ''} ${cell.gap.length ? 'gap' : ''} ${apart ? 'apart' : ''}`}
      data-cell={`${fact}\n${dimension}`}
      tabIndex={focusable ? 0 : -1}
      title={words}
      aria-label={words}
    >
      {cell.kind !== 'none' && <ReachMark kind={cell.kind} twoWay={cell.two_way} />}
      {cell.links.length > 1 && <sup>{cell.links.length}</sup>}
      {cell.gap.length > 0 && <span className="gap-sign">◇</span>}
      {holes > 0 && (
        <span className="hole-sign">
          <HoleMark />
        </span>
      )}
    </td>
  );
});
