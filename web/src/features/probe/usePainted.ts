// Keeps what is in sight drawn: lines while the grid rests, a picture of them while it moves; and says which columns have headings.
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState, type RefObject } from 'react';
import type { ShownLine } from './axes';
import { LINE, LinePainter, type Span, type View } from './linePainter';
import { firstColumn, MotionPainter, type Sight } from './motionPainter';

const AROUND = 3;
const BEYOND = 2;
const HEADED = 12; // columns on each side of those in sight that have their headings: other ones are laid out anew, now and then
const REST = 120; // milliseconds without a movement, after which the grid rests

/** How large the place is and where its lines and labels begin: read when they may have changed, never while it scrolls. */
type Size = Omit<Sight, 'top' | 'left'>;

/** Lines and columns that are drawn, of which view. */
interface Drawn extends Span {
  of: View | null;
}

/** The lines and columns that are in sight, and as many beyond them. */
function inSight({ rows, columns, offsets, head }: View, sight: Sight, around: number, beyond: number): Span {
  const last = columns.length - 1;
  const from = firstColumn(offsets, sight.left);
  const to = Math.min(last, firstColumn(offsets, sight.left + Math.max(0, sight.width - head)) + 1);
  return {
    first: Math.max(0, Math.floor(sight.top / LINE) - around),
    last: Math.min(rows.length - 1, Math.ceil((sight.top + sight.height - sight.above) / LINE) + around),
    from: Math.max(0, from - beyond),
    to: Math.min(last, to + beyond),
  };
}

const holdsColumns = (a: { from: number; to: number }, b: Span): boolean => a.from <= b.from && a.to >= b.to;

const holds = (a: Span, b: Span): boolean => a.first <= b.first && a.last >= b.last && holdsColumns(a, b);

/** Brings a cell into sight. */
function scrollTo(box: HTMLElement, view: View, above: number, row: number, column: number): void {
  const top = above + row * LINE;
  if (top < box.scrollTop + above) box.scrollTop = top - above;
  else if (top + LINE * 2 > box.scrollTop + box.clientHeight) box.scrollTop = top + LINE * 2 - box.clientHeight;
  const [from, to] = [view.offsets[column] ?? 0, view.offsets[column + 1] ?? 0];
  if (from < box.scrollLeft) box.scrollLeft = from;
  else if (to + view.head + 24 > box.scrollLeft + box.clientWidth) box.scrollLeft = to + view.head + 24 - box.clientWidth;
}

interface Steps {
  /** A picture while it moves. */
  move: () => void;
  /** Its lines, once it rests. */
  paint: () => void;
  measured: () => void;
}

/** Paints once a picture while it scrolls, and anew when it rests and when the place has another size; `isThere` says whether there is one. */
function useScrolling(scroll: RefObject<HTMLElement | null>, { move, paint, measured }: Steps, isThere: boolean): void {
  const latest = useRef({ move, paint, measured });
  useLayoutEffect(() => {
    latest.current = { move, paint, measured };
    measured();
    measured(); // pinned lines push the others down
  }, [move, paint, measured]);
  useEffect(() => {
    const box = scroll.current;
    if (!box || !isThere) return undefined;
    let [picture, rest] = [0, 0];
    const later = () => {
      picture ||= requestAnimationFrame(() => {
        picture = 0;
        latest.current.move();
      });
      window.clearTimeout(rest);
      rest = window.setTimeout(() => latest.current.paint(), REST);
    };
    box.addEventListener('scroll', later, { passive: true });
    const watch = new ResizeObserver(() => latest.current.measured());
    watch.observe(box);
    return () => {
      box.removeEventListener('scroll', later);
      watch.disconnect();
      window.clearTimeout(rest);
      if (picture) cancelAnimationFrame(picture);
    };
  }, [scroll, isThere]);
}

const NOTHING: Drawn = { first: 0, last: -1, from: 0, to: -1, of: null };

/** Draws the lines of a grid that rests and pictures of one that moves into the places of `refs`. */
export function usePainted(view: View, pinned: ShownLine[]) {
  const scroll = useRef<HTMLDivElement>(null);
  const motion = useRef<HTMLDivElement>(null);
  const body = useRef<HTMLTableSectionElement>(null);
  const pins = useRef<HTMLTableSectionElement>(null);
  const painters = useRef<{ lines: LinePainter; pins: LinePainter; motion: MotionPainter; of: HTMLElement } | null>(null);
  const [span, setSpan] = useState({ from: 0, to: 0 });
  const headed = useRef({ from: 0, to: -1 });
  const drawn = useRef<Drawn>(NOTHING);
  const size = useRef<Size>({ width: 0, height: 0, above: 0, edge: 0 });
  const held = useMemo(() => ({ ...view, rows: pinned }), [view, pinned]);
  const ready = useCallback(() => {
    const [box, lines, above, place] = [scroll.current, body.current, pins.current, motion.current];
    if (!box || !lines || !above || !place) return null;
    if (painters.current?.of !== lines) {
      painters.current?.motion.hide();
      painters.current = { lines: new LinePainter(lines), pins: new LinePainter(above, true), motion: new MotionPainter(place), of: lines };
      drawn.current = NOTHING;
    }
    const sight: Sight = { ...size.current, top: box.scrollTop, left: box.scrollLeft };
    return { ...painters.current, sight };
  }, []);
  /** Headings and pinned lines are elements always: they move to the side alone, and have room to. */
  const head = useCallback(
    (painter: LinePainter, sight: Sight) => {
      if (!holdsColumns(headed.current, inSight(view, sight, 0, 0)) || headed.current.to >= view.columns.length) {
        const { from, to } = inSight(view, sight, 0, HEADED);
        headed.current = { from, to };
        setSpan(headed.current);
      }
      const { from, to } = headed.current;
      painter.paint(held, { first: 0, last: held.rows.length - 1, from, to });
    },
    [view, held],
  );
  const paint = useCallback(() => {
    const all = ready();
    if (!all) return;
    head(all.pins, all.sight);
    const seen = inSight(view, all.sight, 0, 0);
    if (drawn.current.of !== view || !holds(drawn.current, seen)) {
      const next = inSight(view, all.sight, AROUND, BEYOND);
      all.lines.paint(view, next);
      drawn.current = { ...next, of: view };
    }
    all.motion.hide();
  }, [ready, head, view]);
  const move = useCallback(() => {
    const all = ready();
    if (!all) return;
    const seen = inSight(view, all.sight, 0, 0);
    if (!all.motion.moving && drawn.current.of === view && holds(drawn.current, seen)) return;
    if (!all.motion.draw(view, all.sight)) return paint();
    head(all.pins, all.sight);
  }, [ready, head, paint, view]);
  /** Whether its lines begin elsewhere than before. */
  const measure = useCallback((): boolean => {
    const [box, lines, above] = [scroll.current, body.current, pins.current];
    if (!box || !lines || !above) return false;
    const before = size.current.above;
    size.current = {
      width: box.clientWidth,
      height: box.clientHeight,
      above: lines.offsetTop,
      edge: Number.parseFloat(getComputedStyle(box).paddingLeft) || 0,
    };
    above.style.top = `${lines.offsetTop - above.offsetHeight}px`;
    return size.current.above !== before;
  }, []);
  const measured = useCallback(() => {
    measure();
    paint();
  }, [measure, paint]);
  useScrolling(scroll, { move, paint, measured }, view.answer.cells > 0);
  // Other headings may take another height.
  const measuredUnder = useRef(span);
  useLayoutEffect(() => {
    if (measuredUnder.current === span) return;
    measuredUnder.current = span;
    if (measure()) paint();
  }, [span, measure, paint]);
  /** Brings a cell into sight, at once. */
  const show = ([row, column]: [number, number]) => {
    const box = scroll.current;
    if (!box || !body.current) return;
    scrollTo(box, view, size.current.above, row, column);
    paint();
  };
  return { scroll, motion, body, pins, span, show };
}
