// What the frame shows, whatever the stage: what is chosen and pointed at, what it has to say, and which panels are open.
import { create } from 'zustand';
import type { Coordinate, Problem, TruthMark } from '../api/client';
import type { Edit } from '../api/queries';

export type Selection =
  | { kind: 'table'; name: string }
  | { kind: 'column'; table: string; name: string }
  | { kind: 'link'; name: string }
  | { kind: 'measure'; name: string }
  | { kind: 'history'; number: number | null }
  | { kind: 'mark'; measure: string; mark: TruthMark['kind']; at?: Coordinate[] }
  | { kind: 'cell'; measure: string; at: Coordinate[] }
  | { kind: 'check'; name: string }
  | { kind: 'hole'; about: string; words: string }
  | { kind: 'release'; number: number | 'new' };

export interface Said {
  problem: Problem;
  /** An edit that met another's: it can be made again on top. */
  retry: Edit | null;
}

export interface Frame {
  /** The model whose address has been put on screen. */
  addressOf: number | null;
  selection: Selection | null;
  hovered: string | null;
  said: Said | null;
  lensOpen: boolean;
  findOpen: boolean;
  keysOpen: boolean;
  /** Which part of who may what is open. */
  people: 'members' | 'clearances' | 'own' | 'log' | 'accounts' | null;
}

export const useFrame = create<Frame>(() => ({
  addressOf: null,
  selection: null,
  hovered: null,
  said: null,
  lensOpen: localStorage.getItem('nexorem.lens') !== 'closed',
  findOpen: false,
  keysOpen: false,
  people: null,
}));

export const select = (selection: Selection | null) => useFrame.setState({ selection });
export const hover = (hovered: string | null) => useFrame.setState({ hovered });
export const say = (said: Said | null) => useFrame.setState({ said });
