// The address names what is on screen, so that a link sent to a colleague opens the same.
import { useEffect, useRef } from 'react';
import { client, type ModelDocument, type Problem } from '../api/client';
import type { Edit } from '../api/queries';
import { asFolio, asProbe, readNamed, sameProbe, type Addressed } from './shapes';
import { type Selection, useFrame } from './frame';
import { actions, forgetSteps, onScreen } from './shown';
import { useFolio } from '../features/folio/store';
import { useLink } from '../features/link/store';
import { useMeasure } from '../features/measure/store';
import { probeStates, putProbeStates, type OtherCell, useProbe } from '../features/probe/store';
import { useShape } from '../features/shape/store';
import { useProve } from '../features/prove/store';

const MANGLED: Problem = {
  type: 'urn:nexorem:address',
  title: 'Not all of this address can be read',
  status: 0,
  errors: [],
  changes: [],
  version: null,
  request: '',
  detail: 'It may have been cut off on its way. What could be read is shown, the rest is as the model has it; ask for the address again.',
};

/** What an address names by names that things had, by those they have now; a probe is brought up by the server (see `presentProbe`). */
function withPresentNames(named: Addressed, model: ModelDocument, renamed = model.renamed): Addressed {
  if (renamed.length === 0) return named;
  const now = (kind: string, name: string): string => {
    let free = name;
    for (const r of renamed) if (r.kind === kind && r.was?.toLowerCase() === free.toLowerCase()) free = r.now ?? free;
    return free;
  };
  const table = (name: string) => (model.tables.some((t) => t.name === name) ? name : now('table', name));
  const selected = (s: Addressed['s']): Addressed['s'] => {
    if (!s) return s;
    if (s.kind === 'table') return { ...s, name: table(s.name) };
    if (s.kind === 'link' && !model.links.some((k) => k.name === s.name)) return { ...s, name: now('link', s.name) };
    if (s.kind === 'measure' && !model.measures.some((m) => m.name === s.name)) return { ...s, name: now('measure', s.name) };
    if (s.kind === 'column') {
      const home = model.tables.find((t) => t.name === table(s.table));
      if (home?.columns.some((c) => c.name === s.name)) return { ...s, table: home.name };
      return { ...s, table: home?.name ?? s.table, name: now('column', `${s.table}.${s.name}`).split('.').slice(1).join('.') || s.name };
    }
    return s;
  };
  const measure = named.m && !model.measures.some((m) => m.name === named.m) ? now('measure', named.m) : named.m;
  return {
    ...named,
    s: selected(named.s),
    f: named.f && table(named.f),
    t: named.t && table(named.t),
    b: named.b && table(named.b),
    m: measure,
  };
}

/** Brings the open probe of an address given away to the names that things have now. */
async function presentProbe(model: ModelDocument): Promise<void> {
  const { probe } = onScreen();
  if (!probe || model.renamed.length === 0) return;
  const answer = await client.POST('/api/models/{model_id}/presented', {
    params: { path: { model_id: model.id } },
    body: { probe: { ...probe }, undone: [] },
  });
  const now = answer.data && asProbe(answer.data.probe);
  if (now && onScreen().probe === probe && !sameProbe(now, probe)) actions.set({ probe: now });
}

type Former = ModelDocument['renamed'][number];

const sameFormer = (a: Former, b: Former) => a.kind === b.kind && a.was === b.was && a.now === b.now;

/** What stands on screen under names that an edit changed, or an undo changed back, goes on under the names things have now. */
async function followNames(model: ModelDocument, undone: Former[]): Promise<void> {
  const back = [...undone].reverse().map((r) => ({ ...r, was: r.now ?? '', now: r.was ?? '' }));
  const { selection, fact, table, beside, measure, probe, folio, other } = onScreen();
  const { back: probeBack, forth: probeForth } = probeStates();
  const cell = selection?.kind === 'cell' ? selection : null;
  const named = withPresentNames(
    {
      s: cell ? undefined : (selection ?? undefined),
      f: fact ?? undefined,
      t: table ?? undefined,
      b: beside ?? undefined,
      m: measure ?? undefined,
    } as Addressed,
    model,
    [...model.renamed, ...back],
  );
  actions.set({
    fact: named.f ?? fact,
    table: named.t ?? table,
    beside: named.b ?? beside,
    measure: named.m ?? measure,
    ...(cell ? {} : { selection: (named.s as Selection | undefined) ?? selection }),
  });
  const before = { probe, folio, cell, other, probeBack, probeForth };
  const answer = await client.POST('/api/models/{model_id}/presented', {
    params: { path: { model_id: model.id } },
    body: { probe: before as Record<string, unknown>, undone },
  });
  const now = answer.data?.probe as typeof before | undefined;
  if (!now) return;
  const shown = onScreen();
  if (shown.probe === probe && probe) putProbeStates(asProbe(now.probe), now.probeBack.map(asProbe), now.probeForth.map(asProbe));
  if (shown.folio === folio && folio) actions.set({ folio: asFolio(now.folio) });
  if (shown.selection === cell && cell) actions.set({ selection: now.cell });
  if (shown.other === other && other) actions.set({ other: now.other });
}

/** Follows names that are changed while they stand on screen, by anyone. */
export function useNames(model: ModelDocument): void {
  const previous = useRef({ id: model.id, renamed: model.renamed });
  useEffect(() => {
    const before = previous.current;
    previous.current = { id: model.id, renamed: model.renamed };
    if (before.id !== model.id) return;
    const undone = before.renamed.filter((a) => !model.renamed.some((b) => sameFormer(a, b)));
    const fresh = model.renamed.some((a) => !before.renamed.some((b) => sameFormer(a, b)));
    if (undone.length || fresh) void followNames(model, undone as Former[]);
  }, [model]);
}

/** Puts on screen what an address names; what it does not name starts with the model's own first things. */
export function readAddress(parameters: URLSearchParams, model: ModelDocument): void {
  const { named: given, whole } = readNamed(parameters.get('at') ?? '{}');
  const named = withPresentNames(given, model);
  const first = model.probes[0];
  const facts = model.matrix.facts;
  actions.set({
    addressOf: model.id,
    selection: (named.s as Selection | undefined) ?? null,
    hovered: null,
    fact: named.f ?? facts[0] ?? null,
    table: named.t ?? model.tables[0]?.name ?? null,
    measure: named.m ?? model.measures[0]?.name ?? null,
    probe: named.p ? asProbe(named.p) : first ? asProbe(first) : null,
    sheet: null,
    variant: (named.x as Edit[] | undefined) ?? null,
    linkView: named.w ?? 'both',
    beside: named.b ?? null,
    held: named.h ?? null,
    reach: named.r ?? null,
    shapeView: named.v ?? 'rows',
    folio: named.o ? asFolio(named.o) : null,
    folioFrom: model.folios.some((f) => f.name === named.o?.name) ? (named.o?.name ?? null) : null,
    other: (named.c as OtherCell | undefined) ?? null,
    proveView: named.k ?? 'checks',
    asOf: named.a ?? null,
    offered: null,
    said: whole ? null : { problem: MANGLED, retry: null },
  });
  forgetSteps();
  void presentProbe(model);
}

/** Keeps the address in step with what is on screen. */
export function useAddress(stage: string): void {
  const selection = useFrame((s) => s.selection);
  const probe = useProbe((s) => s.probe);
  const fact = useLink((s) => s.fact);
  const table = useShape((s) => s.table);
  const measure = useMeasure((s) => s.measure);
  const shapeView = useShape((s) => s.shapeView);
  const linkView = useLink((s) => s.linkView);
  const beside = useLink((s) => s.beside);
  const held = useLink((s) => s.held);
  const reach = useLink((s) => s.reach);
  const variant = useLink((s) => s.variant);
  const folio = useFolio((s) => s.folio);
  const other = useProbe((s) => s.other);
  const proveView = useProve((s) => s.proveView);
  const asOf = useProve((s) => s.asOf);
  useEffect(() => {
    const named: Record<string, unknown> = {};
    if (selection) named.s = selection;
    if ((stage === 'probe' || stage === 'measure') && probe) named.p = { ...probe };
    if (stage === 'probe' && folio) named.o = folio;
    if (stage === 'probe' && other) named.c = other;
    if (stage === 'link' && fact) named.f = fact;
    if (stage === 'link') {
      if (linkView !== 'both') named.w = linkView;
      if (beside) named.b = beside;
      if (held) named.h = held;
      if (reach) named.r = reach;
      if (variant) named.x = variant;
      if (variant && probe) named.p = { ...probe };
    }
    if (stage === 'shape' && table) named.t = table;
    if (stage === 'shape' && shapeView !== 'rows') named.v = shapeView;
    if (stage === 'measure' && measure) named.m = measure;
    if (stage === 'prove' && proveView !== 'checks') named.k = proveView;
    if (stage === 'probe' && asOf !== null) named.a = asOf;
    if (selection?.kind === 'cell' && probe) named.p = { ...probe };
    // Not by way of the router: this must never hold up, or undo, a change of stage that is under way.
    const query = Object.keys(named).length ? `?${new URLSearchParams({ at: JSON.stringify(named) }).toString()}` : '';
    window.history.replaceState(window.history.state, '', window.location.pathname + query);
  }, [selection, probe, fact, table, measure, shapeView, stage, linkView, beside, held, reach, variant, folio, other, proveView, asOf]);
}
