// The bus matrix: a row a fact, a column a dimension, in each cell how the one filters the other. A working surface for mouse and keyboard.
import {
  memo,
  useCallback,
  useMemo,
  useRef,
  useState,
  type CSSProperties,
  type FocusEvent,
  type KeyboardEvent,
  type MouseEvent,
} from 'react';
import type { MatrixCell, ModelDocument, TableInfo } from '../../api/client';
import { actions, useShown } from '../../app/shown';
import { REACH_WORDS, ReachMark, RoleMark, type ReachKind } from '../../marks/Marks';
import { counted } from '../../shared/format';
import { CellPanel } from './CellPanel';
import { askNew, askRemove, askSwitch, askTurn } from './edits';
import { NO_CELL, cellOf, conformed, shownMatrix, type Group, type Grouping } from './matrixModel';
import { useLit, type Lit } from './reachState';

const LEGEND: ReachKind[] = ['direct', 'through', 'inactive', 'loose'];
const GROUPINGS: [Grouping, string][] = [
  ['conformed', 'conformed first'],
  ['none', 'in the model’s order'],
  ['subject', 'by subject'],
  ['source', 'by source'],
  ['role', 'by role'],
];

export function Matrix({ model, fact }: { model: ModelDocument; fact: string }) {
  const [search, setSearch] = useState('');
  const [grouping, setGrouping] = useState<Grouping>('conformed');
  const [collapsed, setCollapsed] = useState<Set<string>>(new Set());
  const [hidden, setHidden] = useState(false);
  const [at, setAt] = useState<[string, string] | null>(null);
  const [opened, setOpened] = useState(0);
  const grid = useRef<HTMLTableElement>(null);
  const lit = useLit(model);
  const shown = useMemo(() => shownMatrix(model, search, grouping, collapsed, hidden), [model, search, grouping, collapsed, hidden]);
  const rows = useMemo(() => shown.rows.flatMap((g) => (g.collapsed ? [] : g.members)), [shown]);
  const columns = useMemo(() => [...shown.columns.flatMap((g) => (g.collapsed ? [] : g.members)), ...shown.apart], [shown]);
  const tables = useMemo(() => new Map(model.tables.map((t) => [t.name, t])), [model]);
  const current: [string, string] | null =
    at && rows.includes(at[0]) && columns.includes(at[1]) ? at : rows[0] && columns[0] ? [rows[0], columns[0]] : null;
  const inGroups = grouping !== 'none' && grouping !== 'conformed';
  const longest = Math.max(0, ...columns.map((c) => c.length));
  const someHidden = model.tables.some((t) => t.hidden);

  const focusCell = useCallback((r: string, c: string) => {
    setAt([r, c]);
    grid.current?.querySelector<HTMLElement>(`[data-cell="${CSS.escape(`${r}\n${c}`)}"]`)?.focus();
  }, []);
  const open = (r: string, c: string) => {
    setAt([r, c]);
    setOpened(opened + 1);
    actions.set({ fact: model.matrix.facts.includes(r) ? r : fact });
    const own = cellOf(model, r, c).links;
    const link = model.links.find((k) => own.includes(k.name) && k.active)?.name ?? own[0];
    actions.select(link ? { kind: 'link', name: link } : { kind: 'table', name: c });
  };
  const cellAt = (target: EventTarget): [string, string] | null => {
    const name = (target as HTMLElement).closest<HTMLElement>('[data-cell]')?.dataset.cell;
    return name ? (name.split('\n') as [string, string]) : null;
  };
  const onKey = (event: KeyboardEvent) => {
    const found = cellAt(event.target);
    if (!found || event.ctrlKey || event.metaKey || event.altKey) return;
    const [r, c] = found;
    const link =
      model.links.find((k) => cellOf(model, r, c).links.includes(k.name) && k.active) ??
      model.links.find((k) => cellOf(model, r, c).links.includes(k.name));
    const go = (dr: number, dc: number) => {
      const row = rows[Math.max(0, Math.min(rows.length - 1, rows.indexOf(r) + dr))];
      const column = columns[Math.max(0, Math.min(columns.length - 1, columns.indexOf(c) + dc))];
      if (row && column) focusCell(row, column);
    };
    const done: Record<string, () => void> = {
      ArrowUp: () => go(-1, 0),
      ArrowDown: () => go(1, 0),
      ArrowLeft: () => go(0, -1),
      ArrowRight: () => go(0, 1),
      Home: () => go(0, -columns.length),
      End: () => go(0, columns.length),
      PageUp: () => go(-10, 0),
      PageDown: () => go(10, 0),
      Enter: () => open(r, c),
      ' ': () => open(r, c),
      s: () => link && askSwitch(link),
      t: () => link && askTurn(link),
      Delete: () => link && askRemove(link.name),
      l: () => askNew([`${r}.`], [`${c}.`]),
    };
    const act = done[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };
  const onHover = (event: MouseEvent | FocusEvent) => {
    const found = cellAt(event.target);
    const head = (event.target as HTMLElement).closest<HTMLElement>('[data-head]')?.dataset.head;
    const name = found ? found[1] : (head ?? null);
    if (useShown.getState().hovered !== name) actions.hover(name);
  };
  const toggle = (key: string) =>
    setCollapsed((old) => {
      const next = new Set(old);
      if (!next.delete(key)) next.add(key);
      return next;
    });
  return (
    <section className="matrix-part" aria-label="Bus matrix">
      <div className="row matrix-tools">
        <input
          className="field"
          style={{ width: 150 }}
          aria-label="Find in the matrix"
          placeholder="Find a table"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <select
          className="field"
          style={{ width: 150 }}
          aria-label="Group the matrix"
          value={grouping}
          onChange={(e) => setGrouping(e.target.value as Grouping)}
        >
          {GROUPINGS.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        {someHidden && (
          <label className="quiet">
            <input type="checkbox" checked={hidden} onChange={(e) => setHidden(e.target.checked)} /> hidden, too
          </label>
        )}
      </div>
      <div className="matrix-scroll">
        {/* A table whose cells take the focus is a grid. */}
        <table
          ref={grid}
          className="matrix"
          style={{ '--head': `${Math.max(104, 52 + longest * 6.2)}px` } as CSSProperties}
          // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-to-interactive-role
          role="grid"
          aria-label="Bus matrix"
          aria-rowcount={rows.length + 1}
          aria-colcount={columns.length + 1}
          onKeyDown={onKey}
          onMouseOver={onHover}
          onFocus={onHover}
          onMouseLeave={() => actions.hover(null)}
          onClick={(e) => {
            const found = cellAt(e.target);
            if (found) open(found[0], found[1]);
          }}
        >
          <thead>
            {inGroups && (
              <tr className="groups">
                <td className="corner" />
                {shown.columns.map((g) => (
                  <GroupHead key={g.name} group={g} onToggle={() => toggle(`column ${g.name}`)} />
                ))}
                {shown.apart.length > 0 && <td colSpan={shown.apart.length} />}
              </tr>
            )}
            <tr>
              <td className="corner" />
              {shown.columns.map((g) =>
                g.collapsed ? (
                  <th key={g.name} className="col narrow" aria-label={`${g.name}, collapsed`}>
                    <small>{g.members.length}</small>
                  </th>
                ) : (
                  g.members.map((d) => <Head key={d} model={model} table={tables.get(d)} lit={lit} />)
                ),
              )}
              {shown.apart.map((d, i) => (
                <Head key={d} model={model} table={tables.get(d)} lit={lit} apart={i === 0} />
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.rows.flatMap((g) => [
              ...(!inGroups
                ? []
                : [
                    <tr key={`group ${g.name}`} className="row-group">
                      <th scope="rowgroup">
                        <button type="button" className="plain" aria-expanded={!g.collapsed} onClick={() => toggle(`row ${g.name}`)}>
                          {g.collapsed ? '▸' : '▾'} {g.name} <span className="quiet">{g.members.length}</span>
                        </button>
                      </th>
                    </tr>,
                  ]),
              ...(g.collapsed ? [] : g.members).map((f) => (
                <MatrixRow
                  key={f}
                  model={model}
                  table={tables.get(f)}
                  columns={shown.columns}
                  apart={shown.apart}
                  lit={lit}
                  chosen={f === fact}
                  current={current?.[0] === f ? current[1] : null}
                />
              )),
            ])}
          </tbody>
        </table>
        {rows.length === 0 && (
          <p className="pad quiet">No fact yet: gather tables, then link them. A table that looks others up is a fact.</p>
        )}
      </div>
      {opened > 0 && at && (
        <CellPanel
          key={`${at.join()} ${opened}`}
          model={model}
          fact={at[0]}
          dimension={at[1]}
          onClose={() => {
            setOpened(0);
            focusCell(at[0], at[1]);
          }}
        />
      )}
      <div className="legend">
        {LEGEND.map((kind) => (
          <span key={kind}>
            <ReachMark kind={kind} size={15} /> {REACH_WORDS[kind]}
          </span>
        ))}
        <span>
          <ReachMark kind="direct" twoWay size={15} /> both ways
        </span>
        <span>
          <span className="gap-sign">◇</span> a probe wants it
        </span>
      </div>
    </section>
  );
}

function GroupHead({ group, onToggle }: { group: Group; onToggle: () => void }) {
  return (
    <th scope="colgroup" colSpan={group.collapsed ? 1 : group.members.length}>
      <button type="button" className="plain" aria-expanded={!group.collapsed} title={group.name} onClick={onToggle}>
        {group.collapsed ? '▸' : '▾'} {!group.collapsed && group.name}
      </button>
    </th>
  );
}

const Head = memo(function Head({
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
  columns: Group[];
  apart: string[];
  lit: Lit;
  chosen: boolean;
  /** The column whose cell of this row takes the focus. */
  current: string | null;
}

const MatrixRow = memo(function MatrixRow({ model, table, columns, apart, lit, chosen, current }: RowProps) {
  if (!table) return null;
  const f = table.name;
  const reached = lit.reached.has(f) || lit.source === f;
  const cell = (d: string, first = false) => (
    <Cell
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
        </button>
      </th>
      {columns.map((g) =>
        g.collapsed ? (
          <td key={g.name} className="narrow">
            {g.members.filter((d) => cellOf(model, f, d).kind !== 'none').length || ''}
          </td>
        ) : (
          g.members.map((d) => cell(d))
        ),
      )}
      {apart.map((d, i) => cell(d, i === 0))}
    </tr>
  );
});

interface CellProps {
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

const Cell = memo(function Cell({ fact, dimension, cell, lit, focusable, apart, self }: CellProps) {
  if (self) return <td className="self" aria-label={dimension} />;
  const words = cellWords(fact, dimension, cell);
  return (
    <td
      className={`${lit ? 'lit' : ''} ${cell.gap.length ? 'gap' : ''} ${apart ? 'apart' : ''}`}
      data-cell={`${fact}\n${dimension}`}
      tabIndex={focusable ? 0 : -1}
      title={words}
      aria-label={words}
    >
      {cell.kind !== 'none' && <ReachMark kind={cell.kind} twoWay={cell.two_way} />}
      {cell.links.length > 1 && <sup>{cell.links.length}</sup>}
      {cell.gap.length > 0 && <span className="gap-sign">◇</span>}
    </td>
  );
});
