// What is dragged on the star's plane: the plane itself, a card, a key towards its other side, a link off the star.
import { useCallback, useEffect, useRef, useState, type PointerEvent, type RefObject } from 'react';
import type { ModelDocument } from '../../api/client';
import type { Edit } from '../../api/queries';
import { actions } from '../../app/shown';
import { quotedName } from '../../shared/format';
import { tableIn } from './CellPanel';
import { askNew, askRemove } from './edits';
import type { Box } from './geometry';
import { keyOf } from './StarCard';
import type { Plane } from './usePlane';

type Start = { startX: number; startY: number };
type Drag = Start &
  (
    | { kind: 'pan'; x: number; y: number }
    | { kind: 'card'; name: string; dx: number; dy: number }
    | { kind: 'key'; keys: string[] }
    | { kind: 'link'; name: string }
  );

/** A link that follows the pointer: the table it comes from (or `link` and its name), the key and the table it is over. */
export interface Pulling {
  from: string;
  x: number;
  y: number;
  to: string | null;
  over: string | null;
}

const CLICK = 4;

const startOf = (event: PointerEvent): Start => ({ startX: event.clientX, startY: event.clientY });

const isFar = (event: PointerEvent, from: Start) => Math.hypot(event.clientX - from.startX, event.clientY - from.startY) >= CLICK;

const under = (event: PointerEvent) => document.elementsFromPoint(event.clientX, event.clientY) as HTMLElement[];

function pullingAt(now: Drag & { kind: 'key' | 'link' }, elements: HTMLElement[], at: { x: number; y: number }): Pulling {
  const source = now.kind === 'key' ? tableIn(now.keys[0] ?? '') : '';
  const over = elements.map((e) => e.closest?.<HTMLElement>('[data-table]')?.dataset.table).find(Boolean) ?? null;
  const target = elements.map((e) => e.dataset?.key).find(Boolean) ?? null;
  return {
    from: now.kind === 'key' ? source : `link ${now.name}`,
    ...at,
    to: target && tableIn(target) !== source ? target : null,
    over: over === source ? null : over,
  };
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

function selectColumn(model: ModelDocument, key: string): void {
  const columns = model.tables.flatMap((t) => t.columns.map((c) => [`${quotedName(t.name)}.${quotedName(c.name)}`, c.name]));
  actions.select({ kind: 'column', table: tableIn(key), name: columns.find(([k]) => k === key)?.[1] ?? '' });
}

/** Columns of one table that are picked to make a key together. */
function usePicked() {
  const [picked, setPicked] = useState<string[]>([]);
  const now = useRef(picked);
  useEffect(() => {
    now.current = picked;
  }, [picked]);
  const pick = useCallback(
    (column: string) =>
      setPicked((old) => {
        if (old.includes(column)) return old.filter((k) => k !== column);
        return [...old.filter((k) => tableIn(k) === tableIn(column)), column];
      }),
    [],
  );
  return { picked, setPicked, pick, now };
}

/** What begins a drag, by what is taken hold of. */
function useGrabs(
  take: (event: PointerEvent, now: Drag) => void,
  view: Plane['now'],
  placed: Map<string, Box>,
  { pick, now: pickedNow }: ReturnType<typeof usePicked>,
) {
  const grab = useCallback(
    (event: PointerEvent, now: Drag) => {
      event.stopPropagation();
      if (event.button === 0) take(event, now);
    },
    [take],
  );
  const grabPlane = (event: PointerEvent) => grab(event, { kind: 'pan', x: view().x, y: view().y, ...startOf(event) });
  const grabCard = useCallback(
    (event: PointerEvent, name: string) => {
      const rect = (event.currentTarget as HTMLElement).getBoundingClientRect();
      const { zoom } = view();
      const height = (placed.get(name)?.height ?? 52) * zoom;
      const dx = (event.clientX - (rect.left + rect.width / 2)) / zoom;
      grab(event, { kind: 'card', name, dx, dy: (event.clientY - (rect.top + height / 2)) / zoom, ...startOf(event) });
    },
    [grab, placed, view],
  );
  const grabKey = useCallback(
    (event: PointerEvent, column: string) => {
      if (event.shiftKey) {
        event.stopPropagation();
        pick(column);
        return;
      }
      const together = pickedNow.current;
      grab(event, { kind: 'key', keys: together.includes(column) ? together : [column], ...startOf(event) });
    },
    [grab, pick, pickedNow],
  );
  const grabLink = useCallback((event: PointerEvent, name: string) => grab(event, { kind: 'link', name, ...startOf(event) }), [grab]);
  return { grabPlane, grabCard, grabKey, grabLink };
}

export interface Moved {
  name: string;
  x: number;
  y: number;
}

/** Where a card was pulled to, as an edit of the model. */
export const placing = (key: string, { name, x, y }: Moved): Edit => ({
  kind: 'place_tables',
  places: { [`${key}/${name}`]: { x: Math.round(x), y: Math.round(y) } },
});

export interface StarDragGiven {
  model: ModelDocument;
  starKey: string;
  plane: Plane;
  placed: Map<string, Box>;
  shelf: RefObject<HTMLElement | null>;
  edit: (edit: Edit) => Promise<unknown>;
}

/** Everything that a pointer does on the plane, and what it shows on the way. */
export function useStarDrag({ model, starKey, plane, placed, shelf, edit }: StarDragGiven) {
  const [moved, setMoved] = useState<Moved | null>(null);
  const [pulling, setPulling] = useState<Pulling | null>(null);
  const [overShelf, setOverShelf] = useState(false);
  const chosen = usePicked();
  const drag = useRef<Drag | null>(null);
  const { capture } = plane;
  const take = useCallback(
    (event: PointerEvent, now: Drag) => {
      drag.current = now;
      capture(event.pointerId);
    },
    [capture],
  );
  const grabs = useGrabs(take, plane.now, placed, chosen);
  const move = (event: PointerEvent) => {
    const now = drag.current;
    if (!now) return;
    if (now.kind === 'pan') plane.panTo(now.x + event.clientX - now.startX, now.y + event.clientY - now.startY);
    else if (now.kind === 'card') {
      if (!moved && !isFar(event, now)) return;
      const at = plane.toPlane(event);
      setMoved({ name: now.name, x: at.x - now.dx, y: at.y - now.dy });
    } else if (isFar(event, now) || pulling) {
      const elements = under(event);
      setPulling(pullingAt(now, elements, plane.toPlane(event)));
      setOverShelf(now.kind === 'link' && elements.includes(shelf.current as HTMLElement));
    }
  };
  const dropKey = (keys: string[]) => {
    if (!pulling) selectColumn(model, keys[0] ?? '');
    else if (pulling.to ?? pulling.over) {
      askNew(keys, partners(model, keys, pulling.to, pulling.over ?? ''));
      chosen.setPicked([]);
    }
  };
  const drop = (event: PointerEvent) => {
    const now = drag.current;
    drag.current = null;
    if (now?.kind === 'pan') {
      plane.settle();
      if (!isFar(event, now)) actions.select(null);
    } else if (now?.kind === 'card') {
      if (moved) void edit(placing(starKey, moved)).then(() => setMoved(null));
      else actions.select({ kind: 'table', name: now.name });
    } else if (now?.kind === 'key') dropKey(now.keys);
    else if (now?.kind === 'link') {
      if (pulling && overShelf) askRemove(now.name);
      else if (!pulling) actions.select({ kind: 'link', name: now.name });
    }
    setPulling(null);
    setOverShelf(false);
  };
  return { moved, pulling, overShelf, picked: chosen.picked, pick: chosen.pick, move, drop, ...grabs };
}
