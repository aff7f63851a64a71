// The bus matrix: a row a fact, a column a dimension, in each cell how the one filters the other. A working surface for mouse and keyboard.
import {
  Fragment,
  useCallback,
  useMemo,
  useRef,
  useState,
  type CSSProperties,
  type FocusEvent,
  type KeyboardEvent,
  type MouseEvent,
} from 'react';
import type { LinkInfo, ModelDocument } from '../../api/client';
import { actions, onScreen } from '../../app/shown';
import { REACH_WORDS, ReachMark, type ReachKind } from '../../marks/Marks';
import { CellPanel } from './CellPanel';
import { askNew, askRemove, askSwitch, askTurn } from './edits';
import { GroupHead, Head, MatrixRow } from './MatrixCells';
import { cellOf, shownMatrix, type Grouping } from './matrixModel';
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
  const here: Cell | null =
    at && rows.includes(at[0]) && columns.includes(at[1]) ? at : rows[0] && columns[0] ? [rows[0], columns[0]] : null;
  const focus = useCallback((r: string, c: string) => {
    setAt([r, c]);
    grid.current?.querySelector<HTMLElement>(`[data-cell="${CSS.escape(`${r}\n${c}`)}"]`)?.focus();
  }, []);
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
  return { grid, at, opened, here, focus, open, close };
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
  const { grid, here, ...cells } = useCells(model, fact, rows, columns);
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
            const cell = cellAt(e.target);
            if (cell) cells.open(cell[0], cell[1]);
          }}
        >
          <Heads model={model} options={options} lit={lit} />
          <Rows {...{ model, options, lit, fact }} current={here} />
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

/** The dimensions, under their groups where there are any. */
function Heads({ model, options, lit }: { model: ModelDocument; options: Options; lit: Lit }) {
  const { shown, toggle } = options;
  const tables = useMemo(() => new Map(model.tables.map((t) => [t.name, t])), [model]);
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
  );
}

interface RowsGiven {
  model: ModelDocument;
  options: Options;
  lit: Lit;
  fact: string;
  current: Cell | null;
}

/** The facts, under their groups where there are any. */
function Rows({ model, options, lit, fact, current }: RowsGiven) {
  const { shown, toggle } = options;
  const tables = useMemo(() => new Map(model.tables.map((t) => [t.name, t])), [model]);
  const shares = useShares(model);
  const grouped = areGrouped(options);
  return (
    <tbody>
      {shown.rows.map((g) => (
        <Fragment key={g.name}>
          {grouped && (
            <tr className="row-group">
              <th scope="rowgroup">
                <button type="button" className="plain" aria-expanded={!g.collapsed} onClick={() => toggle(`row ${g.name}`)}>
                  {g.collapsed ? '▸' : '▾'} {g.name} <span className="quiet">{g.members.length}</span>
                </button>
              </th>
            </tr>
          )}
          {(g.collapsed ? [] : g.members).map((f) => (
            <MatrixRow
              key={f}
              model={model}
              table={tables.get(f)}
              columns={shown.columns}
              apart={shown.apart}
              lit={lit}
              chosen={f === fact}
              current={current?.[0] === f ? current[1] : null}
              shares={shares}
            />
          ))}
        </Fragment>
      ))}
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
