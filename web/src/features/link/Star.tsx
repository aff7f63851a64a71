// The star: HTML cards over an SVG layer of links. Places come from the server and stay; cards and links are memoised.
import { useCallback, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import type { ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { useFrame } from '../../app/frame';
import { actions } from '../../app/shown';
import { askNew } from './edits';
import type { Box } from './geometry';
import { useHeldScan } from './heldState';
import { useLit } from './reachState';
import { placesKey, useStarLayout } from './requests';
import { StarCards } from './StarCards';
import { useStarDrag } from './starDrag';
import { StarHead } from './StarHead';
import { StarLines } from './StarLines';
import { StarShelf } from './StarShelf';
import { useLink } from './store';
import { usePlane, type Plane } from './usePlane';

const NO_BOXES = new Map<string, Box>();
const STEPS: Record<string, [number, number]> = { ArrowUp: [0, 60], ArrowDown: [0, -60], ArrowLeft: [60, 0], ArrowRight: [-60, 0] };

const selectTable = (name: string) => actions.select({ kind: 'table', name });
const selectLink = (name: string) => actions.select({ kind: 'link', name });

/** Where the tables stand, and back to where the program puts them. */
function usePlaces(model: ModelDocument, fact: string, tells: string) {
  const [tidied, setTidied] = useState(0);
  const second = useLink((s) => s.beside);
  const beside = second && second !== fact && model.tables.some((t) => t.name === second) ? second : null;
  const places = useStarLayout(model, fact, beside, tells, tidied).data;
  const placed = useMemo(() => (places ? new Map<string, Box>(Object.entries(places.boxes)) : NO_BOXES), [places]);
  const key = places?.key ?? fact;
  const { edit } = useEdits(model);
  const tidy = () => {
    localStorage.removeItem(placesKey(model, key));
    setTidied(tidied + 1);
    const pulled = Object.keys(model.places).filter((place) => place.startsWith(`${key}/`));
    if (pulled.length) void edit({ kind: 'place_tables', places: Object.fromEntries(pulled.map((k) => [k, null])) });
  };
  return { beside, placed, key, shelf: places?.shelf, tidied, tidy, edit };
}

/** Which tables stand in the middle, which links touch them, and what is pale: other facts. */
function useMiddle(model: ModelDocument, fact: string, beside: string | null) {
  const inMiddle = useMemo(() => new Set([fact, ...(beside ? [beside] : [])]), [fact, beside]);
  const near = useMemo(() => {
    const touching = model.links.filter((k) => inMiddle.has(k.from_table) || inMiddle.has(k.to_table));
    return new Set([...inMiddle, ...touching.flatMap((k) => [k.from_table, k.to_table])]);
  }, [inMiddle, model.links]);
  const facts = useMemo(() => new Set(model.matrix.facts), [model.matrix.facts]);
  const isPale = (name: string) => !inMiddle.has(name) && facts.has(name);
  return { inMiddle, isPale, isPaleLink: (from: string) => !near.has(from) || isPale(from) };
}

/** Tables whose columns are shown. */
function useOpened() {
  const [open, setOpen] = useState<Set<string>>(new Set());
  const toggle = useCallback(
    (name: string) =>
      setOpen((old) => {
        const next = new Set(old);
        if (!next.delete(name)) next.add(name);
        return next;
      }),
    [],
  );
  return { open, toggle, show: (name: string) => setOpen((old) => new Set(old).add(name)) };
}

/** Goes to a table, or to a column written `Table.column`, by its name; false where there is none. */
function jumpTo(model: ModelDocument, text: string, open: (table: string) => void, show: (table: string) => void): boolean {
  const wanted = text.toLowerCase();
  const named = (table: string, column: string) => `${table}.${column}`.toLowerCase() === wanted;
  const table =
    model.tables.find((t) => t.name.toLowerCase() === wanted) ?? model.tables.find((t) => t.columns.some((c) => named(t.name, c.name)));
  if (!table) return false;
  const column = table.columns.find((c) => named(table.name, c.name));
  if (column) open(table.name);
  actions.select(column ? { kind: 'column', table: table.name, name: column.name } : { kind: 'table', name: table.name });
  show(table.name);
  return true;
}

/** The plane by keyboard: arrows move it, + and - zoom, 0 fits all of it, L makes a link. */
function onPlaneKey(event: KeyboardEvent, plane: Plane): void {
  if (event.target !== event.currentTarget) return;
  const step = STEPS[event.key];
  if (step) {
    plane.panTo(plane.now().x + step[0], plane.now().y + step[1]);
    plane.settle();
  } else if (event.key === '+') plane.zoomStep(1.2);
  else if (event.key === '-') plane.zoomStep(1 / 1.2);
  else if (event.key === '0') plane.fit();
  else if (event.key.toLowerCase() === 'l') askNew();
  else return;
  event.preventDefault();
  event.stopPropagation();
}

export function Star({ model, fact, tells }: { model: ModelDocument; fact: string; tells: string }) {
  const shelf = useRef<HTMLDivElement>(null);
  const { beside, placed, key, tidied, tidy, edit, ...places } = usePlaces(model, fact, tells);
  const { area, plane: surface, percent, ...plane } = usePlane(placed, `${key} ${tidied}`);
  const drag = useStarDrag({ model, starKey: key, plane, placed, shelf, edit });
  const { open, toggle, show } = useOpened();
  const boxes = useMemo(() => {
    const box = drag.moved && placed.get(drag.moved.name);
    return box && drag.moved ? new Map(placed).set(drag.moved.name, { ...box, x: drag.moved.x, y: drag.moved.y }) : placed;
  }, [placed, drag.moved]);
  const lit = useLit(model);
  const held = useHeldScan(model, fact);
  const selection = useFrame((s) => s.selection);
  const { inMiddle, isPale, isPaleLink } = useMiddle(model, fact, beside);
  const chosen = selection?.kind === 'table' ? selection.name : selection?.kind === 'column' ? selection.table : null;
  const bring = (name: string) => {
    const box = boxes.get(name);
    if (box) plane.show(box);
  };
  return (
    // The plane answers to the pointer; everything on it can be reached with the keyboard by itself.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
    <div
      ref={area}
      className="star"
      data-region
      onPointerDown={drag.grabPlane}
      onPointerMove={drag.move}
      onPointerUp={drag.drop}
      onPointerCancel={drag.drop}
      onKeyDown={(event) => onPlaneKey(event, plane)}
      tabIndex={0}
      role="group"
      aria-label={`The star of ${key}`}
    >
      <StarHead
        {...{ model, fact, beside, held }}
        percent={percent}
        onZoom={plane.zoomStep}
        onFit={plane.fit}
        onTidy={tidy}
        onJump={(text) => jumpTo(model, text, show, bring)}
      />
      <div ref={surface} className="star-plane">
        <StarLines
          {...{ model, boxes, lit }}
          scan={held.scan}
          isPale={isPaleLink}
          chosen={selection?.kind === 'link' ? selection.name : null}
          pulling={drag.pulling}
          onSelect={selectLink}
          onGrab={drag.grabLink}
        />
        <StarCards
          {...{ model, boxes, placed, held, lit, inMiddle, isPale, chosen, open, drag, edit }}
          starKey={key}
          onToggle={toggle}
          onSelect={selectTable}
        />
      </div>
      <StarShelf {...{ model }} names={places.shelf} pulling={drag.pulling} over={drag.overShelf} at={shelf} choose={selectTable} />
    </div>
  );
}
