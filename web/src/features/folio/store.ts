// The open folio, as it is being arranged, with its own undo.
import { temporal } from 'zundo';
import { create } from 'zustand';
import type { Folio } from '../../api/client';
import { select, useFrame } from '../../app/frame';

const MOST_BACK = 60;

export const EMPTY_FOLIO: Folio = { name: '', picks: [], tiles: [] };

export interface FolioShown {
  /** Null shows the probe. */
  folio: Folio | null;
  /** The name that it has in the model; null for a new one. */
  folioFrom: string | null;
  /** How many were opened: what one screen holds for itself ends with it. */
  folioCount: number;
}

export const useFolio = create<FolioShown>()(
  temporal((): FolioShown => ({ folio: null, folioFrom: null, folioCount: 0 }), {
    partialize: ({ folio }) => ({ folio }),
    equality: (a, b) => a.folio === b.folio,
    limit: MOST_BACK,
  }),
);

/** Changes what is no step of the person's: nothing of it is undone. */
export function putFolio(part: Partial<FolioShown>): void {
  const history = useFolio.temporal.getState();
  history.pause();
  useFolio.setState(part);
  history.resume();
}

export function openFolio(folio: Folio | null): void {
  putFolio({ folio, folioFrom: folio?.name || null, folioCount: useFolio.getState().folioCount + 1 });
  useFolio.temporal.getState().clear();
  select(null);
}

/** One step: parts of the open folio changed; a name that is typed is none. */
export function setFolio(change: Partial<Folio>): void {
  const { folio } = useFolio.getState();
  if (!folio) return;
  const next = { folio: { ...folio, ...change } };
  if (change.name === undefined) useFolio.setState(next);
  else putFolio(next);
  // What the Lens tells of a tile was under the picks before.
  const kind = useFrame.getState().selection?.kind;
  if (change.picks && (kind === 'cell' || kind === 'mark')) select(null);
}

/** Puts another state in the open one's place; undone as its changes are. */
export const takeFolio = (folio: Folio) => useFolio.setState({ folio });

export function undoFolio(): void {
  if (useFolio.temporal.getState().pastStates.length) select(null);
  useFolio.temporal.getState().undo();
}

export function redoFolio(): void {
  if (useFolio.temporal.getState().futureStates.length) select(null);
  useFolio.temporal.getState().redo();
}
