// The star: HTML cards over an SVG layer of links. Pan and zoom are written straight to the style; cards are memoised.
import { memo, useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState, type PointerEvent } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions, useShown } from '../../app/shown';
import { RoleMark } from '../../marks/Marks';
import { count } from '../../shared/format';
import { between, layout, offsets, type Box } from './layout';
import { StarLink } from './StarLink';

type Drag =
  | { kind: 'pan'; x: number; y: number; startX: number; startY: number }
  | { kind: 'card'; name: string; dx: number; dy: number; startX: number; startY: number }
  | { kind: 'key'; key: string; x: number; y: number }
  | { kind: 'link'; name: string; startX: number; startY: number };

const CLICK = 4;

interface CardProps {
  table: TableInfo;
  box: Box;
  classes: string;
  keys: boolean;
  target: string | null;
  onGrab: (event: PointerEvent, name: string) => void;
  onKey: (event: PointerEvent, key: string) => void;
  onHover: (name: string | null) => void;
  onToggle: (name: string) => void;
  onSelect: (name: string) => void;
}

const StarCard = memo(function StarCard({ table, box, classes, keys, target, onGrab, onKey, onHover, onToggle, onSelect }: CardProps) {
  return (
    <div
      className={`star-card ${classes}`}
      style={{ left: box.x - box.width / 2, top: box.y - box.height / 2, width: box.width, minHeight: box.height, zIndex: keys ? 3 : 2 }}
      data-table={table.name}
      role="group"
      aria-label={`${table.name}, ${table.role}, ${count(table.rows)} rows`}
      onPointerDown={(e) => onGrab(e, table.name)}
      onMouseEnter={() => onHover(table.name)}
      onMouseLeave={() => onHover(null)}
    >
      <span className="name">
        <RoleMark role={table.role} />
        {/* The pointer is the card's; this is for the keyboard. */}
        <button
          type="button"
          className="plain"
          onFocus={() => onHover(table.name)}
          onBlur={() => onHover(null)}
          onClick={(e) => e.detail === 0 && onSelect(table.name)}
        >
          {table.name}
        </button>
        <button
          type="button"
          className="plain quiet"
          style={{ marginLeft: 'auto' }}
          aria-expanded={keys}
          aria-label={`Columns of ${table.name}, to drag a link from`}
          title="Columns, to drag a link from"
          onPointerDown={(e) => e.stopPropagation()}
          onClick={() => onToggle(table.name)}
        >
          {keys ? '▴' : '▾'}
        </button>
      </span>
      <small>{count(table.rows)} {table.role === 'calendar' ? 'days' : 'rows'}</small>
      {keys && (
        <div className="keys">
          {table.columns.map((c) => {
            const key = `${table.name}.${c.name}`;
            return (
              <span key={c.name} className={key === target ? 'key target' : 'key'} data-key={key} onPointerDown={(e) => onKey(e, key)}>
                {c.name}
              </span>
            );
          })}
        </div>
      )}
    </div>
  );
});

export function Star({ model, fact }: { model: ModelDocument; fact: string }) {
  const area = useRef<HTMLDivElement>(null);
  const plane = useRef<HTMLDivElement>(null);
  const shelfRef = useRef<HTMLDivElement>(null);
  const view = useRef({ x: 0, y: 0, zoom: 1 });
  const drag = useRef<Drag | null>(null);
  const [percent, setPercent] = useState(100);
  const [moved, setMoved] = useState<{ name: string; x: number; y: number } | null>(null);
  const [pulling, setPulling] = useState<{ from: string; x: number; y: number; to: string | null } | null>(null);
  const [overShelf, setOverShelf] = useState(false);
  const [open, setOpen] = useState<Set<string>>(new Set());
  const hovered = useShown((s) => s.hovered);
  const selection = useShown((s) => s.selection);
  const { select, hover, set } = actions;
  const { edit } = useEdits(model);
  const placed = useMemo(() => layout(model, fact), [model, fact]);
  const boxes = useMemo(() => {
    if (!moved) return placed.boxes;
    const copy = new Map(placed.boxes);
    const box = copy.get(moved.name);
    if (box) copy.set(moved.name, { ...box, x: moved.x, y: moved.y });
    return copy;
  }, [placed, moved]);
  const asides = useMemo(() => offsets(model.links), [model.links]);

  const apply = useCallback(() => {
    const { x, y, zoom } = view.current;
    if (!plane.current) return;
    plane.current.style.transform = `translate(${x}px, ${y}px) scale(${zoom})`;
    // Targets stay large enough to be hit however small the cards are drawn.
    plane.current.style.setProperty('--target', `${Math.max(24, 24 / zoom)}px`);
  }, []);
  const fit = useCallback(() => {
    const rect = area.current?.getBoundingClientRect();
    if (!rect) return;
    const all = [...placed.boxes.values()];
    const left = Math.min(...all.map((b) => b.x - b.width / 2));
    const right = Math.max(...all.map((b) => b.x + b.width / 2));
    const top = Math.min(...all.map((b) => b.y - b.height / 2));
    const bottom = Math.max(...all.map((b) => b.y + b.height / 2));
    const height = rect.height - 136;
    const zoom = Math.min(1.15, (rect.width - 32) / (right - left), height / (bottom - top));
    view.current = { zoom, x: rect.width / 2 - (zoom * (left + right)) / 2, y: 50 + height / 2 - (zoom * (top + bottom)) / 2 };
    setPercent(Math.round(zoom * 100));
    apply();
  }, [placed, apply]);
  const fitted = useRef('');
  useLayoutEffect(() => {
    const key = `${fact} ${[...placed.boxes.keys()].join()}`;
    if (fitted.current !== key) fit();
    fitted.current = key;
  }, [fact, placed, fit]);
  useEffect(() => {
    const watched = area.current;
    if (!watched) return;
    const observer = new ResizeObserver(() => fit());
    observer.observe(watched);
    return () => observer.disconnect();
  }, [fit]);

  const zoomBy = useCallback(
    (factor: number, at?: { x: number; y: number }) => {
      const rect = area.current?.getBoundingClientRect();
      if (!rect) return;
      const old = view.current;
      const zoom = Math.max(0.25, Math.min(2.5, old.zoom * factor));
      const cx = at ? at.x - rect.left : rect.width / 2;
      const cy = at ? at.y - rect.top : rect.height / 2;
      view.current = { zoom, x: cx - ((cx - old.x) * zoom) / old.zoom, y: cy - ((cy - old.y) * zoom) / old.zoom };
      setPercent(Math.round(zoom * 100));
      apply();
    },
    [apply],
  );
  useEffect(() => {
    const watched = area.current;
    if (!watched) return;
    const onWheel = (event: WheelEvent) => {
      if ((event.target as HTMLElement).closest('.keys')) return;
      event.preventDefault();
      zoomBy(event.deltaY < 0 ? 1.1 : 1 / 1.1, { x: event.clientX, y: event.clientY });
    };
    watched.addEventListener('wheel', onWheel, { passive: false });
    return () => watched.removeEventListener('wheel', onWheel);
  }, [zoomBy]);

  const toPlane = (event: { clientX: number; clientY: number }) => {
    const rect = area.current?.getBoundingClientRect();
    const { x, y, zoom } = view.current;
    return { x: (event.clientX - (rect?.left ?? 0) - x) / zoom, y: (event.clientY - (rect?.top ?? 0) - y) / zoom };
  };
  const grabPlane = (event: PointerEvent) => {
    if (event.button !== 0) return;
    drag.current = { kind: 'pan', x: view.current.x, y: view.current.y, startX: event.clientX, startY: event.clientY };
    area.current?.setPointerCapture(event.pointerId);
  };
  const grabCard = useCallback((event: PointerEvent, name: string) => {
    event.stopPropagation();
    if (event.button !== 0) return;
    const rect = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const { zoom } = view.current;
    drag.current = {
      kind: 'card', name, startX: event.clientX, startY: event.clientY,
      dx: (event.clientX - (rect.left + rect.width / 2)) / zoom, dy: (event.clientY - (rect.top + rect.height / 2)) / zoom,
    };
    area.current?.setPointerCapture(event.pointerId);
  }, []);
  const grabKey = useCallback((event: PointerEvent, key: string) => {
    event.stopPropagation();
    drag.current = { kind: 'key', key, x: event.clientX, y: event.clientY };
    area.current?.setPointerCapture(event.pointerId);
  }, []);
  const grabLink = useCallback((event: PointerEvent, name: string) => {
    event.stopPropagation();
    drag.current = { kind: 'link', name, startX: event.clientX, startY: event.clientY };
    area.current?.setPointerCapture(event.pointerId);
  }, []);
  const under = (event: PointerEvent) => document.elementsFromPoint(event.clientX, event.clientY);
  const keyUnder = (event: PointerEvent) => under(event).map((e) => (e as HTMLElement).dataset?.key).find(Boolean) ?? null;
  const shelfUnder = (event: PointerEvent) => under(event).includes(shelfRef.current as Element);

  const move = (event: PointerEvent) => {
    const now = drag.current;
    if (!now) return;
    if (now.kind === 'pan') {
      view.current = { ...view.current, x: now.x + event.clientX - now.startX, y: now.y + event.clientY - now.startY };
      apply();
    } else if (now.kind === 'card') {
      if (!moved && Math.hypot(event.clientX - now.startX, event.clientY - now.startY) < CLICK) return;
      const at = toPlane(event);
      setMoved({ name: now.name, x: at.x - now.dx, y: at.y - now.dy });
    } else if (now.kind === 'key') {
      const target = keyUnder(event);
      setPulling({ from: now.key, ...toPlane(event), to: target && target.split('.')[0] !== now.key.split('.')[0] ? target : null });
    } else if (Math.hypot(event.clientX - now.startX, event.clientY - now.startY) >= CLICK) {
      setPulling({ from: `link ${now.name}`, ...toPlane(event), to: null });
      setOverShelf(shelfUnder(event));
    }
  };
  const drop = (event: PointerEvent) => {
    const now = drag.current;
    drag.current = null;
    if (now?.kind === 'card') {
      if (moved) void edit({ kind: 'place_tables', places: { [`${fact}/${now.name}`]: { x: Math.round(moved.x), y: Math.round(moved.y) } } }).then(() => setMoved(null));
      else select({ kind: 'table', name: now.name });
    } else if (now?.kind === 'key') {
      if (pulling?.to) set({ linkSheet: { from: now.key, to: pulling.to } });
    } else if (now?.kind === 'link') {
      if (pulling && shelfUnder(event)) {
        void edit({ kind: 'remove_link', name: now.name });
        select(null);
      } else if (!pulling) select({ kind: 'link', name: now.name });
    } else if (now?.kind === 'pan' && Math.hypot(event.clientX - now.startX, event.clientY - now.startY) < CLICK) {
      select(null);
    }
    setPulling(null);
    setOverShelf(false);
  };
  const toggle = useCallback((name: string) => setOpen((old) => {
    const next = new Set(old);
    if (!next.delete(name)) next.add(name);
    return next;
  }), []);
  const choose = useCallback((name: string) => select({ kind: 'table', name }), [select]);
  const chooseLink = useCallback((name: string) => select({ kind: 'link', name }), [select]);

  const current = model.currents.find((c) => c.table === hovered);
  const reached = new Set(current?.runs.map((r) => r.to));
  const chosenTable = selection?.kind === 'table' ? selection.name : null;
  const chosenLink = selection?.kind === 'link' ? selection.name : null;
  const near = new Set([fact, ...model.links.filter((k) => k.from_table === fact || k.to_table === fact).flatMap((k) => [k.from_table, k.to_table])]);
  const isPale = (name: string) => name !== fact && model.matrix.facts.includes(name);
  const tidied = Object.keys(model.places).filter((key) => key.startsWith(`${fact}/`));
  return (
    // The plane answers to the pointer; everything on it can be reached with the keyboard by itself.
    <div ref={area} className="star" onPointerDown={grabPlane} onPointerMove={move} onPointerUp={drop} onPointerCancel={drop} role="group" aria-label={`The star of ${fact}`}>
      <div className="star-head">
        <h2>The star of {fact}</h2>
        <span className="row quiet" onPointerDown={(e) => e.stopPropagation()} role="group" aria-label="View">
          <button type="button" className="plain" aria-label="Smaller" onClick={() => zoomBy(1 / 1.2)}>−</button>
          {percent} %
          <button type="button" className="plain" aria-label="Larger" onClick={() => zoomBy(1.2)}>+</button>
          <button type="button" className="plain" onClick={fit}><u>fit</u></button>
          {tidied.length > 0 && (
            <button type="button" className="plain" onClick={() => void edit({ kind: 'place_tables', places: Object.fromEntries(tidied.map((k) => [k, null])) })}>
              <u>tidy</u>
            </button>
          )}
        </span>
      </div>
      <div ref={plane} className="star-plane">
        <svg width="1" height="1" aria-label="Links">
          {model.links.map((link) => {
            const a = boxes.get(link.from_table);
            const b = boxes.get(link.to_table);
            if (!a || !b || link.from_table === link.to_table) return null;
            const run = current?.runs.find((r) => r.link === link.name);
            const stop = current?.stops.find((s) => s.link === link.name);
            return (
              <StarLink
                key={link.name}
                link={link}
                line={between(a, b, asides.get(link.name) ?? 0)}
                runsTo={run?.to ?? null}
                stopsFrom={stop?.from ?? null}
                pale={!near.has(link.from_table) || isPale(link.from_table)}
                chosen={chosenLink === link.name}
                aside={asides.get(link.name) ?? 0}
                onSelect={chooseLink}
                onGrab={grabLink}
              />
            );
          })}
          {pulling && <Pulled pulling={pulling} boxes={boxes} />}
        </svg>
        {model.tables.map((table) => {
          const box = boxes.get(table.name);
          if (!box) return null;
          const classes = [
            table.name === fact ? 'fact' : '', isPale(table.name) ? 'pale' : '', hovered === table.name ? 'source' : '',
            reached.has(table.name) ? 'reached' : '', chosenTable === table.name ? 'chosen' : '',
          ].filter(Boolean).join(' ');
          return (
            <StarCard
              key={table.name}
              table={table}
              box={box}
              classes={classes}
              keys={open.has(table.name) || (pulling !== null && !pulling.from.startsWith('link '))}
              target={pulling?.to ?? null}
              onGrab={grabCard}
              onKey={grabKey}
              onHover={hover}
              onToggle={toggle}
              onSelect={choose}
            />
          );
        })}
      </div>
      <div ref={shelfRef} className={overShelf ? 'shelf over' : 'shelf'} data-shelf>
        {pulling?.from.startsWith('link ') ? (
          `Drop here to remove ${pulling.from}`
        ) : (
          <>
            <span style={{ flex: 'none' }}>Linked to nothing</span>
            {placed.shelf.length === 0 && <span>no table. Drag a link here to remove it.</span>}
            {placed.shelf.map((name) => (
              <button key={name} type="button" className="plain" onPointerDown={(e) => e.stopPropagation()} onClick={() => choose(name)}>
                <RoleMark role="disconnected" /> <b>{name}</b> {count(model.tables.find((t) => t.name === name)?.rows ?? 0)}
              </button>
            ))}
          </>
        )}
      </div>
    </div>
  );
}

/** The line that follows the pointer while a link is dragged. */
function Pulled({ pulling, boxes }: { pulling: { from: string; x: number; y: number }; boxes: Map<string, Box> }) {
  const box = boxes.get(pulling.from.split('.')[0] ?? '');
  if (!box) return <circle cx={pulling.x} cy={pulling.y} r="7" className="mark-faint" />;
  return <path d={`M${box.x} ${box.y}L${pulling.x} ${pulling.y}`} stroke="var(--signal)" strokeWidth="2" strokeDasharray="6 4" fill="none" />;
}
