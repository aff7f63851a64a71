// What the Gather stage shows beside the model itself.
import { create } from 'zustand';

export interface GatherShown {
  /** The reading on the bench. */
  reading: string | null;
}

export const useGather = create<GatherShown>(() => ({ reading: null }));
