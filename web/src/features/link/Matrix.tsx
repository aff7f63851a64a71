// The bus matrix: a row a fact, a column a dimension, in each cell how the one filters the other. A working surface for mouse and keyboard.
import { useCallback, useMemo, useRef, useState, type CSSProperties, type FocusEvent, type KeyboardEvent, type MouseEvent } from 'react';
import type { LinkInfo, ModelDocument } from '../../api/client';
import { actions, onScreen } from '../../app/shown';
import { REACH_WORDS, ReachMark, type ReachKind } from '../../marks/Marks';
import { CellPanel } from './CellPanel';
import { askNew, askRemove, askSwitch, askTurn } from './edits';
import { GroupHead, Head, MatrixRow } from './MatrixCells';
import { cellOf, shownMatrix, type Grouping } from './matrixModel';
import { COLUMN, ROW, useWindow, type Column, type Span, type Window } from './matrixWindow';
import { useLit, type Lit } from './reachState';
import { useShares } from '../prove/requests';

const LEGEND: ReachKind[] = ['direct', 'through', 'inactive', 'loose'];
const GROUPINGS: [Grouping, string][] = [
  ['conformed', 'conformed first'],
  ['none', 'in the model’s order'],
  ['subject', 'by subject'],
  ['source', 'by source'],
  ['role', 'by role'],
];

type Cell = [string, string];

const cellAt = (target: EventTarget): Cell | null => {
  const name = (target as HTMLElement).closest<HTMLElement>('[data-cell]')?.dataset.cell;
  return name ? (name.split('\n') as Cell) : null;
};

/** What is looked for, how it is grouped, and what is folded away. */
function useOptions(model: ModelDocument) {
  const [search, setSearch] = useState('');
  const [grouping, setGrouping] = useState<Grouping>('conformed');
  const [collapsed, setCollapsed] = useState<Set<string>>(new Set());
  const [hidden, setHidden] = useState(false);
  const shown = useMemo(() => shownMatrix(model, search, grouping, collapsed, hidden), [model, search, grouping, collapsed, hidden]);
  const toggle = (key: string) =>
    setCollapsed((old) => {
      const next = new Set(old);
      if (!next.delete(key)) next.add(key);
      return next;
    });
  return { search, setSearch, grouping, setGrouping, hidden, setHidden, shown, toggle };
}

type Options = ReturnType<typeof useOptions>;

/** The cell that the keyboard is at, and the one whose panel is open. */
function useCells(model: ModelDocument, fact: string, rows: string[], columns: string[]) {
  const [at, setAt] = useState<Cell | null>(null);
  const [opened, setOpened] = useState(0);
  const grid = useRef<HTMLTableElement>(null);
  const scroll = useRef<HTMLDivElement>(null);
  const { isLarge, show, window } = useWindow(scroll, rows.length, columns.length);
  const here: Cell | null =
    at && rows.includes(at[0]) && columns.includes(at[1]) ? at : rows[0] && columns[0] ? [rows[0], columns[0]] : null;
  const focus = useCallback(
    (r: string, c: string) => {
      setAt([r, c]);
      show(rows.indexOf(r), columns.indexOf(c));
      const cell = () => grid.current?.querySelector<HTMLElement>(`[data-cell="${CSS.escape(`${r}\n${c}`)}"]`);
      const there = cell();
      if (there) there.focus({ preventScroll: isLarge });
      // What comes into sight is drawn after the scroll.
      else requestAnimationFrame(() => requestAnimationFrame(() => cell()?.focus({ preventScroll: true })));
    },
    [rows, columns, show, isLarge],
  );
  const open = (r: string, c: string) => {
    setAt([r, c]);
    setOpened(opened + 1);
    actions.set({ fact: model.matrix.facts.includes(r) ? r : fact });
    const link = linkOf(model, r, c);
    actions.select(link ? { kind: 'link', name: link.name } : { kind: 'table', name: c });
  };
  const close = () => {
    setOpened(0);
    if (at) focus(at[0], at[1]);
  };
  return { grid, scroll, isLarge, window, at, opened, here, focus, open, close };
}

/** The link of a cell: the active one, or the first. */
function linkOf(model: ModelDocument, r: string, c: string): LinkInfo | undefined {
  const own = cellOf(model, r, c).links;
  const links = own.flatMap((name) => model.links.filter((k) => k.name === name));
  return links.find((k) => k.active) ?? links[0];
}

/** What the keys do in a cell. */
function keysIn(
  model: ModelDocument,
  [r, c]: Cell,
  rows: string[],
  columns: string[],
  cells: Pick<ReturnType<typeof useCells>, 'focus' | 'open'>,
): Record<string, () => void> {
  const link = linkOf(model, r, c);
  const go = (dr: number, dc: number) => {
    const row = rows[Math.max(0, Math.min(rows.length - 1, rows.indexOf(r) + dr))];
    const column = columns[Math.max(0, Math.min(columns.length - 1, columns.indexOf(c) + dc))];
    if (row && column) cells.focus(row, column);
  };
  return {
    ArrowUp: () => go(-1, 0),
    ArrowDown: () => go(1, 0),
    ArrowLeft: () => go(0, -1),
    ArrowRight: () => go(0, 1),
    Home: () => go(0, -columns.length),
    End: () => go(0, columns.length),
    PageUp: () => go(-10, 0),
    PageDown: () => go(10, 0),
    Enter: () => cells.open(r, c),
    ' ': () => cells.open(r, c),
    s: () => link && askSwitch(link),
    t: () => link && askTurn(link),
    Delete: () => link && askRemove(link.name),
    l: () => askNew([`${r}.`], [`${c}.`]),
  };
}

const onHover = (event: MouseEvent | FocusEvent) => {
  const cell = cellAt(event.target);
  const head = (event.target as HTMLElement).closest<HTMLElement>('[data-head]')?.dataset.head;
  const name = cell ? cell[1] : (head ?? null);
  if (onScreen().hovered !== name) actions.hover(name);
};

export function Matrix({ model, fact }: { model: ModelDocument; fact: string }) {
  const options = useOptions(model);
  const { shown } = options;
  const lit = useLit(model);
  const rows = useMemo(() => shown.rows.flatMap((g) => (g.collapsed ? [] : g.members)), [shown]);
  const columns = useMemo(() => [...shown.columns.flatMap((g) => (g.collapsed ? [] : g.members)), ...shown.apart], [shown]);
  const { grid, scroll, isLarge, window, here, ...cells } = useCells(model, fact, rows, columns);
  const places = useMemo<Column[]>(
    () => [
      ...shown.columns.flatMap((group): Column[] =>
        group.collapsed ? [{ group }] : group.members.map((name) => ({ name, first: false })),
      ),
      ...shown.apart.map((name, i) => ({ name, first: i === 0 })),
    ],
    [shown],
  );
  const longest = Math.max(0, ...columns.map((c) => c.length));
  const onKey = (event: KeyboardEvent) => {
    const cell = cellAt(event.target);
    if (!cell || event.ctrlKey || event.metaKey || event.altKey) return;
    const act = keysIn(model, cell, rows, columns, cells)[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };
  return (
    <section className="matrix-part" aria-label="Bus matrix">
      <Tools {...options} someHidden={model.tables.some((t) => t.hidden)} />
      <div className="matrix-scroll" ref={scroll}>
        {/* A table whose cells take the focus is a grid. */}
        <table
          ref={grid}
          className={isLarge ? 'matrix large' : 'matrix'}
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
            const cell = cellAt(e.target);
            if (cell) cells.open(cell[0], cell[1]);
          }}
        >
          {isLarge && (
            <colgroup>
              <col className="row-head" />
              <col span={places.length} style={{ width: COLUMN }} />
            </colgroup>
          )}
          <Heads model={model} options={options} lit={lit} places={places} span={window.columns} />
          <Rows {...{ model, options, lit, fact, places, window }} current={here} />
        </table>
        {rows.length === 0 && (
          <p className="pad quiet">No fact yet: gather tables, then link them. A table that looks others up is a fact.</p>
        )}
      </div>
      {cells.opened > 0 && cells.at && (
        <CellPanel
          key={`${cells.at.join()} ${cells.opened}`}
          model={model}
          fact={cells.at[0]}
          dimension={cells.at[1]}
          onClose={cells.close}
        />
      )}
      <Legend />
    </section>
  );
}

function Tools({ search, setSearch, grouping, setGrouping, hidden, setHidden, someHidden }: Options & { someHidden: boolean }) {
  return (
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
  );
}

const areGrouped = ({ grouping }: Options) => grouping !== 'none' && grouping !== 'conformed';

/** Those of some columns that are drawn, and how many stand before and behind them. */
function useDrawn(places: Column[], { from, to }: Span) {
  return useMemo(() => {
    const drawn = places.slice(from, Math.min(to, places.length));
    return { drawn, before: Math.min(from, places.length), behind: Math.max(0, places.length - from - drawn.length) };
  }, [places, from, to]);
}

interface HeadsGiven {
  model: ModelDocument;
  options: Options;
  lit: Lit;
  places: Column[];
  span: Span;
}

/** The dimensions, under their groups where there are any. */
function Heads({ model, options, lit, places, span }: HeadsGiven) {
  const { shown, toggle } = options;
  const tables = useMemo(() => new Map(model.tables.map((t) => [t.name, t])), [model]);
  const { drawn, before, behind } = useDrawn(places, span);
  return (
    <thead>
      {areGrouped(options) && (
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
        {before > 0 && <td colSpan={before} />}
        {drawn.map((c) =>
          'group' in c ? (
            <th key={`group ${c.group.name}`} className="col narrow" aria-label={`${c.group.name}, collapsed`}>
              <small>{c.group.members.length}</small>
            </th>
          ) : (
            <Head key={c.name} model={model} table={tables.get(c.name)} lit={lit} apart={c.first} />
          ),
        )}
        {behind > 0 && <td colSpan={behind} />}
      </tr>
    </thead>
  );
}

interface RowsGiven {
  model: ModelDocument;
  options: Options;
  lit: Lit;
  fact: string;
  current: Cell | null;
  places: Column[];
  window: Window;
}

/** The facts, under their groups where there are any; those in sight. */
function Rows({ model, options, lit, fact, current, places, window }: RowsGiven) {
  const { shown, toggle } = options;
  const tables = useMemo(() => new Map(model.tables.map((t) => [t.name, t])), [model]);
  const shares = useShares(model);
  const { drawn, before, behind } = useDrawn(places, window.columns);
  const grouped = areGrouped(options);
  const lines = shown.rows.flatMap((g) => [...(grouped ? [g] : []), ...(g.collapsed ? [] : g.members)]);
  const { from, to } = window.rows;
  const under = lines.length - Math.min(to, lines.length);
  return (
    <tbody>
      {from > 0 && <tr className="row-group" aria-hidden="true" style={{ height: Math.min(from, lines.length) * ROW }} />}
      {lines.slice(from, to).map((line) =>
        typeof line === 'string' ? (
          <MatrixRow
            key={line}
            model={model}
            table={tables.get(line)}
            {...{ drawn, before, behind, lit, shares }}
            chosen={line === fact}
            current={current?.[0] === line ? current[1] : null}
          />
        ) : (
          <tr key={`group ${line.name}`} className="row-group">
            <th scope="rowgroup">
              <button type="button" className="plain" aria-expanded={!line.collapsed} onClick={() => toggle(`row ${line.name}`)}>
                {line.collapsed ? '▸' : '▾'} {line.name} <span className="quiet">{line.members.length}</span>
              </button>
            </th>
            {places.length > 0 && <td colSpan={places.length} />}
          </tr>
        ),
      )}
      {under > 0 && <tr className="row-group" aria-hidden="true" style={{ height: under * ROW }} />}
    </tbody>
  );
}

function Legend() {
  return (
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
  );
}
