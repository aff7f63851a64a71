// The grid: lines and cells, windowed both ways; marks for what does not reach a measure, what it overrides, what does not add up.
import { useFrame } from '../../app/frame';
import { useMemo, useState, type KeyboardEvent, type MouseEvent } from 'react';
import type { GridAnswer, Look, Probe } from '../../api/client';
import { sameProbe } from '../../app/shapes';
import { actions, onScreen } from '../../app/shown';
import { type OtherCell, useProbe } from './store';
import { count, counted } from '../../shared/format';
import { coordinates, lineKey, shownLines, unfolded, type ShownLine } from './axes';
import { GridHead } from './GridHead';
import { HeadMenu, type HeadMenuAsked } from './HeadMenu';
import { cellColumns, cellFailures, cellMarks, labelWidth, ranges, type CellColumn } from './gridState';
import { LineMenu } from './LineMenu';
import { LINE, type CellKey, type View } from './linePainter';
import { MarkNotes } from './MarkNotes';
import { usePainted } from './usePainted';
import type { ShownCell } from '../prove/checkModel';

const NONE: string[] = [];
const NO_LOOK: Look = {};

interface Props {
  answer: GridAnswer;
  probe: Probe;
  /** In a folio: no menus, and less room. What is chosen in it is about this probe, which becomes the open one. */
  still?: boolean;
  /** The checks that hold its cells. */
  held?: Map<string, string[]>;
  /** Makes a check of some of its cells. */
  onHold?: (cells: ShownCell[]) => void;
}

const NOTHING_HELD = new Map<string, string[]>();

/** The cells between two, or the one of both. */
function block({ answer, rows, columns }: View, a: Cell, b: Cell): ShownCell[] {
  const [top, bottom] = [Math.min(a[0], b[0]), Math.max(a[0], b[0])];
  const [left, right] = [Math.min(a[1], b[1]), Math.max(a[1], b[1])];
  return rows.slice(top, bottom + 1).flatMap((line) =>
    columns.slice(left, right + 1).map((column) => ({
      measure: column.measure.name,
      at: coordinates(answer, line.members, column.across.members),
      value: answer.values[column.place]?.[line.place]?.[column.across.place] ?? null,
    })),
  );
}

export function useLines(answer: GridAnswer, look: Look) {
  const all = useMemo(() => shownLines(answer.rows.lines), [answer]);
  const rows = useMemo(() => unfolded(all, look.folded ?? NONE), [all, look.folded]);
  const across = useMemo(() => shownLines(answer.columns.lines).sort((a, b) => a.place - b.place), [answer]);
  return { all, rows, across };
}

/** Totals that have an unmatched member among their lines. */
function holdingUnmatched(lines: ShownLine[]): Set<string> {
  const places = new Set<string>();
  for (const l of lines)
    for (let level = 0; level < l.level; level += 1)
      if (l.members[level]?.kind === 'unmatched') places.add(JSON.stringify(l.members.slice(0, level)));
  return places;
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

/** What the grid draws: lines, columns and what is chosen in them. */
function useView({ answer, probe, still = false, held = NOTHING_HELD }: Props, active: [number, number]) {
  const look = probe.look ?? NO_LOOK;
  const { all, rows, across } = useLines(answer, look);
  const columns = useMemo(() => cellColumns(answer, across, look), [answer, across, look]);
  const head = useMemo(() => labelWidth(answer, all), [answer, all]);
  const offsets = useMemo(() => columns.reduce<number[]>((sums, c) => [...sums, (sums.at(-1) ?? 0) + c.width], [0]), [columns]);
  const selection = useFrame((s) => (s.selection?.kind === 'cell' ? s.selection : null));
  const other = useProbe((s) => s.other);
  const isOpen = useProbe((s) => sameProbe(s.probe, probe));
  const own = !still || (selection !== null && isOpen);
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
      held,
      range: look.shade?.length || look.bars?.length ? ranges(answer, all, across) : null,
      folded: new Set(look.folded ?? NONE),
      holding: holdingUnmatched(all),
      chosen: own ? spelled(cellKey(answer, columns, selection), rows) : null,
      second: own ? spelled(cellKey(answer, columns, other), rows) : null,
    }),
    [answer, rows, columns, offsets, head, look, still, active, held, all, across, selection, other, own],
  );
  return { view, pinned, own };
}

/** Folds the parts of a line away, or out. */
function toggle(look: Look, key: string): void {
  const away = look.folded ?? NONE;
  actions.setProbe({ look: { ...look, folded: away.includes(key) ? away.filter((k) => k !== key) : [...away, key] } });
}

/** Traces a cell; `beside` sets it beside the one that is traced. */
function choose({ answer, probe, still = false }: Props, line: ShownLine, column: CellColumn, beside: boolean): void {
  const at = coordinates(answer, line.members, column.across.members);
  if (still) actions.takeProbe(probe);
  if (beside) actions.set({ other: { measure: column.measure.name, at }, lensOpen: true });
  else actions.set({ selection: { kind: 'cell', measure: column.measure.name, at }, other: null, lensOpen: true });
}

/** Where a key of movement leads from a cell. */
function stepFrom(key: string, row: number, column: number, page: number, lastColumn: number): [number, number] | undefined {
  const steps: Record<string, [number, number]> = {
    ArrowLeft: [row, column - 1],
    ArrowRight: [row, column + 1],
    ArrowUp: [row - 1, column],
    ArrowDown: [row + 1, column],
    PageUp: [row - page, column],
    PageDown: [row + page, column],
    Home: [row, 0],
    End: [row, lastColumn],
  };
  return steps[key];
}

type LineMenuAsked = { line: ShownLine; at: DOMRect };

type Cell = [row: number, column: number];

/** What keys and clicks do in the grid. */
function useGridEvents(
  given: Props,
  { view, pinned, own }: ReturnType<typeof useView>,
  [active, setActive]: [Cell, (cell: Cell) => void],
  go: (row: number, column: number) => void,
) {
  const { probe, still = false } = given;
  const { rows, columns, look } = view;
  const [menu, setMenu] = useState<LineMenuAsked | null>(null);
  const pick = (line: ShownLine, column: CellColumn, beside: boolean) =>
    choose(given, line, column, beside && own && onScreen().selection?.kind === 'cell');
  const onKey = (event: KeyboardEvent<HTMLElement>) => {
    const cell = hit(event, 'col');
    const box = event.currentTarget;
    if ((!cell && event.target !== box) || event.ctrlKey || event.metaKey) return;
    const [row, column] = cell ? [lineOf(cell), Number(cell.dataset.col)] : active;
    const line = rows[row];
    const page = Math.max(1, Math.floor(box.clientHeight / LINE) - 4);
    const step = stepFrom(event.key, row, column, page, columns.length - 1);
    if (step) go(step[0], step[1]);
    else if ((event.key === '-' || event.key === '+') && line?.isTotal && !line.isGrand && !still) toggle(look, lineKey(line));
    else if (event.key === 'Enter' && event.shiftKey && line && columns[column]) pick(line, columns[column], true);
    else if (event.key === 'h' && line && given.onHold) {
      const at = (key: CellKey): Cell => [rows.findIndex((r) => lineKey(r) === key.line), key.column];
      const [first, second] = [view.chosen, view.second].map((key) => (key ? at(key) : null));
      given.onHold(first && second ? block(view, first, second) : block(view, [row, column], [row, column]));
    } else if (event.key === 'm' && line && cell && !still) {
      // Once this key is over: a menu that opens under a key would be closed by it.
      const at = cell.getBoundingClientRect();
      setTimeout(() => setMenu({ line, at }), 0);
    } else return;
    event.preventDefault();
  };
  const onClick = (event: MouseEvent<HTMLElement>) => {
    const [fold, label, mark, cell] = [hit(event, 'fold'), hit(event, 'menu'), hit(event, 'mark'), hit(event, 'col')];
    if (fold) return toggle(look, fold.dataset.fold ?? '');
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
    return pick(line, column, event.shiftKey);
  };
  return { menu, closeMenu: () => setMenu(null), onKey, onClick };
}

export function GridTable(given: Props) {
  const { answer, probe, still = false } = given;
  const [active, setActive] = useState<[number, number]>([0, 0]);
  const [headMenu, setHeadMenu] = useState<HeadMenuAsked | null>(null);
  const shown = useView(given, active);
  const { rows, columns, offsets, head } = shown.view;
  const { scroll, motion, body, pins, span, show } = usePainted(shown.view, shown.pinned);
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
  const { menu, closeMenu, onKey, onClick } = useGridEvents(given, shown, [active, setActive], go);
  if (answer.cells === 0)
    return (
      <p className="pad quiet">
        Nothing is left: no measure has a value anywhere under these picks. Take a pick out, or ask for empty lines.
      </p>
    );
  return (
    // The scrolled place hears the arrows when the line that had the focus went out of sight.
    // oxlint-disable-next-line jsx-a11y/no-static-element-interactions
    <div className="grid-scroll" ref={scroll} tabIndex={-1} onKeyDown={onKey} onClick={onClick}>
      <div className="grid-motion" ref={motion} aria-hidden />
      {/* A table of blocks, that its lines can be drawn anywhere in it; its role says that it is one. */}
      <table
        className="grid"
        // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-to-interactive-role
        role="grid"
        aria-label="Grid"
        aria-rowcount={rows.length + 1}
        aria-colcount={columns.length + 1}
        style={{ width: head + (offsets.at(-1) ?? 0) }}
      >
        <GridHead
          {...{ answer, probe, columns, head, still }}
          from={span.from}
          to={span.to}
          left={offsets[span.from] ?? 0}
          onMenu={setHeadMenu}
        />
        <tbody className="pins" ref={pins} />
        <tbody className="lines" ref={body} style={{ height: rows.length * LINE }} />
      </table>
      {!still && <MarkNotes answer={answer} />}
      {headMenu && <HeadMenu measure={headMenu.measure} at={headMenu.at} probe={probe} close={() => setHeadMenu(null)} />}
      {menu && <LineMenu answer={answer} probe={probe} line={menu.line} at={menu.at} close={closeMenu} />}
    </div>
  );
}

/** How much is shown, in words. */
export function gridWords(answer: GridAnswer): string {
  const whole = answer.rows.lines.filter((l) => l.every((m) => m.kind !== 'total')).length;
  const lines = whole || answer.rows.lines.length;
  return `${count(lines)} line${lines === 1 ? '' : 's'}, ${counted(answer.cells, 'cell')}, ${answer.milliseconds.toFixed(0)} ms${answer.left_out ? `; ${counted(answer.left_out, 'line')} left out` : ''}`;
}
