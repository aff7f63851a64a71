// What the Shape stage shows beside the model itself.
import { create } from 'zustand';

/** A table's rows, two keys side by side, the making of a table, or how the chosen one is made. */
export type ShapeView = 'rows' | 'keys' | 'make' | 'remake';

export interface ShapeShown {
  table: string | null;
  shapeView: ShapeView;
}

export const useShape = create<ShapeShown>(() => ({ table: null, shapeView: 'rows' }));
