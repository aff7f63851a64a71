// What the Link stage shows beside the model itself.
import { create } from 'zustand';
import type { Edit } from '../../api/queries';
import type { SheetAsk } from './edits';
import type { HeldThing } from './requests';

export type LinkView = 'both' | 'matrix' | 'star';

/** What cards of the star show: only names, keys and what links to others, or all columns. */
export type Level = 'names' | 'keys' | 'all';

export interface LinkShown {
  fact: string | null;
  /** A second fact in the star. */
  beside: string | null;
  sheet: SheetAsk | null;
  /** Edits of links beside the model, not made yet. */
  variant: Edit[] | null;
  /** Matrix and star, or one of them. */
  linkView: LinkView;
  /** A measure, or the edits of a given, over the star. */
  held: HeldThing | null;
  /** Whether matrix, star and Lens show the reach of what is chosen, and which way. */
  reach: 'out' | 'in' | null;
  /** What all cards of the star show, and those that show something else. */
  level: Level;
  levels: Record<string, Level>;
  /** Subjects whose tables are one card. */
  folded: string[];
  /** How many times wider than high the star's room is, in steps; 0 before it was seen. */
  shape: number;
}

export const useLink = create<LinkShown>(() => ({
  fact: null,
  beside: null,
  sheet: null,
  variant: null,
  linkView: 'both',
  held: null,
  reach: null,
  level: 'names',
  levels: {},
  folded: [],
  shape: 0,
}));
