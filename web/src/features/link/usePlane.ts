// Pan and zoom of the star's plane, written straight to its style.
import { useCallback, useEffect, useRef, useState } from 'react';
import type { Box } from './geometry';

const LEAST = 0.12;
const READABLE = 0.52;
const MOST = 2.5;

export function usePlane(boxes: Map<string, Box>, key: string) {
  const area = useRef<HTMLDivElement>(null);
  const plane = useRef<HTMLDivElement>(null);
  const view = useRef({ x: 0, y: 0, zoom: 1 });
  const [percent, setPercent] = useState(100);

  const apply = useCallback(() => {
    const { x, y, zoom } = view.current;
    if (!plane.current) return;
    // Until the movement is over the layer is moved as it was drawn, not drawn again.
    plane.current.style.willChange = 'transform';
    plane.current.style.transform = `translate(${x}px, ${y}px) scale(${zoom})`;
  }, []);
  /** Once a movement is over: targets stay large enough to be hit however small the cards are drawn. */
  const settle = useCallback(() => {
    if (plane.current) plane.current.style.willChange = '';
    plane.current?.classList.toggle('far', view.current.zoom < 0.6);
    plane.current?.style.setProperty('--target', `${Math.max(24, 25 / view.current.zoom)}px`);
    setPercent(Math.round(view.current.zoom * 100));
  }, []);
  /** All of it, or by itself as much as can still be read, around its middle. */
  const fitTo = useCallback(
    (least: number) => {
      const rect = area.current?.getBoundingClientRect();
      if (!rect || boxes.size === 0) return;
      const all = [...boxes.values()];
      const left = Math.min(...all.map((b) => b.x - b.width / 2));
      const right = Math.max(...all.map((b) => b.x + b.width / 2));
      const top = Math.min(...all.map((b) => b.y - b.height / 2));
      const bottom = Math.max(...all.map((b) => b.y + b.height / 2));
      const head = (area.current?.querySelector<HTMLElement>('.star-head')?.offsetHeight ?? 40) + 10;
      const height = Math.max(rect.height - head - 60, 60);
      const zoom = Math.max(least, Math.min(1.15, (rect.width - 32) / (right - left), height / (bottom - top)));
      // What does not fit is cut around the fact, which stands at 0, 0.
      const across = zoom * (right - left) > rect.width ? 0 : (left + right) / 2;
      const down = zoom * (bottom - top) > height + 1 ? 0 : (top + bottom) / 2;
      view.current = { zoom, x: rect.width / 2 - zoom * across, y: head + height / 2 - zoom * down };
      apply();
      settle();
    },
    [boxes, apply, settle],
  );
  const fit = useCallback(() => fitTo(LEAST), [fitTo]);
  const fitRead = useCallback(() => fitTo(READABLE), [fitTo]);
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
  }, []);

  const zoomBy = useCallback(
    (factor: number, at?: { x: number; y: number }) => {
      const rect = area.current?.getBoundingClientRect();
      if (!rect) return;
      const old = view.current;
      const zoom = Math.max(LEAST, Math.min(MOST, old.zoom * factor));
      const cx = at ? at.x - rect.left : rect.width / 2;
      const cy = at ? at.y - rect.top : rect.height / 2;
      view.current = { zoom, x: cx - ((cx - old.x) * zoom) / old.zoom, y: cy - ((cy - old.y) * zoom) / old.zoom };
      apply();
    },
    [apply],
  );
  useEffect(() => {
    const watched = area.current;
    if (!watched) return;
    let timer = 0;
    const onWheel = (event: WheelEvent) => {
      if ((event.target as HTMLElement).closest('.keys')) return;
      event.preventDefault();
      zoomBy(event.deltaY < 0 ? 1.1 : 1 / 1.1, { x: event.clientX, y: event.clientY });
      window.clearTimeout(timer);
      timer = window.setTimeout(settle, 160);
    };
    watched.addEventListener('wheel', onWheel, { passive: false });
    return () => {
      watched.removeEventListener('wheel', onWheel);
      window.clearTimeout(timer);
    };
  }, [zoomBy, settle]);

  const toPlane = useCallback((event: { clientX: number; clientY: number }) => {
    const rect = area.current?.getBoundingClientRect();
    const { x, y, zoom } = view.current;
    return { x: (event.clientX - (rect?.left ?? 0) - x) / zoom, y: (event.clientY - (rect?.top ?? 0) - y) / zoom };
  }, []);
  /** Moves on; `settle` ends it. */
  const panTo = useCallback(
    (x: number, y: number) => {
      view.current = { ...view.current, x, y };
      apply();
    },
    [apply],
  );
  /** Brings a table into the middle, large enough to be read. */
  const show = useCallback(
    (box: Box) => {
      const rect = area.current?.getBoundingClientRect();
      if (!rect) return;
      const zoom = Math.max(view.current.zoom, 0.9);
      view.current = { zoom, x: rect.width / 2 - box.x * zoom, y: rect.height / 2 - box.y * zoom };
      apply();
      settle();
    },
    [apply, settle],
  );
  const zoomStep = useCallback(
    (factor: number) => {
      zoomBy(factor);
      settle();
    },
    [zoomBy, settle],
  );
  const now = useCallback(() => view.current, []);
  return { area, plane, now, percent, fit, zoomStep, toPlane, panTo, settle, show };
}
