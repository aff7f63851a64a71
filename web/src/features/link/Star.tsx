// The star: HTML cards over an SVG layer of links. Places come from the server and stay; cards and links are memoised.
import { useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import type { HeldScan, ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions, useShown } from '../../app/shown';
import { RoleMark } from '../../marks/Marks';
import { count, quotedName } from '../../shared/format';
import { tableIn } from './CellPanel';
import { askNew, askRemove } from './edits';
import { between, offsets, type Box } from './geometry';
import { heldOf, useHeldScan } from './heldState';
import { useLit } from './reachState';
import { placesKey, useStarLayout } from './requests';
import { StarCard, keyOf } from './StarCard';
import { StarHead } from './StarHead';
import { StarLink } from './StarLink';
import { usePlane } from './usePlane';

type Drag =
  | { kind: 'pan'; x: number; y: number; startX: number; startY: number }
  | { kind: 'card'; name: string; dx: number; dy: number; startX: number; startY: number }
  | { kind: 'key'; keys: string[]; startX: number; startY: number }
  | { kind: 'link'; name: string; startX: number; startY: number };

interface Pulling {
  from: string;
  x: number;
  y: number;
  to: string | null;
  over: string | null;
}

const CLICK = 4;
const NO_BOXES = new Map<string, Box>();

export function Star({ model, fact, tells }: { model: ModelDocument; fact: string; tells: string }) {
  const shelfRef = useRef<HTMLDivElement>(null);
  const drag = useRef<Drag | null>(null);
  const [moved, setMoved] = useState<{ name: string; x: number; y: number } | null>(null);
  const [pulling, setPulling] = useState<Pulling | null>(null);
  const [overShelf, setOverShelf] = useState(false);
  const [open, setOpen] = useState<Set<string>>(new Set());
  const [picked, setPicked] = useState<string[]>([]);
  const pickedNow = useRef(picked);
  useEffect(() => {
    pickedNow.current = picked;
  }, [picked]);
  const [tidied, setTidied] = useState(0);
  const selection = useShown((s) => s.selection);
  const second = useShown((s) => s.beside);
  const beside = second && second !== fact && model.tables.some((t) => t.name === second) ? second : null;
  const { select, hover } = actions;
  const { edit } = useEdits(model);
  const places = useStarLayout(model, fact, beside, tells, tidied).data;
  const placed = useMemo(() => (places ? new Map<string, Box>(Object.entries(places.boxes)) : NO_BOXES), [places]);
  const key = places?.key ?? fact;
  const { area, plane, now: view, percent, fit, zoomStep, toPlane, panTo, settle, show } = usePlane(placed, `${key} ${tidied}`);
  const boxes = useMemo(() => {
    const box = moved && placed.get(moved.name);
    return box ? new Map(placed).set(moved.name, { ...box, x: moved.x, y: moved.y }) : placed;
  }, [placed, moved]);
  const asides = useMemo(() => offsets(model.links), [model.links]);
  const linksOf = useMemo(
    () => new Map(model.tables.map((t) => [t.name, model.links.filter((k) => k.from_table === t.name || k.to_table === t.name)])),
    [model],
  );
  const lit = useLit(model);
  const held = useHeldScan(model, fact);
  const scan: HeldScan | null = held.scan;

  const grab = useCallback(
    (event: PointerEvent, now: Drag) => {
      event.stopPropagation();
      if (event.button !== 0) return;
      drag.current = now;
      area.current?.setPointerCapture(event.pointerId);
    },
    [area],
  );
  const grabPlane = (event: PointerEvent) =>
    grab(event, { kind: 'pan', x: view().x, y: view().y, startX: event.clientX, startY: event.clientY });
  const grabCard = useCallback(
    (event: PointerEvent, name: string) => {
      const rect = (event.currentTarget as HTMLElement).getBoundingClientRect();
      const { zoom } = view();
      const box = placed.get(name);
      const height = (box?.height ?? 52) * zoom;
      grab(event, {
        kind: 'card',
        name,
        startX: event.clientX,
        startY: event.clientY,
        dx: (event.clientX - (rect.left + rect.width / 2)) / zoom,
        dy: (event.clientY - (rect.top + height / 2)) / zoom,
      });
    },
    [grab, placed, view],
  );
  const pick = useCallback(
    (column: string) =>
      setPicked((old) => {
        if (old.includes(column)) return old.filter((k) => k !== column);
        return [...old.filter((k) => tableIn(k) === tableIn(column)), column];
      }),
    [],
  );
  const grabKey = useCallback(
    (event: PointerEvent, column: string) => {
      if (event.shiftKey) {
        event.stopPropagation();
        pick(column);
        return;
      }
      const together = pickedNow.current;
      grab(event, { kind: 'key', keys: together.includes(column) ? together : [column], startX: event.clientX, startY: event.clientY });
    },
    [grab, pick],
  );
  const grabLink = useCallback(
    (event: PointerEvent, name: string) => grab(event, { kind: 'link', name, startX: event.clientX, startY: event.clientY }),
    [grab],
  );
  const under = (event: PointerEvent) => document.elementsFromPoint(event.clientX, event.clientY) as HTMLElement[];
  const far = (event: PointerEvent, from: { startX: number; startY: number }) =>
    Math.hypot(event.clientX - from.startX, event.clientY - from.startY) >= CLICK;

  const move = (event: PointerEvent) => {
    const now = drag.current;
    if (!now) return;
    if (now.kind === 'pan') {
      panTo(now.x + event.clientX - now.startX, now.y + event.clientY - now.startY);
    } else if (now.kind === 'card') {
      if (!moved && !far(event, now)) return;
      const at = toPlane(event);
      setMoved({ name: now.name, x: at.x - now.dx, y: at.y - now.dy });
    } else if (far(event, now) || pulling) {
      const found = under(event);
      const source = now.kind === 'key' ? tableIn(now.keys[0] ?? '') : '';
      const over = found.map((e) => e.closest?.<HTMLElement>('[data-table]')?.dataset.table).find(Boolean) ?? null;
      const target = found.map((e) => e.dataset?.key).find(Boolean) ?? null;
      setPulling({
        from: now.kind === 'key' ? source : `link ${now.name}`,
        ...toPlane(event),
        to: target && tableIn(target) !== source ? target : null,
        over: over === source ? null : over,
      });
      setOverShelf(now.kind === 'link' && found.includes(shelfRef.current as HTMLElement));
    }
  };
  const drop = (event: PointerEvent) => {
    const now = drag.current;
    drag.current = null;
    if (now?.kind === 'pan') settle();
    if (now?.kind === 'card') {
      if (moved)
        void edit({ kind: 'place_tables', places: { [`${key}/${now.name}`]: { x: Math.round(moved.x), y: Math.round(moved.y) } } }).then(
          () => setMoved(null),
        );
      else select({ kind: 'table', name: now.name });
    } else if (now?.kind === 'key') {
      if (!pulling) {
        const [table = '', column = ''] = [
          tableIn(now.keys[0] ?? ''),
          model.tables
            .flatMap((t) => t.columns.map((c) => [`${quotedName(t.name)}.${quotedName(c.name)}`, c.name]))
            .find(([k]) => k === now.keys[0])?.[1],
        ];
        select({ kind: 'column', table, name: column });
      } else if (pulling.to ?? pulling.over) {
        askNew(now.keys, partners(model, now.keys, pulling.to, pulling.over ?? ''));
        setPicked([]);
      }
    } else if (now?.kind === 'link') {
      if (pulling && overShelf) askRemove(now.name);
      else if (!pulling) select({ kind: 'link', name: now.name });
    } else if (now?.kind === 'pan' && !far(event, now)) {
      select(null);
    }
    setPulling(null);
    setOverShelf(false);
  };
  const toggle = useCallback(
    (name: string) =>
      setOpen((old) => {
        const next = new Set(old);
        if (!next.delete(name)) next.add(name);
        return next;
      }),
    [],
  );
  const choose = useCallback((name: string) => select({ kind: 'table', name }), [select]);
  const chooseColumn = useCallback((table: string, name: string) => select({ kind: 'column', table, name }), [select]);
  const chooseLink = useCallback((name: string) => select({ kind: 'link', name }), [select]);
  const linkFrom = useCallback((from: string[]) => askNew(from, []), []);
  const nudge = useCallback(
    (name: string, dx: number, dy: number) => {
      const box = placed.get(name);
      if (box)
        void edit({ kind: 'place_tables', places: { [`${key}/${name}`]: { x: Math.round(box.x + dx), y: Math.round(box.y + dy) } } });
    },
    [placed, key, edit],
  );
  const pulled = Object.keys(model.places).filter((place) => place.startsWith(`${key}/`));
  const tidy = () => {
    localStorage.removeItem(placesKey(model, key));
    setTidied(tidied + 1);
    if (pulled.length) void edit({ kind: 'place_tables', places: Object.fromEntries(pulled.map((k) => [k, null])) });
  };
  const jump = (text: string) => {
    const table =
      model.tables.find((t) => t.name.toLowerCase() === text.toLowerCase()) ??
      model.tables.find((t) => t.columns.some((c) => `${t.name}.${c.name}`.toLowerCase() === text.toLowerCase()));
    const box = table && boxes.get(table.name);
    if (!table) return false;
    const column = table.columns.find((c) => `${table.name}.${c.name}`.toLowerCase() === text.toLowerCase());
    if (column) setOpen((old) => new Set(old).add(table.name));
    select(column ? { kind: 'column', table: table.name, name: column.name } : { kind: 'table', name: table.name });
    if (box) show(box);
    return true;
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.target !== event.currentTarget) return;
    const steps: Record<string, [number, number]> = { ArrowUp: [0, 60], ArrowDown: [0, -60], ArrowLeft: [60, 0], ArrowRight: [-60, 0] };
    const step = steps[event.key];
    if (step) {
      panTo(view().x + step[0], view().y + step[1]);
      settle();
    } else if (event.key === '+') zoomStep(1.2);
    else if (event.key === '-') zoomStep(1 / 1.2);
    else if (event.key === '0') fit();
    else if (event.key.toLowerCase() === 'l') askNew();
    else return;
    event.preventDefault();
    event.stopPropagation();
  };

  const chosenTable = selection?.kind === 'table' ? selection.name : selection?.kind === 'column' ? selection.table : null;
  const chosenLink = selection?.kind === 'link' ? selection.name : null;
  const inMiddle = useMemo(() => new Set([fact, ...(beside ? [beside] : [])]), [fact, beside]);
  const near = useMemo(
    () =>
      new Set([
        ...inMiddle,
        ...model.links.filter((k) => inMiddle.has(k.from_table) || inMiddle.has(k.to_table)).flatMap((k) => [k.from_table, k.to_table]),
      ]),
    [inMiddle, model.links],
  );
  const facts = useMemo(() => new Set(model.matrix.facts), [model.matrix.facts]);
  const isPale = (name: string) => !inMiddle.has(name) && facts.has(name);
  const runs = scan && !lit.source ? scan.runs : lit.runs;
  return (
    // The plane answers to the pointer; everything on it can be reached with the keyboard by itself.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
    <div
      ref={area}
      className="star"
      data-region
      onPointerDown={grabPlane}
      onPointerMove={move}
      onPointerUp={drop}
      onPointerCancel={drop}
      onKeyDown={onKey}
      tabIndex={0}
      role="group"
      aria-label={`The star of ${key}`}
    >
      <StarHead
        model={model}
        fact={fact}
        beside={beside}
        percent={percent}
        onZoom={zoomStep}
        onFit={fit}
        onTidy={tidy}
        onJump={jump}
        held={held}
      />
      <div ref={plane} className="star-plane">
        <svg width="1" height="1" aria-label="Links">
          {model.links.map((link) => {
            const a = boxes.get(link.from_table);
            const b = boxes.get(link.to_table);
            if (!a || !b || link.from_table === link.to_table) return null;
            const line = between(a, b, asides.get(link.name) ?? 0);
            const state = heldOf(link, scan);
            return (
              <StarLink
                key={link.name}
                link={link}
                {...line}
                way={state.way}
                held={state.words}
                runsTo={runs.find((r) => r.link === link.name)?.to ?? null}
                stopsFrom={lit.stops.find((s) => s.link === link.name)?.from ?? null}
                pale={!near.has(link.from_table) || isPale(link.from_table)}
                chosen={chosenLink === link.name}
                aside={asides.get(link.name) ?? 0}
                onSelect={chooseLink}
                onRemove={askRemove}
                onGrab={grabLink}
              />
            );
          })}
          {scan?.added.map((flow) => (
            <Added key={flow.text} a={boxes.get(flow.from)} b={boxes.get(flow.to)} text={flow.text} />
          ))}
          {pulling && <Pulled pulling={pulling} boxes={boxes} />}
        </svg>
        {model.tables.map((table) => {
          const box = boxes.get(table.name);
          if (!box) return null;
          const name = table.name;
          const classes = [
            inMiddle.has(name) ? 'fact' : '',
            isPale(name) ? 'pale' : '',
            lit.source === name || (!lit.source && scan?.grain === name) ? 'source' : '',
            lit.reached.has(name) || (!lit.source && scan?.runs.some((r) => r.from === name)) ? 'reached' : '',
            lit.blocked.has(name) ? 'blocked' : '',
            chosenTable === name ? 'chosen' : '',
          ]
            .filter(Boolean)
            .join(' ');
          return (
            <StarCard
              key={name}
              table={table}
              links={linksOf.get(name) ?? []}
              box={box}
              classes={classes}
              open={open.has(name) || pulling?.over === name}
              target={pulling?.to ?? null}
              picked={picked.filter((k) => tableIn(k) === name).join('\n')}
              marks={held.marks.get(name) ?? ''}
              onGrab={grabCard}
              onKey={grabKey}
              onPick={pick}
              onColumn={chooseColumn}
              onLink={linkFrom}
              onNudge={nudge}
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
            <Shelf model={model} words="Linked to nothing" names={(places?.shelf ?? []).filter((n) => !linked(model, n))} choose={choose} />
            <Shelf
              model={model}
              words="Not around this fact"
              names={(places?.shelf ?? []).filter((n) => linked(model, n))}
              choose={choose}
            />
            {places?.shelf.length === 0 && <span>Every table has its place. Drag a link here to remove it.</span>}
          </>
        )}
      </div>
    </div>
  );
}

const linked = (model: ModelDocument, name: string) => model.links.some((k) => k.from_table === name || k.to_table === name);

/** Tables that have no place in the star, as buttons behind a word that says why. */
function Shelf({ model, words, names, choose }: { model: ModelDocument; words: string; names: string[]; choose: (name: string) => void }) {
  if (names.length === 0) return null;
  return (
    <>
      <span style={{ flex: 'none' }}>{words}</span>
      {names.map((name) => {
        const table = model.tables.find((t) => t.name === name);
        return (
          <button
            key={name}
            type="button"
            className="plain"
            data-table={name}
            onPointerDown={(e) => e.stopPropagation()}
            onClick={() => choose(name)}
          >
            <RoleMark role={table?.role ?? 'disconnected'} /> <b>{name}</b> {count(table?.rows ?? 0)}
          </button>
        );
      })}
    </>
  );
}

/** The other side of a dragged key: the column it was dropped on; of several, columns of the same names. */
function partners(model: ModelDocument, keys: string[], to: string | null, over: string): string[] {
  const table = model.tables.find((t) => t.name === (to ? tableIn(to) : over));
  if (!table) return [];
  const names = new Map(table.columns.map((c) => [c.name.toLowerCase(), keyOf(table.name, c.name)]));
  const alike = keys.map((k) => names.get((k.split('.').at(-1) ?? '').replaceAll('"', '').toLowerCase()));
  if (to) return keys.length === 1 ? [to] : alike.every(Boolean) ? (alike as string[]) : [to];
  return alike.every(Boolean) ? (alike as string[]) : [`${quotedName(table.name)}.`];
}

/** The line that follows the pointer while a link is dragged. */
function Pulled({ pulling, boxes }: { pulling: Pulling; boxes: Map<string, Box> }) {
  const box = boxes.get(pulling.from);
  if (!box) return <circle cx={pulling.x} cy={pulling.y} r="7" className="mark-faint" />;
  return (
    <path d={`M${box.x} ${box.y}L${pulling.x} ${pulling.y}`} stroke="var(--signal)" strokeWidth="2" strokeDasharray="6 4" fill="none" />
  );
}

/** A flow that a `match` of the held formula puts there for itself. */
function Added({ a, b, text }: { a: Box | undefined; b: Box | undefined; text: string }) {
  if (!a || !b) return null;
  const { ax, ay, bx, by } = between(b, a, 0);
  return (
    <g className="star-link runs held">
      <title>{text}</title>
      <path className="line" d={`M${bx} ${by}L${ax} ${ay}`} />
      <text x={(ax + bx) / 2 + 8} y={(ay + by) / 2}>
        carried: {text}
      </text>
    </g>
  );
}
