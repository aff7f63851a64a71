// What was typed and is not saved: kept in the browser by model and thing, so that it outlives a reload, a crash and moving between stages.
// It is thrown away only on purpose. With it stands what was saved when it was begun, so that another's save meanwhile is noticed.
import { useCallback, useMemo } from 'react';
import { create } from 'zustand';

export interface Kept {
  /** JSON of what is being written, and of what was saved when it was begun. */
  value: string;
  base: string;
}

const PREFIX = 'nexorem.draft ';

/** One entry of the browser's store each: two windows do not write over each other's. */
function read(): Record<string, Kept> {
  const entries: Record<string, Kept> = {};
  for (let i = 0; i < localStorage.length; i += 1) {
    const name = localStorage.key(i);
    if (!name?.startsWith(PREFIX)) continue;
    try {
      const kept = JSON.parse(localStorage.getItem(name) ?? '') as Kept;
      if (typeof kept.value === 'string' && typeof kept.base === 'string') entries[name.slice(PREFIX.length)] = kept;
    } catch {
      // What is no draft is left alone.
    }
  }
  return entries;
}

interface Drafts {
  drafts: Record<string, Kept>;
  put: (key: string, kept: Kept | null) => void;
}

export const useKeptDrafts = create<Drafts>((set) => ({
  drafts: read(),
  put: (key, kept) => {
    try {
      if (kept) localStorage.setItem(PREFIX + key, JSON.stringify(kept));
      else localStorage.removeItem(PREFIX + key);
    } catch {
      // A full store keeps no more; what is on screen stays.
    }
    set((s) => {
      const { [key]: _gone, ...rest } = s.drafts;
      return { drafts: kept ? { ...rest, [key]: kept } : rest };
    });
  },
}));

// Another window of this browser writes and drops drafts, too.
window.addEventListener('storage', (event) => {
  if (event.key === null || event.key.startsWith(PREFIX)) useKeptDrafts.setState({ drafts: read() });
});

export const keptKey = (model: number, kind: string, name: string) => `${model} ${kind} ${name}`;

/** The names of the things of one kind that have drafts in a model. */
export function draftNames(drafts: Record<string, Kept>, model: number, kind: string): string[] {
  const start = keptKey(model, kind, '');
  return Object.keys(drafts)
    .filter((k) => k.startsWith(start))
    .map((k) => k.slice(start.length));
}

/** What is being written of a thing: the draft, else what is saved. `theirs` is what somebody saved since the draft was begun. */
export function useKept<T>(model: number, kind: string, name: string, saved: T) {
  const key = keptKey(model, kind, name);
  const kept = useKeptDrafts((s) => s.drafts[key]);
  const now = JSON.stringify(saved);
  const value = useMemo(() => JSON.parse(kept ? kept.value : now) as T, [kept, now]);
  const put = useCallback(
    (next: T) => {
      const { drafts, put: write } = useKeptDrafts.getState();
      const text = JSON.stringify(next);
      write(key, text === now ? null : { value: text, base: drafts[key]?.base ?? now });
    },
    [key, now],
  );
  const drop = useCallback(() => useKeptDrafts.getState().put(key, null), [key]);
  /** Goes on from what is saved now: another's save has been looked at. */
  const rebase = useCallback(() => {
    const { drafts, put: write } = useKeptDrafts.getState();
    const mine = drafts[key];
    if (mine) write(key, { ...mine, base: now });
  }, [key, now]);
  const theirs = kept !== undefined && kept.base !== now && kept.value !== now;
  return { value, changed: kept !== undefined && kept.value !== now, theirs, put, drop, rebase };
}
