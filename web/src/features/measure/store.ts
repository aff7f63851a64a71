// What the Measure stage shows beside the model itself.
import { create } from 'zustand';

/** A formula that was offered for a measure, to be looked at before it is kept. */
export interface Offered {
  measure: string;
  formula: string;
  label: string;
}

export interface MeasureShown {
  measure: string | null;
  offered: Offered | null;
}

export const useMeasure = create<MeasureShown>(() => ({ measure: null, offered: null }));
