// Formulas under way, kept when another measure is looked at, and over a reload: nothing that was typed is lost.
import { create } from 'zustand';
import type { MeasureInfo } from '../../api/client';
import { keptKey } from '../../shared/kept';

export type Draft = Pick<MeasureInfo, 'formula' | 'home' | 'format' | 'description' | 'folder' | 'trial' | 'variant_of'> & { name: string };

export const NEW: MeasureInfo = {
  name: '',
  formula: '',
  home: '',
  format: '',
  description: '',
  folder: '',
  trial: false,
  variant_of: '',
  dtype: null,
  broken: null,
  builds_on: [],
  columns: [],
  switches_on: [],
};

export function draftOf(m: MeasureInfo): Draft {
  return {
    name: m.name,
    formula: m.formula,
    home: m.home,
    format: m.format,
    description: m.description,
    folder: m.folder,
    trial: m.trial,
    variant_of: m.variant_of,
  };
}

interface Writing {
  /** What was being written when a measure was saved under this, another name: the desk is laid anew then, and the focus goes on there. */
  writing: { part: 'formula' | 'name'; measure: string } | null;
}

export const useWriting = create<Writing>(() => ({ writing: null }));

/** Takes the focus once, if it was there before the desk was laid anew. */
export function writeOn(part: 'formula' | 'name', measure: string, element: { focus: () => void } | null): void {
  const { writing } = useWriting.getState();
  if (!element || writing?.part !== part || writing.measure !== measure) return;
  useWriting.setState({ writing: null });
  element.focus();
}

export const MEASURE = 'measure';

export const draftKey = (model: number, measure: string) => keptKey(model, MEASURE, measure);

export function same(a: Draft, b: Draft): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

/** A name that no measure has yet. */
export function freeName(measures: MeasureInfo[], name: string): string {
  const taken = new Set(measures.map((m) => m.name.toLowerCase()));
  let free = name;
  for (let n = 2; taken.has(free.toLowerCase()); n += 1) free = `${name}_${n}`;
  return free;
}
