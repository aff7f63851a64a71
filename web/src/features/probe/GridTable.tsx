// The grid: lines and cells, windowed both ways; marks for what does not reach a measure, what it overrides, what does not add up.
import { useVirtualizer } from '@tanstack/react-virtual';
import { memo, useCallback, useMemo, useRef, useState, type CSSProperties, type KeyboardEvent, type MouseEvent } from 'react';
import type { Coordinate, GridAnswer, Look, Probe, TruthMark } from '../../api/client';
import { actions, useShown } from '../../app/shown';
import { columnName, count, measureText } from '../../shared/format';
import { coordinates, lineKey, shownLines, unfolded, type ShownLine } from './axes';
import { GridHead } from './GridHead';
import { cellColumns, cellMarks, labelWidth, ranges, share, type CellColumn, type Range } from './gridState';
import { LineMenu } from './LineMenu';
import { MarkNotes } from './MarkNotes';

const LINE = 30;
const NONE: string[] = [];
const NO_LOOK: Look = {};

interface Props {
  answer: GridAnswer;
  probe: Probe;
  /** In a folio: no menus, and less room. */
  still?: boolean;
}

export function useLines(answer: GridAnswer, look: Look) {
  const all = useMemo(() => shownLines(answer.rows.lines), [answer]);
  const rows = useMemo(() => unfolded(all, look.folded ?? NONE), [all, look.folded]);
  const across = useMemo(() => shownLines(answer.columns.lines).sort((a, b) => a.place - b.place), [answer]);
  return { all, rows, across };
}

export function GridTable({ answer, probe, still = false }: Props) {
  const look = probe.look ?? NO_LOOK;
  const scroll = useRef<HTMLDivElement>(null);
  const { all, rows, across } = useLines(answer, look);
  const columns = useMemo(() => cellColumns(answer, across, look), [answer, across, look]);
  const marks = useMemo(() => cellMarks(answer), [answer]);
  const range = useMemo(() => (look.shade?.length || look.bars?.length ? ranges(answer, all, across) : null), [answer, all, across, look.shade, look.bars]);
  const head = useMemo(() => labelWidth(answer, all), [answer, all]);
  const [active, setActive] = useState<[number, number]>([0, 0]);
  const [menu, setMenu] = useState<{ line: ShownLine; at: DOMRect } | null>(null);
  const down = useVirtualizer({ count: rows.length, getScrollElement: () => scroll.current, estimateSize: () => LINE, overscan: 14, scrollPaddingStart: 70, scrollPaddingEnd: 34 });
  const right = useVirtualizer({
    horizontal: true, count: columns.length, getScrollElement: () => scroll.current, estimateSize: (i) => columns[i]?.width ?? 90, overscan: 3, scrollPaddingStart: head,
  });
  const items = down.getVirtualItems();
  const seen = right.getVirtualItems();
  const [from, to] = [seen[0]?.index ?? 0, seen.at(-1)?.index ?? Math.min(columns.length, 12) - 1];
  const before = items[0]?.start ?? 0;
  const after = down.getTotalSize() - (items.at(-1)?.end ?? 0);
  const left = seen[0]?.start ?? 0;
  const rest = Math.max(0, right.getTotalSize() - (seen.at(-1)?.end ?? 0));
  const holding = useMemo(() => {
    const found = new Set<string>();
    for (const l of all) for (let level = 0; level < l.level; level += 1) if (l.members[level]?.kind === 'unmatched') found.add(JSON.stringify(l.members.slice(0, level)));
    return found;
  }, [all]);
  const pinned = useMemo(() => new Set(look.pinned ?? NONE), [look.pinned]);
  const kept = pinned.size ? all.filter((l) => pinned.has(lineKey(l))) : [];
  const folded = useMemo(() => new Set(look.folded ?? NONE), [look.folded]);
  const toggle = useCallback((key: string) => {
    const now = useShown.getState().probe;
    const away = now?.look?.folded ?? NONE;
    actions.setProbe({ look: { ...now?.look, folded: away.includes(key) ? away.filter((k) => k !== key) : [...away, key] } });
  }, []);
  if (answer.cells === 0) return <p className="pad quiet">Nothing is left: no measure has a value anywhere under these picks. Take a pick out, or ask for empty lines.</p>;
  const go = (row: number, column: number) => {
    const next: [number, number] = [Math.max(0, Math.min(row, rows.length - 1)), Math.max(0, Math.min(column, columns.length - 1))];
    setActive(next);
    down.scrollToIndex(next[0]);
    right.scrollToIndex(next[1]);
    // The cell may have to be drawn first.
    let tries = 0;
    const focus = () => {
      const cell = scroll.current?.querySelector<HTMLElement>(`tbody [data-row="${next[0]}"][data-col="${next[1]}"]`);
      if (cell) cell.focus({ preventScroll: true });
      else if ((tries += 1) < 20) requestAnimationFrame(focus);
    };
    requestAnimationFrame(focus);
  };
  const onKey = (event: KeyboardEvent<HTMLTableElement>) => {
    const cell = (event.target as HTMLElement).closest<HTMLElement>('[data-row]');
    if (!cell || event.ctrlKey || event.metaKey) return;
    const [row, column] = [Number(cell.dataset.row), Number(cell.dataset.col)];
    const line = rows[row];
    const page = Math.max(1, Math.floor((scroll.current?.clientHeight ?? 400) / LINE) - 4);
    const steps: Record<string, [number, number]> = {
      ArrowLeft: [row, column - 1], ArrowRight: [row, column + 1], ArrowUp: [row - 1, column], ArrowDown: [row + 1, column],
      PageUp: [row - page, column], PageDown: [row + page, column], Home: [row, 0], End: [row, columns.length - 1],
    };
    const step = steps[event.key];
    if (step) go(step[0], step[1]);
    else if ((event.key === '-' || event.key === '+') && line?.isTotal && !line.isGrand && !still) toggle(lineKey(line));
    else if (event.key === 'm' && line && !still) {
      // Once this key is over: a menu that opens under a key would be closed by it.
      const at = cell.getBoundingClientRect();
      setTimeout(() => setMenu({ line, at }), 0);
    } else return;
    event.preventDefault();
  };
  const choose = (event: MouseEvent<HTMLTableElement>) => {
    const cell = (event.target as HTMLElement).closest<HTMLElement>('td [data-row]');
    const line = cell && (cell.dataset.pin ? kept : rows)[Number(cell.dataset.row)];
    const column = cell && columns[Number(cell.dataset.col)];
    if (!line || !column) return;
    if (!cell.dataset.pin) setActive([Number(cell.dataset.row), Number(cell.dataset.col)]);
    const at = coordinates(answer, line.members, column.across.members);
    const now = useShown.getState();
    if (event.shiftKey && now.selection?.kind === 'cell') actions.set({ other: { measure: column.measure.name, at }, lensOpen: true });
    else actions.set({ selection: { kind: 'cell', measure: column.measure.name, at }, other: null, lensOpen: true });
  };
  const width = head + right.getTotalSize();
  const drawn: Drawn = { answer, columns, from, to, left, rest, marks, range, look, still, holding };
  return (
    <div className="grid-scroll" ref={scroll} tabIndex={-1}>
      <table className="grid" aria-label="Grid" aria-rowcount={rows.length} style={{ width }} onKeyDown={onKey} onClick={choose}>
        <GridHead answer={answer} probe={probe} columns={columns} from={from} to={to} left={left} rest={rest} head={head} still={still} />
        <tbody>
          {kept.map((line, i) => <Line key={`pin ${line.place}`} drawn={drawn} line={line} row={i} active={-1} pin folded={false} toggle={toggle} onMenu={setMenu} />)}
          {before > 0 && <tr aria-hidden style={{ height: before }}><td colSpan={to - from + 4} /></tr>}
          {items.map((item) => {
            const line = rows[item.index];
            return line ? (
              <Line key={line.place} drawn={drawn} line={line} row={item.index} active={active[0] === item.index ? active[1] : -1} pin={false} folded={folded.has(lineKey(line))} toggle={toggle} onMenu={setMenu} />
            ) : null;
          })}
          {after > 0 && <tr aria-hidden style={{ height: after }}><td colSpan={to - from + 4} /></tr>}
        </tbody>
      </table>
      <MarkNotes answer={answer} />
      {menu && <LineMenu answer={answer} probe={probe} line={menu.line} at={menu.at} close={() => setMenu(null)} />}
    </div>
  );
}

interface Drawn {
  answer: GridAnswer;
  columns: CellColumn[];
  from: number;
  to: number;
  left: number;
  rest: number;
  marks: Map<string, TruthMark[]>;
  range: Map<string, Range> | null;
  look: Look;
  still: boolean;
  /** Totals that have an unmatched member among their lines. */
  holding: Set<string>;
}

interface LineProps {
  drawn: Drawn;
  line: ShownLine;
  row: number;
  /** The column whose cell takes the focus, -1 for none. */
  active: number;
  pin: boolean;
  folded: boolean;
  toggle: (key: string) => void;
  onMenu: (menu: { line: ShownLine; at: DOMRect }) => void;
}

const sameDrawn = (a: Drawn, b: Drawn) =>
  a.answer === b.answer && a.columns === b.columns && a.from === b.from && a.to === b.to && a.look === b.look && a.range === b.range && a.rest === b.rest && a.left === b.left;

const Line = memo(
  function Line({ drawn, line, row, active, pin, folded, toggle, onMenu }: LineProps) {
    const { answer, columns, from, to, left, rest, still } = drawn;
    const selection = useShown((s) => (s.selection?.kind === 'cell' ? s.selection : null));
    const other = useShown((s) => s.other);
    const parts = line.isTotal && !line.isGrand;
    const unmatched = answer.unmatched.length > 0 && (line.members[line.level - 1]?.kind === 'unmatched' || (line.isTotal && drawn.holding.has(lineKey(line))));
    return (
      <tr className={`${line.isTotal ? 'total' : ''} ${line.isGrand ? 'grand' : ''} ${pin ? 'pinned' : ''}`} style={{ height: LINE }} aria-rowindex={row + 1}>
        <th scope="row" className="line" style={{ paddingLeft: 6 + Math.max(line.level - 1, 0) * 16 }}>
          <span className="line-label">
            {parts && !still ? (
              <button type="button" className="fold" aria-expanded={!folded} aria-label={`${folded ? 'Unfold' : 'Fold'} ${line.label}`} tabIndex={-1} onClick={() => toggle(lineKey(line))}>{folded ? '▸' : '▾'}</button>
            ) : null}
            {answer.rows.columns.length === 0 ? null : still ? line.label : (
              <button type="button" className="plain clip" tabIndex={-1} title="Drill, pick, pin" onClick={(e) => onMenu({ line, at: e.currentTarget.getBoundingClientRect() })}>{pin ? '⊤ ' : ''}{line.label}</button>
            )}
            {unmatched && <button type="button" className="truth-mark" tabIndex={-1} title={answer.unmatched[0]?.sentence} aria-label={`Unmatched: ${answer.unmatched[0]?.sentence ?? ''}`} onClick={() => actions.select({ kind: 'mark', measure: '', mark: 'unmatched' })}>⊘</button>}
          </span>
        </th>
        {left > 0 && <td aria-hidden style={{ width: left }} />}
        {columns.slice(from, to + 1).map((column, i) => {
          const at = coordinates(answer, line.members, column.across.members);
          const chosen = selection?.measure === column.measure.name && same(selection.at, at);
          const second = other?.measure === column.measure.name && same(other.at, at);
          return <Cell key={`${column.across.place} ${column.measure.name}`} drawn={drawn} line={line} column={column} index={from + i} row={row} at={at} chosen={chosen} second={second} focus={active === from + i} pin={pin} />;
        })}
        {rest > 0 && <td aria-hidden style={{ width: rest }} />}
      </tr>
    );
  },
  (a, b) => a.line === b.line && a.row === b.row && a.active === b.active && a.folded === b.folded && sameDrawn(a.drawn, b.drawn),
);

function same(a: Coordinate[], b: Coordinate[]): boolean {
  return a.length === b.length && JSON.stringify(a) === JSON.stringify(b);
}

interface CellProps {
  drawn: Drawn;
  line: ShownLine;
  column: CellColumn;
  index: number;
  row: number;
  at: Coordinate[];
  chosen: boolean;
  second: boolean;
  focus: boolean;
  pin: boolean;
}

function Cell({ drawn, line, column, index, row, at, chosen, second, focus, pin }: CellProps) {
  const { answer, look, marks, range } = drawn;
  const { measure } = column;
  const value = answer.values[column.place]?.[line.place]?.[column.across.place] ?? null;
  const overridden = at.filter((c) => measure.overrides.includes(c.column)).map((c) => columnName(c.column));
  const apart = marks.get(`${measure.name} ${line.place} ${column.across.place}`) ?? [];
  const classes = [
    chosen ? 'chosen' : '', second ? 'second' : '', column.first && answer.columns.columns.length > 0 ? 'group-start' : '', measure.unreached.length ? 'hatched' : '',
    overridden.length && value !== null ? 'overridden' : '', apart.length ? 'apart' : '',
  ];
  const title = [
    overridden.length ? `it replaces or clears ${overridden.join(' and ')}` : '', measure.unreached.length ? `not reached by ${measure.unreached.join(', ')}` : '', ...apart.map((m) => m.sentence),
  ].filter(Boolean).join('; ');
  const part = line.isTotal || column.across.isTotal ? null : share(value, range?.get(measure.name));
  const style: CSSProperties = { width: column.width };
  if (part !== null && look.shade?.includes(measure.name)) style.background = `color-mix(in srgb, var(--shade) ${Math.round(part * 46)}%, transparent)`;
  if (part !== null && look.bars?.includes(measure.name)) style.boxShadow = `inset ${Math.round(part * (column.width - 6))}px 0 0 var(--measure-soft)`;
  return (
    <td className={classes.filter(Boolean).join(' ')} style={style}>
      <button type="button" data-row={row} data-col={index} data-pin={pin || undefined} tabIndex={focus ? 0 : -1} title={title || undefined} aria-pressed={chosen}>
        {apart.length > 0 && <span className="apart-mark" aria-label="parts do not add up">Σ</span>}
        {measure.error ? <span className="signal">{measure.error}</span> : measureText(value, look.formats?.[measure.name] ?? measure.format, measure.dtype)}
        {value === null && <span className="visually-hidden">empty</span>}
      </button>
    </td>
  );
}

/** How much is shown, in words. */
export function gridWords(answer: GridAnswer): string {
  const whole = answer.rows.lines.filter((l) => l.every((m) => m.kind !== 'total')).length;
  const lines = whole || answer.rows.lines.length;
  return `${count(lines)} line${lines === 1 ? '' : 's'}, ${count(answer.cells)} cells, ${answer.milliseconds.toFixed(0)} ms${answer.left_out ? `; ${count(answer.left_out)} lines are not among the top ones` : ''}`;
}
