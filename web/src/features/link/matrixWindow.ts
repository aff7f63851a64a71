// What of a large matrix is drawn: the rows and columns in sight, and some around them.
import { useCallback, useEffect, useState, type RefObject } from 'react';
import type { Group } from './matrixModel';

export const COLUMN = 34;
export const ROW = 41;
const LARGE = 900; // cells from which on not all are drawn
const AROUND = 2; // rows and columns drawn beyond those in sight
const STEP = 4; // by which what is drawn moves on

/** A column of the matrix: a table, or a group that is folded away. */
export type Column = { name: string; first: boolean } | { group: Group };

export interface Span {
  from: number;
  to: number;
}

export interface Window {
  rows: Span;
  columns: Span;
}

const ALL: Span = { from: 0, to: Infinity };

/** The places in sight from `start` on, over `length` pixels. */
function span(start: number, length: number, size: number): Span {
  const from = Math.max(0, Math.floor(start / size / STEP) * STEP - AROUND);
  return { from, to: Math.ceil((start + length) / size / STEP) * STEP + AROUND };
}

const same = (a: Window, b: Window) =>
  a.rows.from === b.rows.from && a.rows.to === b.rows.to && a.columns.from === b.columns.from && a.columns.to === b.columns.to;

/** Follows what is in sight of a scrolled place; `show` brings a row and a column into it. */
export function useWindow(placeRef: RefObject<HTMLElement | null>, rows: number, columns: number) {
  const isLarge = rows * columns > LARGE;
  const [seen, setSeen] = useState<Window>({ rows: { from: 0, to: 24 }, columns: { from: 0, to: 40 } });
  useEffect(() => {
    const box = placeRef.current;
    if (!box || !isLarge) return undefined;
    const look = () => {
      const next = { rows: span(box.scrollTop, box.clientHeight, ROW), columns: span(box.scrollLeft, box.clientWidth, COLUMN) };
      setSeen((now) => (same(now, next) ? now : next));
    };
    look();
    box.addEventListener('scroll', look, { passive: true });
    const observer = new ResizeObserver(look);
    observer.observe(box);
    return () => {
      box.removeEventListener('scroll', look);
      observer.disconnect();
    };
  }, [placeRef, isLarge]);
  const show = useCallback(
    (row: number, column: number) => {
      const box = placeRef.current;
      if (!box || !isLarge) return;
      const head = box.querySelector<HTMLElement>('thead')?.offsetHeight ?? 0;
      const side = box.querySelector<HTMLElement>('th.row')?.offsetWidth ?? 0;
      box.scrollTop = Math.min(row * ROW, Math.max(box.scrollTop, (row + 1) * ROW + head - box.clientHeight));
      box.scrollLeft = Math.min(column * COLUMN, Math.max(box.scrollLeft, (column + 1) * COLUMN + side - box.clientWidth));
    },
    [placeRef, isLarge],
  );
  return { isLarge, show, window: isLarge ? seen : { rows: ALL, columns: ALL } };
}
