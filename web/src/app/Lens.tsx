// The Lens: in sentences and one small picture, what the selected thing is and does. The same in every stage.
import { useMeasure } from '../features/measure/store';
import { useShape } from '../features/shape/store';
import { Suspense, lazy } from 'react';
import type { ModelDocument } from '../api/client';
import { useVariant } from '../features/link/requests';
import { stopWords } from '../features/link/stops';
import type { Stage } from './App';
import { type Selection, useFrame } from './frame';
import { actions } from './shown';
import { useLink } from '../features/link/store';

const LensLink = lazy(() => import('../features/link/LensLink').then((m) => ({ default: m.LensLink })));
const LensTable = lazy(() => import('../features/link/LensTable').then((m) => ({ default: m.LensTable })));
const LensColumn = lazy(() => import('../features/link/LensTable').then((m) => ({ default: m.LensColumn })));
const LensCell = lazy(() => import('../features/probe/LensCell').then((m) => ({ default: m.LensCell })));
const LensMark = lazy(() => import('../features/probe/LensMark').then((m) => ({ default: m.LensMark })));
const LensMeasure = lazy(() => import('../features/measure/LensMeasure').then((m) => ({ default: m.LensMeasure })));
const ReachesProbe = lazy(() => import('../features/probe/ReachesProbe').then((m) => ({ default: m.ReachesProbe })));
const LensProbe = lazy(() => import('../features/probe/LensProbe').then((m) => ({ default: m.LensProbe })));
const LensCheck = lazy(() => import('../features/prove/LensCheck').then((m) => ({ default: m.LensCheck })));
const LensHole = lazy(() => import('../features/prove/LensHole').then((m) => ({ default: m.LensHole })));
const LensRelease = lazy(() => import('../features/prove/LensRelease').then((m) => ({ default: m.LensRelease })));
const HistoryView = lazy(() => import('../features/link/HistoryView').then((m) => ({ default: m.HistoryView })));

export function Lens({ model, stage }: { model: ModelDocument; stage: Stage }) {
  const open = useFrame((s) => s.lensOpen);
  const set = actions.set;
  const fold = () => {
    localStorage.setItem('nexorem.lens', open ? 'closed' : 'open');
    set({ lensOpen: !open });
  };
  return (
    <aside className="lens" data-region aria-label="Lens">
      {open && <LensEdge />}
      <button
        type="button"
        className="lens-fold"
        onClick={fold}
        aria-expanded={open}
        aria-label={open ? 'Fold the Lens away' : 'Open the Lens'}
        title={open ? 'Fold the Lens away' : 'Open the Lens'}
      >
        {open ? '»' : '«'}
      </button>
      {open && stage === 'link' && <Hovered model={model} />}
      {open && <Inside model={model} stage={stage} />}
    </aside>
  );
}

const WIDTH = 'nexorem.lens.width';
const [LEAST, MOST] = [240, 720];

/** How wide the Lens is, as somebody left it; else by the window. */
function widen(width: number | null): void {
  const root = document.documentElement.style;
  if (width === null) root.removeProperty('--lens');
  else root.setProperty('--lens', `${Math.min(MOST, Math.max(LEAST, width))}px`);
}

const kept = Number(localStorage.getItem(WIDTH));
if (kept) widen(kept);

/** The edge of the Lens: dragged, or moved with the arrows; a double click gives it its own width again. */
function LensEdge() {
  const at = (x: number) => document.documentElement.clientWidth - x;
  const put = (width: number | null) => {
    widen(width);
    if (width === null) localStorage.removeItem(WIDTH);
    else localStorage.setItem(WIDTH, String(Math.round(width)));
  };
  const width = (edge: HTMLElement) => edge.parentElement?.offsetWidth ?? LEAST;
  return (
    // A separator that takes the focus is moved by the keyboard.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <div
      className="lens-edge"
      role="separator"
      aria-orientation="vertical"
      aria-label="Width of the Lens"
      aria-valuenow={kept || 360}
      aria-valuemin={LEAST}
      aria-valuemax={MOST}
      // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
      tabIndex={0}
      title="Drag to make the Lens wider or narrower"
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && put(at(e.clientX))}
      onDoubleClick={() => put(null)}
      onKeyDown={(e) => {
        const step = { ArrowLeft: 20, ArrowRight: -20 }[e.key];
        if (step) put(width(e.currentTarget) + step);
      }}
    />
  );
}

/** Where nothing is selected, the Lens says what the stage itself is about. */
function useSubject(stage: Stage): Selection | null {
  const selection = useFrame((s) => s.selection);
  const fact = useLink((s) => s.fact);
  const table = useShape((s) => s.table);
  const measure = useMeasure((s) => s.measure);
  if (selection) return selection;
  if (stage === 'measure' && measure) return { kind: 'measure', name: measure };
  if (stage === 'link' && fact) return { kind: 'table', name: fact };
  return (stage === 'shape' || stage === 'gather') && table ? { kind: 'table', name: table } : null;
}

function Inside({ model: made, stage }: { model: ModelDocument; stage: Stage }) {
  const selection = useSubject(stage);
  const variant = useLink((s) => s.variant);
  const tried = useVariant(made, stage === 'link' ? variant : null).data;
  const inVariant = stage === 'link' && variant !== null && variant.length > 0 && tried !== undefined;
  return (
    <>
      {inVariant && selection?.kind !== 'history' && <p className="signal">As in the variant beside the model</p>}
      <Suspense fallback={<p className="wait">Looking…</p>}>
        <Subject model={inVariant ? tried : made} stage={stage} selection={selection} />
      </Suspense>
    </>
  );
}

function Subject({ model, stage, selection }: { model: ModelDocument; stage: Stage; selection: Selection | null }) {
  switch (selection?.kind) {
    case 'table': {
      const table = model.tables.find((t) => t.name === selection.name);
      if (!table) return <Nothing />;
      return (
        <LensTable
          model={model}
          table={table}
          storyFirst={stage === 'gather' || stage === 'shape'}
          first={stage === 'probe' && <ReachesProbe model={model} table={table.name} />}
        />
      );
    }
    case 'column': {
      const table = model.tables.find((t) => t.name === selection.table);
      return table ? (
        <LensColumn
          model={model}
          table={table}
          column={selection.name}
          first={stage === 'probe' && <ReachesProbe model={model} table={table.name} />}
        />
      ) : (
        <Nothing />
      );
    }
    case 'link': {
      const link = model.links.find((k) => k.name === selection.name);
      return link ? <LensLink model={model} link={link} /> : <Nothing />;
    }
    case 'measure': {
      const measure = model.measures.find((m) => m.name === selection.name);
      return measure ? <LensMeasure model={model} measure={measure} /> : <LensProbe model={model} of={selection.name} />;
    }
    case 'history':
      return <HistoryView model={model} number={selection.number} />;
    case 'mark':
      return <LensMark model={model} measure={selection.measure} kind={selection.mark} at={selection.at} />;
    case 'check':
      return <LensCheck key={selection.name} model={model} name={selection.name} />;
    case 'hole':
      return <LensHole model={model} about={selection.about} words={selection.words} />;
    case 'release':
      return <LensRelease key={selection.number} model={model} number={selection.number} />;
    case 'cell':
      return <LensCell model={model} measure={selection.measure} at={selection.at} />;
    default:
      return stage === 'probe' ? <LensProbe model={model} /> : <Nothing prove={stage === 'prove'} />;
  }
}

/** Where the current of the table under the pointer runs, in words, over whatever the Lens shows. */
function Hovered({ model }: { model: ModelDocument }) {
  const hovered = useFrame((s) => s.hovered);
  const selection = useFrame((s) => s.selection);
  const current = model.currents.find((c) => c.table === hovered);
  // Of the table that is chosen the Lens tells it anyway.
  if (!current || (selection?.kind === 'table' && selection.name === hovered)) return null;
  const reasons = [...new Set(current.stops.filter((s) => s.to).map(stopWords))];
  return (
    <div className="lens-hover" role="status">
      <b>{current.table}</b>{' '}
      {current.runs.length ? <>filters {current.runs.map((r) => `${r.to} over ${r.link}`).join(', ')}.</> : 'filters nothing but itself.'}
      {reasons.map((why) => (
        <span key={why} className="quiet">
          {' '}
          It stops before {[...new Set(current.stops.filter((s) => s.to && stopWords(s) === why).map((s) => s.to))].join(', ')}: {why}.
        </span>
      ))}
    </div>
  );
}

function Nothing({ prove = false }: { prove?: boolean }) {
  if (prove)
    return (
      <>
        <h2>The Lens</h2>
        <p className="quiet">
          Choose a check, a hole or a release: here stands what must hold and what came of it, since which edit it does not, what would
          close the hole, what moved between two releases.
        </p>
      </>
    );
  return (
    <>
      <h2>The Lens</h2>
      <p className="quiet">
        Choose a table, a link, a measure or a cell of a grid: here stands what it is, which filters reach it, over which links, and which
        do not.
      </p>
    </>
  );
}
