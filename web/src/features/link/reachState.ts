// What of matrix and star is lit: the current of the table under the pointer, or the reach of what is chosen.
import { useMemo } from 'react';
import type { ModelDocument, ReachOf } from '../../api/client';
import { useShown, type Selection } from '../../app/shown';
import { useReachOf, type ReachSubject } from './requests';

interface Run {
  link: string;
  from: string;
  to: string;
}

interface StopAt {
  link: string;
  from: string;
  reason: string;
}

export interface Lit {
  /** The table that a filter starts from, or, read the other way, the one that it comes to. */
  source: string | null;
  reached: Set<string>;
  blocked: Set<string>;
  runs: Run[];
  stops: StopAt[];
}

const NOTHING: Lit = { source: null, reached: new Set(), blocked: new Set(), runs: [], stops: [] };

/** What the reach is shown of: of a column its table's. */
function subjectOf(selection: Selection | null, fact: string | null): ReachSubject | null {
  if (selection?.kind === 'table') return { table: selection.name };
  if (selection?.kind === 'column') return { table: selection.table };
  if (selection?.kind === 'measure') return { measure: selection.name };
  return fact ? { table: fact } : null;
}

/** The crossings of paths, each once; a path is told from its own table on. */
function runsOf(model: ModelDocument, paths: { table: string; path: string[] }[], from: (item: { table: string }) => string): Run[] {
  const found = new Map<string, Run>();
  for (const item of paths) {
    let at = from(item);
    for (const name of item.path) {
      const link = model.links.find((k) => k.name === name);
      if (!link) break;
      const to = link.from_table === at ? link.to_table : link.from_table;
      found.set(`${name} ${at}`, { link: name, from: at, to });
      at = to;
    }
  }
  return [...found.values()];
}

function stopsOf(model: ModelDocument, blocked: { stops: { link: string; to: string; reason: string }[] }[]): StopAt[] {
  const found = new Map<string, StopAt>();
  for (const stop of blocked.flatMap((b) => b.stops.slice(0, 1))) {
    const link = model.links.find((k) => k.name === stop.link);
    if (link)
      found.set(stop.link, { link: stop.link, from: link.from_table === stop.to ? link.to_table : link.from_table, reason: stop.reason });
  }
  return [...found.values()];
}

function litBy(model: ModelDocument, told: ReachOf, way: 'out' | 'in'): Lit {
  if (way === 'out' && told.table) {
    const table = told.table;
    return {
      source: table,
      reached: new Set(told.filters.map((f) => f.table)),
      blocked: new Set(told.blocked.map((b) => b.table)),
      runs: runsOf(model, told.filters, () => table),
      stops: stopsOf(model, told.blocked),
    };
  }
  const scans = told.scans;
  const reached = scans.flatMap((s) => s.filtered_by);
  const blocked = scans.flatMap((s) => s.blocked_by).filter((b) => !reached.some((r) => r.table === b.table));
  return {
    source: scans[0]?.grain ?? null,
    reached: new Set(reached.map((r) => r.table)),
    blocked: new Set(blocked.map((b) => b.table)),
    runs: runsOf(model, reached, (item) => item.table),
    stops: stopsOf(model, blocked),
  };
}

export function useLit(model: ModelDocument): Lit {
  const hovered = useShown((s) => s.hovered);
  const reach = useShown((s) => s.reach);
  const selection = useShown((s) => s.selection);
  const fact = useShown((s) => s.fact);
  const told = useReachOf(model, reach ? subjectOf(selection, fact) : null).data;
  return useMemo(() => {
    if (reach && told && !hovered) return litBy(model, told, told.measure ? 'in' : reach);
    const current = model.currents.find((c) => c.table === hovered);
    if (!current) return NOTHING;
    return {
      source: hovered,
      reached: new Set(current.runs.map((r) => r.to)),
      blocked: new Set(),
      runs: current.runs,
      stops: current.stops.flatMap((s) => (s.link ? [{ link: s.link, from: s.from, reason: s.reason }] : [])),
    };
  }, [model, hovered, reach, told]);
}
