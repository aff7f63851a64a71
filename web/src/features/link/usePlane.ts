// Pan and zoom of the star's plane, written straight to its style.
import { useCallback, useEffect, useRef, useState, type RefObject } from 'react';
import type { Box } from './geometry';

const LEAST = 0.12;
const READABLE = 0.52;
const MOST = 2.5;
const READ = 0.9; // what is brought into the middle is at least so large
const WHEEL_ENDS = 160; // milliseconds after the last turn

interface View {
  x: number;
  y: number;
  zoom: number;
}

type Area = RefObject<HTMLDivElement | null>;
type Point = { clientX: number; clientY: number };

/** The view that shows all boxes at `least` so large: what does not fit is cut around the fact, which stands at 0, 0. */
function fitting(boxes: Map<string, Box>, area: HTMLElement, least: number): View {
  const rect = area.getBoundingClientRect();
  const all = [...boxes.values()];
  const left = Math.min(...all.map((b) => b.x - b.width / 2));
  const right = Math.max(...all.map((b) => b.x + b.width / 2));
  const top = Math.min(...all.map((b) => b.y - b.height / 2));
  const bottom = Math.max(...all.map((b) => b.y + b.height / 2));
  const head = (area.querySelector<HTMLElement>('.star-head')?.offsetHeight ?? 40) + 10;
  const height = Math.max(rect.height - head - 60, 60);
  const zoom = Math.max(least, Math.min(1.15, (rect.width - 32) / (right - left), height / (bottom - top)));
  const across = zoom * (right - left) > rect.width ? 0 : (left + right) / 2;
  const down = zoom * (bottom - top) > height + 1 ? 0 : (top + bottom) / 2;
  return { zoom, x: rect.width / 2 - zoom * across, y: head + height / 2 - zoom * down };
}

/** A view zoomed around a point of the screen. */
function zoomed({ x, y, zoom }: View, factor: number, cx: number, cy: number): View {
  const next = Math.max(LEAST, Math.min(MOST, zoom * factor));
  return { zoom: next, x: cx - ((cx - x) * next) / zoom, y: cy - ((cy - y) * next) / zoom };
}

/** Tells the overview what is seen of the plane, and whether that is all. */
function tellSeen(area: HTMLDivElement | null, { x, y, zoom }: View): void {
  if (!area) return;
  const { clientWidth, clientHeight, style } = area;
  for (const [name, value] of Object.entries({ x: -x, y: -y, w: clientWidth, h: clientHeight }))
    style.setProperty(`--seen-${name}`, String(Math.round(value / zoom)));
  const small = area.querySelector<HTMLElement>('.star-overview');
  const [left = 0, top = 0, right = 0, bottom = 0] = (small?.dataset.bounds ?? '').split(' ').map(Number);
  const fits =
    left * zoom + x >= -1 && top * zoom + y >= -1 && right * zoom + x <= clientWidth + 1 && bottom * zoom + y <= clientHeight + 1;
  small?.classList.toggle('all-seen', fits);
}

/** The view and what shows it: `put` moves on, `settle` ends a movement. */
function useView(area: Area, plane: Area) {
  const view = useRef<View>({ x: 0, y: 0, zoom: 1 });
  const [percent, setPercent] = useState(100);
  const put = useCallback(
    (next: View) => {
      view.current = next;
      const style = plane.current?.style;
      if (!style) return;
      // Until the movement is over the layer is moved as it was drawn, not drawn again.
      style.setProperty('will-change', 'transform');
      style.setProperty('transform', `translate(${next.x}px, ${next.y}px) scale(${next.zoom})`);
      tellSeen(area.current, next);
    },
    [area, plane],
  );
  /** Once a movement is over: targets stay large enough to be hit however small the cards are drawn. */
  const settle = useCallback(() => {
    const drawn = plane.current;
    drawn?.style.removeProperty('will-change');
    drawn?.classList.toggle('far', view.current.zoom < 0.6);
    drawn?.style.setProperty('--target', `${Math.max(24, 25 / view.current.zoom)}px`);
    setPercent(Math.round(view.current.zoom * 100));
  }, [plane]);
  const now = useCallback(() => view.current, []);
  return { now, percent, put, settle };
}

/** Fits what is new by itself, as much as can still be read, and again when there is another room for it. */
function useFitted(area: Area, key: string, boxes: Map<string, Box>, fitRead: () => void): void {
  const fitted = useRef('');
  const fitLater = useRef(fitRead);
  useEffect(() => {
    fitLater.current = fitRead;
    if (fitted.current !== key && boxes.size) {
      fitRead();
      fitted.current = key;
    }
  }, [key, boxes, fitRead]);
  useEffect(() => {
    const watched = area.current;
    if (!watched) return;
    const observer = new ResizeObserver(() => fitLater.current());
    observer.observe(watched);
    const head = watched.querySelector('.star-head');
    if (head) observer.observe(head);
    return () => observer.disconnect();
  }, [area]);
}

function useWheel(area: Area, zoomBy: (factor: number, at?: Point) => void, settle: () => void): void {
  useEffect(() => {
    const watched = area.current;
    if (!watched) return;
    let timer = 0;
    const onWheel = (event: WheelEvent) => {
      if ((event.target as HTMLElement).closest('.keys')) return;
      event.preventDefault();
      zoomBy(event.deltaY < 0 ? 1.1 : 1 / 1.1, event);
      window.clearTimeout(timer);
      timer = window.setTimeout(settle, WHEEL_ENDS);
    };
    watched.addEventListener('wheel', onWheel, { passive: false });
    return () => {
      watched.removeEventListener('wheel', onWheel);
      window.clearTimeout(timer);
    };
  }, [area, zoomBy, settle]);
}

export function usePlane(areaRef: Area, boxes: Map<string, Box>, key: string) {
  const plane = useRef<HTMLDivElement>(null);
  const { now, percent, put, settle } = useView(areaRef, plane);
  const fitTo = useCallback(
    (least: number) => {
      if (!areaRef.current || boxes.size === 0) return;
      put(fitting(boxes, areaRef.current, least));
      settle();
    },
    [areaRef, boxes, put, settle],
  );
  const fit = useCallback(() => fitTo(LEAST), [fitTo]);
  const fitRead = useCallback(() => fitTo(READABLE), [fitTo]);
  useFitted(areaRef, key, boxes, fitRead);
  const zoomBy = useCallback(
    (factor: number, at?: Point) => {
      const rect = areaRef.current?.getBoundingClientRect();
      if (rect) put(zoomed(now(), factor, at ? at.clientX - rect.left : rect.width / 2, at ? at.clientY - rect.top : rect.height / 2));
    },
    [areaRef, now, put],
  );
  useWheel(areaRef, zoomBy, settle);
  const toPlane = useCallback(
    (event: Point) => {
      const rect = areaRef.current?.getBoundingClientRect();
      const { x, y, zoom } = now();
      return { x: (event.clientX - (rect?.left ?? 0) - x) / zoom, y: (event.clientY - (rect?.top ?? 0) - y) / zoom };
    },
    [areaRef, now],
  );
  /** Moves on; `settle` ends it. */
  const panTo = useCallback((x: number, y: number) => put({ ...now(), x, y }), [now, put]);
  /** Brings a table into the middle, large enough to be read. */
  const show = useCallback(
    (box: Box) => {
      const rect = areaRef.current?.getBoundingClientRect();
      if (!rect) return;
      const zoom = Math.max(now().zoom, READ);
      put({ zoom, x: rect.width / 2 - box.x * zoom, y: rect.height / 2 - box.y * zoom });
      settle();
    },
    [areaRef, now, put, settle],
  );
  const drawnAnew = useCallback(() => {
    put(now());
    settle();
  }, [put, now, settle]);
  /** Brings a place of the plane into the middle. */
  const lookAt = useCallback(
    (x: number, y: number) => {
      const rect = areaRef.current?.getBoundingClientRect();
      if (!rect) return;
      put({ ...now(), x: rect.width / 2 - x * now().zoom, y: rect.height / 2 - y * now().zoom });
      settle();
    },
    [areaRef, now, put, settle],
  );
  /** Holds a pointer to the plane until it is let go. */
  const capture = useCallback((pointer: number) => areaRef.current?.setPointerCapture(pointer), [areaRef]);
  const zoomStep = useCallback(
    (factor: number) => {
      zoomBy(factor);
      settle();
    },
    [zoomBy, settle],
  );
  return { area: areaRef, plane, now, percent, fit, zoomStep, toPlane, panTo, settle, show, lookAt, drawnAnew, capture };
}

/** How the plane is moved, without what it is drawn on. */
export type Plane = Omit<ReturnType<typeof usePlane>, 'area' | 'plane' | 'percent'>;
