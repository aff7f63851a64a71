// The grid: lines and cells, windowed both ways; marks for what does not reach a measure, what it overrides, what does not add up.
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState, type KeyboardEvent, type MouseEvent } from 'react';
import type { GridAnswer, Look, Probe } from '../../api/client';
import { sameProbe } from '../../app/shapes';
import { actions, useShown, type OtherCell } from '../../app/shown';
import { count, counted } from '../../shared/format';
import { coordinates, lineKey, shownLines, unfolded, type ShownLine } from './axes';
import { GridHead } from './GridHead';
import { HeadMenu, type HeadMenuAsked } from './HeadMenu';
import { cellColumns, cellFailures, cellMarks, labelWidth, ranges, type CellColumn } from './gridState';
import { LineMenu } from './LineMenu';
import { LINE, LinePainter, type CellKey, type Span, type View } from './linePainter';
import { MarkNotes } from './MarkNotes';

const AROUND = 3;
const BEYOND = 7;
const NONE: string[] = [];
const NO_LOOK: Look = {};

interface Props {
  answer: GridAnswer;
  probe: Probe;
  /** In a folio: no menus, and less room. What is chosen in it is about this probe, which becomes the open one. */
  still?: boolean;
}

export function useLines(answer: GridAnswer, look: Look) {
  const all = useMemo(() => shownLines(answer.rows.lines), [answer]);
  const rows = useMemo(() => unfolded(all, look.folded ?? NONE), [all, look.folded]);
  const across = useMemo(() => shownLines(answer.columns.lines).sort((a, b) => a.place - b.place), [answer]);
  return { all, rows, across };
}

/** Totals that have an unmatched member among their lines. */
function holdingUnmatched(lines: ShownLine[]): Set<string> {
  const found = new Set<string>();
  for (const l of lines)
    for (let level = 0; level < l.level; level += 1)
      if (l.members[level]?.kind === 'unmatched') found.add(JSON.stringify(l.members.slice(0, level)));
  return found;
}

/** Where a cell stands in this answer: its line by its members, its column by its number. */
function cellKey(answer: GridAnswer, columns: CellColumn[], cell: OtherCell | null): CellKey | null {
  if (!cell) return null;
  const line = answer.rows.columns.map((name) => cell.at.find((c) => c.column === name)?.member);
  const total = line.findIndex((m) => !m);
  const named = total < 0 ? line : line.slice(0, total);
  const column = columns.findIndex(
    (c) =>
      c.measure.name === cell.measure &&
      answer.columns.columns.every((name, i) => {
        const mine = cell.at.find((x) => x.column === name)?.member;
        const theirs = c.across.members[i];
        return mine ? theirs && mine.kind === theirs.kind && (mine.value ?? null) === (theirs.value ?? null) : theirs?.kind === 'total';
      }),
  );
  return column < 0
    ? null
    : { line: JSON.stringify(named.map((m) => (m?.kind === 'value' ? { kind: m.kind, value: m.value } : { kind: m?.kind }))), column };
}

/** The same, with members spelled as the answer spells them. */
function spelled(key: CellKey | null, rows: ShownLine[]): CellKey | null {
  if (!key) return null;
  const plain = (line: ShownLine) =>
    JSON.stringify(
      line.members.slice(0, line.level).map((m) => (m.kind === 'value' ? { kind: m.kind, value: m.value } : { kind: m.kind })),
    );
  const line = rows.find((r) => plain(r) === key.line);
  return line ? { line: lineKey(line), column: key.column } : null;
}

/** What a click or a key was on: a cell, a line's label, its fold, a mark. */
const hit = (event: { target: EventTarget }, what: string) => (event.target as HTMLElement).closest<HTMLElement>(`[data-${what}]`);

const lineOf = (cell: HTMLElement) => Number(cell.closest<HTMLElement>('tr[data-row]')?.dataset.row);

export function GridTable({ answer, probe, still = false }: Props) {
  const look = probe.look ?? NO_LOOK;
  const { all, rows, across } = useLines(answer, look);
  const columns = useMemo(() => cellColumns(answer, across, look), [answer, across, look]);
  const head = useMemo(() => labelWidth(answer, all), [answer, all]);
  const offsets = useMemo(() => columns.reduce<number[]>((sums, c) => [...sums, (sums.at(-1) ?? 0) + c.width], [0]), [columns]);
  const selection = useShown((s) => (s.selection?.kind === 'cell' ? s.selection : null));
  const other = useShown((s) => s.other);
  const own = useShown((s) => !still || (s.selection?.kind === 'cell' && sameProbe(s.probe, probe)));
  const [active, setActive] = useState<[number, number]>([0, 0]);
  const [menu, setMenu] = useState<{ line: ShownLine; at: DOMRect } | null>(null);
  const [headMenu, setHeadMenu] = useState<HeadMenuAsked | null>(null);
  const pinned = useMemo(() => {
    const names = new Set(look.pinned ?? NONE);
    return names.size ? all.filter((l) => names.has(lineKey(l))) : [];
  }, [all, look.pinned]);
  const view = useMemo<View>(
    () => ({
      answer,
      rows,
      columns,
      offsets,
      head,
      look,
      still,
      active,
      marks: cellMarks(answer),
      failures: cellFailures(answer),
      range: look.shade?.length || look.bars?.length ? ranges(answer, all, across) : null,
      folded: new Set(look.folded ?? NONE),
      holding: holdingUnmatched(all),
      chosen: own ? spelled(cellKey(answer, columns, selection), rows) : null,
      second: own ? spelled(cellKey(answer, columns, other), rows) : null,
    }),
    [answer, rows, columns, offsets, head, look, still, active, all, across, selection, other, own],
  );
  const { scroll, body, pins, span, show } = usePainted(view, pinned);
  if (answer.cells === 0)
    return (
      <p className="pad quiet">
        Nothing is left: no measure has a value anywhere under these picks. Take a pick out, or ask for empty lines.
      </p>
    );
  const toggle = (key: string) => {
    const away = look.folded ?? NONE;
    actions.setProbe({ look: { ...look, folded: away.includes(key) ? away.filter((k) => k !== key) : [...away, key] } });
  };
  const go = (row: number, column: number) => {
    const next: [number, number] = [Math.max(0, Math.min(row, rows.length - 1)), Math.max(0, Math.min(column, columns.length - 1))];
    setActive(next);
    show(next);
    // At once, for the next key may come before the next picture.
    const cell = () => body.current?.querySelector<HTMLElement>(`[data-row="${next[0]}"] [data-col="${next[1]}"]`);
    const there = cell();
    if (there) there.focus({ preventScroll: true });
    else requestAnimationFrame(() => cell()?.focus({ preventScroll: true }));
  };
  /** Traces a cell; `beside` sets it beside the one that is traced. */
  const choose = (line: ShownLine, column: CellColumn, beside: boolean) => {
    const at = coordinates(answer, line.members, column.across.members);
    if (still) actions.takeProbe(probe);
    if (beside && own && useShown.getState().selection?.kind === 'cell')
      actions.set({ other: { measure: column.measure.name, at }, lensOpen: true });
    else actions.set({ selection: { kind: 'cell', measure: column.measure.name, at }, other: null, lensOpen: true });
  };
  const onKey = (event: KeyboardEvent<HTMLElement>) => {
    const cell = hit(event, 'col');
    if ((!cell && event.target !== scroll.current) || event.ctrlKey || event.metaKey) return;
    const [row, column] = cell ? [lineOf(cell), Number(cell.dataset.col)] : active;
    const line = rows[row];
    const page = Math.max(1, Math.floor((scroll.current?.clientHeight ?? 400) / LINE) - 4);
    const steps: Record<string, [number, number]> = {
      ArrowLeft: [row, column - 1],
      ArrowRight: [row, column + 1],
      ArrowUp: [row - 1, column],
      ArrowDown: [row + 1, column],
      PageUp: [row - page, column],
      PageDown: [row + page, column],
      Home: [row, 0],
      End: [row, columns.length - 1],
    };
    const step = steps[event.key];
    if (step) go(step[0], step[1]);
    else if ((event.key === '-' || event.key === '+') && line?.isTotal && !line.isGrand && !still) toggle(lineKey(line));
    else if (event.key === 'Enter' && event.shiftKey && line && columns[column]) choose(line, columns[column], true);
    else if (event.key === 'm' && line && cell && !still) {
      // Once this key is over: a menu that opens under a key would be closed by it.
      const at = cell.getBoundingClientRect();
      setTimeout(() => setMenu({ line, at }), 0);
    } else return;
    event.preventDefault();
  };
  const onClick = (event: MouseEvent<HTMLElement>) => {
    const [fold, label, mark, cell] = [hit(event, 'fold'), hit(event, 'menu'), hit(event, 'mark'), hit(event, 'col')];
    if (fold) return toggle(fold.dataset.fold ?? '');
    if (mark && still) actions.takeProbe(probe);
    if (mark) return actions.set({ selection: { kind: 'mark', measure: '', mark: 'unmatched' }, lensOpen: true });
    const target = cell ?? label;
    if (!target) return undefined;
    const held = target.closest('[data-pin]') !== null;
    const line = (held ? pinned : rows)[lineOf(target)];
    if (label && line) return setMenu({ line, at: label.getBoundingClientRect() });
    const column = cell && columns[Number(cell.dataset.col)];
    if (!line || !column) return undefined;
    if (!held) setActive([lineOf(cell), Number(cell.dataset.col)]);
    return choose(line, column, event.shiftKey);
  };
  const width = head + (offsets.at(-1) ?? 0);
  return (
    // The scrolled place hears the arrows when the line that had the focus went out of sight.
    // oxlint-disable-next-line jsx-a11y/no-static-element-interactions
    <div className="grid-scroll" ref={scroll} tabIndex={-1} onKeyDown={onKey} onClick={onClick}>
      {/* A table of blocks, that its lines can be drawn anywhere in it; its role says that it is one. */}
      <table
        className="grid"
        // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-to-interactive-role
        role="grid"
        aria-label="Grid"
        aria-rowcount={rows.length + 1}
        aria-colcount={columns.length + 1}
        style={{ width }}
      >
        <GridHead
          answer={answer}
          probe={probe}
          columns={columns}
          from={span.from}
          to={span.to}
          left={offsets[span.from] ?? 0}
          head={head}
          still={still}
          onMenu={setHeadMenu}
        />
        <tbody className="pins" ref={pins} />
        <tbody className="lines" ref={body} style={{ height: rows.length * LINE }} />
      </table>
      {!still && <MarkNotes answer={answer} />}
      {headMenu && <HeadMenu measure={headMenu.measure} at={headMenu.at} probe={probe} close={() => setHeadMenu(null)} />}
      {menu && <LineMenu answer={answer} probe={probe} line={menu.line} at={menu.at} close={() => setMenu(null)} />}
    </div>
  );
}

/** Keeps the lines that are in sight drawn, and says which columns these are. */
function usePainted(view: View, pinned: ShownLine[]) {
  const scroll = useRef<HTMLDivElement>(null);
  const body = useRef<HTMLTableSectionElement>(null);
  const pins = useRef<HTMLTableSectionElement>(null);
  const painters = useRef<{ lines: LinePainter; pins: LinePainter; of: HTMLElement } | null>(null);
  const [span, setSpan] = useState({ from: 0, to: 0 });
  /** How large the place is and where its lines begin: read when they may have changed, never while it scrolls. */
  const wide = useRef<{ from: number; to: number; of: CellColumn[] | null }>({ from: 0, to: -1, of: null });
  const before = useRef(-1);
  const size = useRef({ width: 0, height: 0, above: 0 });
  const paint = useCallback(() => {
    const [box, lines, held] = [scroll.current, body.current, pins.current];
    if (!box || !lines || !held) return;
    if (painters.current?.of !== lines) painters.current = { lines: new LinePainter(lines), pins: new LinePainter(held, true), of: lines };
    const { offsets } = view;
    const { width, height } = size.current;
    const top = box.scrollTop;
    const left = box.scrollLeft;
    const last = view.columns.length - 1;
    const at = (x: number) => {
      let [low, high] = [0, Math.max(0, last)];
      while (low < high) {
        const middle = (low + high + 1) >> 1;
        if ((offsets[middle] ?? 0) <= x) low = middle;
        else high = middle - 1;
      }
      return low;
    };
    // Columns beyond those in sight are drawn too, and stay drawn until the sight leaves them: drawing all lines anew is what costs.
    const seen = { from: at(left), to: Math.min(last, at(left + width) + 1) };
    // Where the bar is dragged every line is another one: then only what is in sight is drawn.
    const jumped = Math.abs(top - before.current) > height && before.current >= 0;
    before.current = top;
    if (jumped) wide.current = { ...seen, of: view.columns };
    else if (seen.from < wide.current.from || seen.to > wide.current.to || wide.current.of !== view.columns)
      wide.current = { from: Math.max(0, seen.from - BEYOND), to: Math.min(last, seen.to + BEYOND), of: view.columns };
    const found: Span = {
      first: Math.max(0, Math.floor(top / LINE) - AROUND),
      last: Math.min(view.rows.length - 1, Math.ceil((top + height) / LINE) + AROUND),
      from: wide.current.from,
      to: wide.current.to,
    };
    painters.current.lines.paint(view, found);
    painters.current.pins.paint({ ...view, rows: pinned }, { first: 0, last: pinned.length - 1, from: found.from, to: found.to });
    setSpan((now) => (now.from === found.from && now.to === found.to ? now : { from: found.from, to: found.to }));
  }, [view, pinned]);
  const measured = useCallback(() => {
    const [box, lines, held] = [scroll.current, body.current, pins.current];
    if (!box || !lines || !held) return;
    size.current = { width: box.clientWidth, height: box.clientHeight, above: lines.offsetTop };
    held.style.top = `${lines.offsetTop - held.offsetHeight}px`;
    paint();
  }, [paint]);
  const latest = useRef({ paint, measured });
  useLayoutEffect(() => {
    latest.current = { paint, measured };
    measured();
    measured(); // pinned lines push the others down
  }, [paint, measured]);
  useEffect(() => {
    const box = scroll.current;
    if (!box) return undefined;
    let asked = 0;
    const later = () => {
      asked ||= requestAnimationFrame(() => {
        asked = 0;
        latest.current.paint();
      });
    };
    box.addEventListener('scroll', later, { passive: true });
    const watch = new ResizeObserver(() => latest.current.measured());
    watch.observe(box);
    return () => {
      box.removeEventListener('scroll', later);
      watch.disconnect();
      if (asked) cancelAnimationFrame(asked);
    };
  }, []);
  /** Brings a cell into sight, at once. */
  const show = ([row, column]: [number, number]) => {
    const [box, lines] = [scroll.current, body.current];
    if (!box || !lines) return;
    const covered = size.current.above;
    const top = covered + row * LINE;
    if (top < box.scrollTop + covered) box.scrollTop = top - covered;
    else if (top + LINE * 2 > box.scrollTop + box.clientHeight) box.scrollTop = top + LINE * 2 - box.clientHeight;
    const [from, to] = [view.offsets[column] ?? 0, view.offsets[column + 1] ?? 0];
    if (from < box.scrollLeft) box.scrollLeft = from;
    else if (to + view.head + 24 > box.scrollLeft + box.clientWidth) box.scrollLeft = to + view.head + 24 - box.clientWidth;
    paint();
  };
  return { scroll, body, pins, span, show };
}

/** How much is shown, in words. */
export function gridWords(answer: GridAnswer): string {
  const whole = answer.rows.lines.filter((l) => l.every((m) => m.kind !== 'total')).length;
  const lines = whole || answer.rows.lines.length;
  return `${count(lines)} line${lines === 1 ? '' : 's'}, ${counted(answer.cells, 'cell')}, ${answer.milliseconds.toFixed(0)} ms${answer.left_out ? `; ${counted(answer.left_out, 'line')} left out` : ''}`;
}
