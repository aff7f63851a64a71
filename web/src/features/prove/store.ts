// Which part of Prove is open, and the release as of which numbers are seen.
import { create } from 'zustand';

export type ProveView = 'checks' | 'coverage' | 'proofs' | 'releases' | 'findings';

export interface ProveShown {
  proveView: ProveView;
  /** The release as of which probes and traces are seen; null for the draft. */
  asOf: number | null;
  /** Whether the draft stands beside it. */
  asOfBeside: boolean;
}

export const useProve = create<ProveShown>()(() => ({ proveView: 'checks', asOf: null, asOfBeside: false }));
