// What is on screen and is not part of the model, over all stages: each feature keeps its own; a change may be of several at once.
import { openFolio, putFolio, redoFolio, setFolio, takeFolio, undoFolio, useFolio, type FolioShown } from '../features/folio/store';
import { useGather, type GatherShown } from '../features/gather/store';
import { useLink, type LinkShown } from '../features/link/store';
import { useMeasure, type MeasureShown } from '../features/measure/store';
import { openProbe, putProbe, redoProbe, setProbe, takeProbe, undoProbe, useProbe, type ProbeShown } from '../features/probe/store';
import { useProve, type ProveShown } from '../features/prove/store';
import { useShape, type ShapeShown } from '../features/shape/store';
import { hover, say, select, useFrame, type Frame } from './frame';

export interface Shown extends Frame, ProbeShown, FolioShown, LinkShown, MeasureShown, GatherShown, ShapeShown, ProveShown {}

/** Which part of the screen is kept where: its names, and what takes a change of it. */
const PLACES: { parts: (keyof Shown)[]; put: (part: Partial<Shown>) => void }[] = [
  { parts: ['addressOf', 'selection', 'hovered', 'said', 'lensOpen', 'findOpen', 'keysOpen', 'people'], put: useFrame.setState },
  { parts: ['probe', 'drilled', 'cut', 'other'], put: putProbe },
  { parts: ['folio', 'folioFrom', 'folioCount'], put: putFolio },
  { parts: ['fact', 'beside', 'sheet', 'variant', 'linkView', 'held', 'reach', 'level', 'levels', 'folded'], put: useLink.setState },
  { parts: ['measure', 'offered'], put: useMeasure.setState },
  { parts: ['reading'], put: useGather.setState },
  { parts: ['table', 'shapeView'], put: useShape.setState },
  { parts: ['proveView', 'asOf', 'asOfBeside'], put: useProve.setState },
];

/** Puts parts on screen; of a probe or folio it is no step that is undone. */
export function show(part: Partial<Shown>): void {
  for (const { parts, put } of PLACES) {
    const mine = Object.fromEntries(parts.filter((name) => name in part).map((name) => [name, part[name]]));
    if (Object.keys(mine).length) put(mine);
  }
}

/** What is open was not come to by steps: there is nothing to undo. */
export function forgetSteps(): void {
  useProbe.temporal.getState().clear();
  useFolio.temporal.getState().clear();
}

/** All that is on screen now. */
export const onScreen = (): Shown => ({
  ...useFrame.getState(),
  ...useProbe.getState(),
  ...useFolio.getState(),
  ...useLink.getState(),
  ...useMeasure.getState(),
  ...useGather.getState(),
  ...useShape.getState(),
  ...useProve.getState(),
});

export const actions = {
  select,
  hover,
  say,
  set: show,
  setProbe,
  takeProbe,
  openProbe,
  undoProbe,
  redoProbe,
  openFolio,
  setFolio,
  takeFolio,
  undoFolio,
  redoFolio,
};
