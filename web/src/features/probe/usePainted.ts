// Keeps the lines that are in sight drawn, and says which columns these are.
import { useCallback, useEffect, useLayoutEffect, useRef, useState, type RefObject } from 'react';
import type { ShownLine } from './axes';
import type { CellColumn } from './gridState';
import { LINE, LinePainter, type Span, type View } from './linePainter';

const AROUND = 3;
const BEYOND = 2;

/** How large the place is and where its lines begin: read when they may have changed, never while it scrolls. */
interface Size {
  width: number;
  height: number;
  above: number;
}

/** Columns that are drawn, of which answer. */
interface Drawn {
  from: number;
  to: number;
  of: CellColumn[] | null;
}

/** The column that stands at a distance from the left edge of the cells. */
function columnAt(offsets: number[], last: number, x: number): number {
  let [low, high] = [0, Math.max(0, last)];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((offsets[middle] ?? 0) <= x) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** The columns to draw: those beyond the ones in sight, too, which stay drawn until the sight leaves them, for drawing all lines anew is what
    costs; where the bar is dragged (`jumped`) every line is another one, and only what is in sight is drawn. */
function columnsToDraw(view: View, drawn: Drawn, left: number, width: number, jumped: boolean): Drawn {
  const last = view.columns.length - 1;
  const from = columnAt(view.offsets, last, left);
  const to = Math.min(last, columnAt(view.offsets, last, left + Math.max(0, width - view.head)) + 1);
  if (jumped) return { from, to, of: view.columns };
  if (from >= drawn.from && to <= drawn.to && drawn.of === view.columns) return drawn;
  return { from: Math.max(0, from - BEYOND), to: Math.min(last, to + BEYOND), of: view.columns };
}

/** Brings a cell into sight. */
function scrollTo(box: HTMLElement, view: View, above: number, row: number, column: number): void {
  const top = above + row * LINE;
  if (top < box.scrollTop + above) box.scrollTop = top - above;
  else if (top + LINE * 2 > box.scrollTop + box.clientHeight) box.scrollTop = top + LINE * 2 - box.clientHeight;
  const [from, to] = [view.offsets[column] ?? 0, view.offsets[column + 1] ?? 0];
  if (from < box.scrollLeft) box.scrollLeft = from;
  else if (to + view.head + 24 > box.scrollLeft + box.clientWidth) box.scrollLeft = to + view.head + 24 - box.clientWidth;
}

/** Paints once a picture while it scrolls, and anew when the place has another size. */
function useScrolling(scroll: RefObject<HTMLElement | null>, paint: () => void, measured: () => void): void {
  const latest = useRef({ paint, measured });
  useLayoutEffect(() => {
    latest.current = { paint, measured };
    measured();
    measured(); // pinned lines push the others down
  }, [paint, measured]);
  useEffect(() => {
    const box = scroll.current;
    if (!box) return undefined;
    let count = 0;
    const later = () => {
      count ||= requestAnimationFrame(() => {
        count = 0;
        latest.current.paint();
      });
    };
    box.addEventListener('scroll', later, { passive: true });
    // What was left out while it flew past, in a picture of its own.
    const rest = () => requestAnimationFrame(later);
    box.addEventListener('scrollend', rest, { passive: true });
    const watch = new ResizeObserver(() => latest.current.measured());
    watch.observe(box);
    return () => {
      box.removeEventListener('scroll', later);
      box.removeEventListener('scrollend', rest);
      watch.disconnect();
      if (count) cancelAnimationFrame(count);
    };
  }, [scroll]);
}

export function usePainted(view: View, pinned: ShownLine[]) {
  const scroll = useRef<HTMLDivElement>(null);
  const body = useRef<HTMLTableSectionElement>(null);
  const pins = useRef<HTMLTableSectionElement>(null);
  const painters = useRef<{ lines: LinePainter; pins: LinePainter; of: HTMLElement } | null>(null);
  const [span, setSpan] = useState({ from: 0, to: 0 });
  const drawn = useRef<Drawn>({ from: 0, to: -1, of: null });
  const before = useRef(-1);
  const size = useRef<Size>({ width: 0, height: 0, above: 0 });
  const paint = useCallback(() => {
    const [box, lines, held] = [scroll.current, body.current, pins.current];
    if (!box || !lines || !held) return;
    if (painters.current?.of !== lines) painters.current = { lines: new LinePainter(lines), pins: new LinePainter(held, true), of: lines };
    const { width, height } = size.current;
    const top = box.scrollTop;
    const jumped = Math.abs(top - before.current) > height && before.current >= 0;
    before.current = top;
    const { from, to } = (drawn.current = columnsToDraw(view, drawn.current, box.scrollLeft, width, jumped));
    const around = jumped ? 0 : AROUND;
    const first = Math.max(0, Math.floor(top / LINE) - around);
    const inSight: Span = { first, last: Math.min(view.rows.length - 1, Math.ceil((top + height) / LINE) + around), from, to };
    painters.current.lines.paint(view, inSight);
    painters.current.pins.paint({ ...view, rows: pinned }, { first: 0, last: pinned.length - 1, from, to });
    setSpan((now) => (now.from === from && now.to === to ? now : { from, to }));
  }, [view, pinned]);
  const measured = useCallback(() => {
    const [box, lines, held] = [scroll.current, body.current, pins.current];
    if (!box || !lines || !held) return;
    size.current = { width: box.clientWidth, height: box.clientHeight, above: lines.offsetTop };
    held.style.top = `${lines.offsetTop - held.offsetHeight}px`;
    paint();
  }, [paint]);
  useScrolling(scroll, paint, measured);
  /** Brings a cell into sight, at once. */
  const show = ([row, column]: [number, number]) => {
    const box = scroll.current;
    if (!box || !body.current) return;
    scrollTo(box, view, size.current.above, row, column);
    paint();
  };
  return { scroll, body, pins, span, show };
}
