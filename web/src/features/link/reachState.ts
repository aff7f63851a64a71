// What of matrix and star is lit: the current of the table under the pointer, or the reach of what is chosen.
import { useMemo } from 'react';
import type { ModelDocument, ReachOf } from '../../api/client';
import { type Selection, useFrame } from '../../app/frame';
import { useLink } from './store';
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
  const runs = new Map<string, Run>();
  for (const item of paths) {
    let at = from(item);
    for (const name of item.path) {
      const link = model.links.find((k) => k.name === name);
      if (!link) break;
      const to = link.from_table === at ? link.to_table : link.from_table;
      runs.set(`${name} ${at}`, { link: name, from: at, to });
      at = to;
    }
  }
  return [...runs.values()];
}

function stopsOf(model: ModelDocument, blocked: { stops: { link: string; to: string; reason: string }[] }[]): StopAt[] {
  const stops = new Map<string, StopAt>();
  for (const stop of blocked.flatMap((b) => b.stops.slice(0, 1))) {
    const link = model.links.find((k) => k.name === stop.link);
    if (link)
      stops.set(stop.link, { link: stop.link, from: link.from_table === stop.to ? link.to_table : link.from_table, reason: stop.reason });
  }
  return [...stops.values()];
}

function litBy(model: ModelDocument, reach: ReachOf, way: 'out' | 'in'): Lit {
  if (way === 'out' && reach.table) {
    const table = reach.table;
    return {
      source: table,
      reached: new Set(reach.filters.map((f) => f.table)),
      blocked: new Set(reach.blocked.map((b) => b.table)),
      runs: runsOf(model, reach.filters, () => table),
      stops: stopsOf(model, reach.blocked),
    };
  }
  const scans = reach.scans;
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
  const hovered = useFrame((s) => s.hovered);
  const reach = useLink((s) => s.reach);
  const selection = useFrame((s) => s.selection);
  const fact = useLink((s) => s.fact);
  const answer = useReachOf(model, reach ? subjectOf(selection, fact) : null).data;
  return useMemo(() => {
    if (reach && answer && !hovered) return litBy(model, answer, answer.measure ? 'in' : reach);
    const current = model.currents.find((c) => c.table === hovered);
    if (!current) return NOTHING;
    return {
      source: hovered,
      reached: new Set(current.runs.map((r) => r.to)),
      blocked: new Set(),
      runs: current.runs,
      stops: current.stops.flatMap((s) => (s.link ? [{ link: s.link, from: s.from, reason: s.reason }] : [])),
    };
  }, [model, hovered, reach, answer]);
}
