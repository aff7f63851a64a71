// The star: HTML cards over an SVG layer of links. Places come from the server and stay; cards and links are memoised.
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type RefObject } from 'react';
import type { ModelDocument, StarRoute } from '../../api/client';
import { useEdits } from '../../api/queries';
import { useFrame } from '../../app/frame';
import { actions } from '../../app/shown';
import { askNew } from './edits';
import type { Box } from './geometry';
import { useHeldScan } from './heldState';
import { useLit } from './reachState';
import { Overview } from './Overview';
import { placesKey, useStarLayout, useStarView } from './requests';
import { StarCards } from './StarCards';
import { useStarDrag } from './starDrag';
import { StarHead } from './StarHead';
import { StarLines } from './StarLines';
import { StarShelf } from './StarShelf';
import { useLink, type Level } from './store';
import { SubjectCards } from './SubjectCards';
import { usePlane, type Plane } from './usePlane';

const NO_BOXES = new Map<string, Box>();
const NO_ROUTES: Record<string, StarRoute> = {};
const SHAPES = [0.5, 0.75, 1, 1.4, 1.9, 2.6, 3.5];
const SAME_SHAPE = 0.25; // of logarithms, within which a room keeps the step it has
const FRAME = 110; // what stands over and under the star
const STEPS: Record<string, [number, number]> = { ArrowUp: [0, 60], ArrowDown: [0, -60], ArrowLeft: [60, 0], ArrowRight: [-60, 0] };

const selectTable = (name: string) => actions.select({ kind: 'table', name });
const selectLink = (name: string) => actions.select({ kind: 'link', name });

/** How many times wider than high the room is, in steps, so that a few pixels more change nothing. */
function useShape(area: RefObject<HTMLDivElement | null>): number {
  const shape = useLink((s) => s.shape);
  useEffect(() => {
    const watched = area.current;
    if (!watched) return;
    const observer = new ResizeObserver(() => {
      const rect = watched.getBoundingClientRect();
      const wide = rect.width / Math.max(rect.height - FRAME, 80);
      const now = useLink.getState().shape;
      if (!now || Math.abs(Math.log(wide / now)) >= SAME_SHAPE) useLink.setState({ shape: nearestShape(wide) });
    });
    observer.observe(watched);
    return () => observer.disconnect();
  }, [area]);
  return shape;
}

const nearestShape = (wide: number) =>
  SHAPES.reduce((best, s) => (Math.abs(Math.log(wide / s)) < Math.abs(Math.log(wide / best)) ? s : best), 1);

const levelOf = (name: string) => {
  const { level, levels } = useLink.getState();
  return levels[name] ?? level;
};

const NEXT: Record<Level, Level> = { names: 'all', keys: 'all', all: 'names' };
const toggle = (name: string) => {
  const { levels } = useLink.getState();
  actions.set({ levels: { ...levels, [name]: NEXT[levelOf(name)] } });
};

/** Where the tables stand, and back to where the program puts them. */
function usePlaces(model: ModelDocument, fact: string, tells: string) {
  const [tidied, setTidied] = useState(0);
  const standing = useStarView(model, fact);
  const { beside, folded, shape } = standing;
  const places = useStarLayout(model, standing, tells, tidied).data;
  const placed = useMemo(() => (places ? new Map<string, Box>(Object.entries(places.boxes)) : NO_BOXES), [places]);
  const key = places?.key ?? fact;
  const { edit } = useEdits(model);
  const tidy = () => {
    localStorage.removeItem(placesKey(model, key, shape));
    setTidied(tidied + 1);
    const pulled = Object.keys(model.places).filter((place) => place.startsWith(`${key}/`));
    if (pulled.length) void edit({ kind: 'place_tables', places: Object.fromEntries(pulled.map((k) => [k, null])) });
  };
  const subjects = useMemo(() => new Map<string, Box>(Object.entries(places?.subjects ?? {})), [places]);
  const inside = useMemo(
    () => new Set(model.tables.filter((t) => folded.includes(t.subject) && !placed.has(t.name)).map((t) => t.name)),
    [model.tables, folded, placed],
  );
  return { beside, placed, key, routes: places?.routes ?? NO_ROUTES, subjects, inside, shelf: places?.shelf, tidied, tidy, edit };
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

/** Goes to a table, or to a column written `Table.column`, by its name; false where there is none. */
function jumpTo(model: ModelDocument, text: string, show: (table: string) => void): boolean {
  const wanted = text.toLowerCase();
  const named = (table: string, column: string) => `${table}.${column}`.toLowerCase() === wanted;
  const table =
    model.tables.find((t) => t.name.toLowerCase() === wanted) ?? model.tables.find((t) => t.columns.some((c) => named(t.name, c.name)));
  if (!table) return false;
  const column = table.columns.find((c) => named(table.name, c.name));
  if (column) actions.set({ levels: { ...useLink.getState().levels, [table.name]: 'all' } });
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
  const room = useRef<HTMLDivElement>(null);
  const shape = useShape(room);
  const level = useLink((s) => s.level);
  const { beside, placed, key, tidied, tidy, edit, routes, subjects, inside, ...places } = usePlaces(model, fact, tells);
  const standing = useMemo(() => new Map([...placed, ...subjects]), [placed, subjects]);
  const { area, plane: surface, percent, ...plane } = usePlane(room, standing, `${key} ${tidied} ${shape} ${level}`);
  const drag = useStarDrag({ model, starKey: key, plane, placed, shelf, edit });
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
        folds={[...new Set(model.tables.map((t) => t.subject).filter(Boolean))]}
        percent={percent}
        onZoom={plane.zoomStep}
        onFit={plane.fit}
        onTidy={tidy}
        onJump={(text) => jumpTo(model, text, bring)}
      />
      <div ref={surface} className="star-plane">
        <StarLines
          {...{ model, boxes, routes, inside, lit }}
          moved={drag.moved?.name ?? null}
          scan={held.scan}
          isPale={isPaleLink}
          chosen={selection?.kind === 'link' ? selection.name : null}
          pulling={drag.pulling}
          onSelect={selectLink}
          onGrab={drag.grabLink}
        />
        <StarCards
          {...{ model, boxes, placed, held, lit, inMiddle, isPale, chosen, levelOf, drag, edit }}
          starKey={key}
          onToggle={toggle}
          onSelect={selectTable}
        />
        <SubjectCards {...{ model, subjects, inside }} />
      </div>
      <Overview {...{ boxes: standing, inMiddle }} onGo={plane.lookAt} onDrawn={plane.drawnAnew} />
      <StarShelf {...{ model }} names={places.shelf} pulling={drag.pulling} over={drag.overShelf} at={shelf} choose={selectTable} />
    </div>
  );
}
