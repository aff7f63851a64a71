// What is on screen and is no part of the model: selection, hover, the open probe, what the frame has to say.
import { create } from 'zustand';
import type { Coordinate, Folio, Member, Probe, Problem, TruthMark } from '../api/client';
import type { Edit } from '../api/queries';
import type { SheetAsk } from '../features/link/edits';
import type { HeldThing } from '../features/link/requests';
import { sameProbe } from './shapes';

export type Selection =
  | { kind: 'table'; name: string }
  | { kind: 'column'; table: string; name: string }
  | { kind: 'link'; name: string }
  | { kind: 'measure'; name: string }
  | { kind: 'history'; number: number | null }
  | { kind: 'mark'; measure: string; mark: TruthMark['kind']; at?: Coordinate[] }
  | { kind: 'cell'; measure: string; at: Coordinate[] };

/** A formula that was offered for a measure, to be looked at before it is kept. */
export interface Offered {
  measure: string;
  formula: string;
  label: string;
}

/** A cell set beside the chosen one. */
export interface OtherCell {
  measure: string;
  at: { column: string; member: Member }[];
}

export interface Said {
  problem: Problem;
  /** An edit that met another's: it can be made again on top. */
  retry: Edit | null;
}

/** What Shape's bench shows: a table's rows, two keys side by side, the making of a table, or how the chosen one is made. */
export type ShapeView = 'rows' | 'keys' | 'make' | 'remake';

export type LinkView = 'both' | 'matrix' | 'star';

interface Shown {
  /** The model whose address has been put on screen. */
  addressOf: number | null;
  selection: Selection | null;
  hovered: string | null;
  fact: string | null;
  table: string | null;
  measure: string | null;
  probe: Probe | null;
  /** The probe's earlier and undone states: the sentence has an undo of its own. */
  probeBack: Probe[];
  probeForth: Probe[];
  /** The columns that were drilled through, the widest first. */
  drilled: string[] | null;
  /** A chip that was cut, to be put in elsewhere. */
  cut: { part: 'measures' | 'rows' | 'columns'; name: string } | null;
  other: OtherCell | null;
  offered: Offered | null;
  /** The open folio, as it is being arranged; null shows the probe. */
  folio: Folio | null;
  /** The name that the open folio has in the model; null for a new one. */
  folioFrom: string | null;
  /** How many were opened: what one screen holds for itself ends with it. */
  folioCount: number;
  folioBack: Folio[];
  folioForth: Folio[];
  said: Said | null;
  lensOpen: boolean;
  sheet: SheetAsk | null;
  /** Edits of links beside the model, not made yet. */
  variant: Edit[] | null;
  /** What the Link stage shows: matrix and star, or one of them. */
  linkView: LinkView;
  /** A second fact in the star. */
  beside: string | null;
  /** A measure, or the edits of a given, over the star. */
  held: HeldThing | null;
  /** Whether matrix, star and Lens show the reach of what is chosen, and which way. */
  reach: 'out' | 'in' | null;
  /** The reading on Gather's bench. */
  reading: string | null;
  shapeView: ShapeView;
  findOpen: boolean;
  keysOpen: boolean;
  select: (selection: Selection | null) => void;
  hover: (table: string | null) => void;
  set: (part: Partial<Shown>) => void;
  setProbe: (change: Partial<Probe>) => void;
  /** Puts another probe in the open one's place; undone as its changes are. */
  takeProbe: (probe: Probe) => void;
  openFolio: (folio: Folio | null) => void;
  setFolio: (change: Partial<Folio>) => void;
  undoFolio: () => void;
  redoFolio: () => void;
  undoProbe: () => void;
  redoProbe: () => void;
  say: (said: Said | null) => void;
}

const MOST_BACK = 60;

export const EMPTY_PROBE: Probe = { rows: [], columns: [], measures: [], picks: [], totals: 'all' };

export const EMPTY_FOLIO: Folio = { name: '', picks: [], tiles: [] };

export const useShown = create<Shown>((set) => ({
  selection: null,
  addressOf: null,
  hovered: null,
  fact: null,
  table: null,
  measure: null,
  probe: null,
  probeBack: [],
  probeForth: [],
  drilled: null,
  cut: null,
  other: null,
  offered: null,
  folio: null,
  folioFrom: null,
  folioCount: 0,
  folioBack: [],
  folioForth: [],
  said: null,
  lensOpen: localStorage.getItem('nexorem.lens') !== 'closed',
  sheet: null,
  variant: null,
  linkView: 'both',
  beside: null,
  held: null,
  reach: null,
  reading: null,
  shapeView: 'rows',
  findOpen: false,
  keysOpen: false,
  select: (selection) => set({ selection }),
  hover: (hovered) => set({ hovered }),
  set: (part) => set(part),
  setProbe: (change) =>
    set((s) => {
      const now = s.probe ?? EMPTY_PROBE;
      return { probe: { ...now, ...change }, probeBack: [...s.probeBack.slice(-MOST_BACK), now], probeForth: [] };
    }),
  takeProbe: (probe) =>
    set((s) => {
      const now = s.probe ?? EMPTY_PROBE;
      return sameProbe(now, probe) ? {} : { probe, probeBack: [...s.probeBack.slice(-MOST_BACK), now], probeForth: [] };
    }),
  openFolio: (folio) =>
    set((s) => ({ folio, folioFrom: folio?.name || null, folioCount: s.folioCount + 1, folioBack: [], folioForth: [], selection: null })),
  setFolio: (change) =>
    set((s) => {
      if (!s.folio) return {};
      // What the Lens tells of a tile was under the picks before; a name that is typed is one change.
      const about = change.picks && (s.selection?.kind === 'cell' || s.selection?.kind === 'mark') ? { selection: null } : {};
      const folioBack = change.name === undefined ? [...s.folioBack.slice(-MOST_BACK), s.folio] : s.folioBack;
      return { folio: { ...s.folio, ...change }, folioBack, folioForth: [], ...about };
    }),
  undoFolio: () =>
    set((s) => {
      const before = s.folioBack.at(-1);
      return before && s.folio
        ? { folio: before, folioBack: s.folioBack.slice(0, -1), folioForth: [...s.folioForth, s.folio], selection: null }
        : {};
    }),
  redoFolio: () =>
    set((s) => {
      const after = s.folioForth.at(-1);
      return after && s.folio
        ? { folio: after, folioForth: s.folioForth.slice(0, -1), folioBack: [...s.folioBack, s.folio], selection: null }
        : {};
    }),
  undoProbe: () =>
    set((s) => {
      const before = s.probeBack.at(-1);
      return before ? { probe: before, probeBack: s.probeBack.slice(0, -1), probeForth: [...s.probeForth, s.probe ?? EMPTY_PROBE] } : {};
    }),
  redoProbe: () =>
    set((s) => {
      const after = s.probeForth.at(-1);
      return after ? { probe: after, probeForth: s.probeForth.slice(0, -1), probeBack: [...s.probeBack, s.probe ?? EMPTY_PROBE] } : {};
    }),
  say: (said) => set({ said }),
}));

/** What changes the state; never changes itself, so it needs no hook. */
export const actions = useShown.getState();

/** The probe to ask for: a pick of nothing yet lets everything through until something is ticked; how it looks is not asked. */
export function askedProbe(probe: Probe): Probe {
  const { look: _look, description: _description, ...asked } = probe;
  return { ...asked, picks: probe.picks.filter((p) => 'where' in p || p.in.length > 0) };
}
