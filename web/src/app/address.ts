// The address names what is on screen, so that a link sent to a colleague opens the same.
import { useEffect } from 'react';
import type { ModelDocument, Problem } from '../api/client';
import type { Edit } from '../api/queries';
import { asFolio, asProbe, readNamed } from './shapes';
import { useShown, type OtherCell, type Selection } from './shown';

const MANGLED: Problem = {
  type: 'urn:nexorem:address', title: 'Not all of this address can be read', status: 0, errors: [], changes: [], version: null,
  detail: 'It may have been cut off on its way. What could be read is shown, the rest is as the model has it; ask for the address again.',
};

/** Puts on screen what an address names; what it does not name starts with the model's own first things. */
export function readAddress(parameters: URLSearchParams, model: ModelDocument): void {
  const { named, whole } = readNamed(parameters.get('at') ?? '{}');
  const first = model.probes[0];
  const facts = model.matrix.facts;
  useShown.setState({
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
    folioBack: [],
    folioForth: [],
    other: (named.c as OtherCell | undefined) ?? null,
    offered: null,
    probeBack: [],
    probeForth: [],
    said: whole ? null : { problem: MANGLED, retry: null },
  });
}

/** Keeps the address in step with what is on screen. */
export function useAddress(stage: string): void {
  const selection = useShown((s) => s.selection);
  const probe = useShown((s) => s.probe);
  const fact = useShown((s) => s.fact);
  const table = useShown((s) => s.table);
  const measure = useShown((s) => s.measure);
  const shapeView = useShown((s) => s.shapeView);
  const linkView = useShown((s) => s.linkView);
  const beside = useShown((s) => s.beside);
  const held = useShown((s) => s.held);
  const reach = useShown((s) => s.reach);
  const variant = useShown((s) => s.variant);
  const folio = useShown((s) => s.folio);
  const other = useShown((s) => s.other);
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
    if (selection?.kind === 'cell' && probe) named.p = { ...probe };
    // Not by way of the router: this must never hold up, or undo, a change of stage that is under way.
    const query = Object.keys(named).length ? `?${new URLSearchParams({ at: JSON.stringify(named) }).toString()}` : '';
    window.history.replaceState(window.history.state, '', window.location.pathname + query);
  }, [selection, probe, fact, table, measure, shapeView, stage, linkView, beside, held, reach, variant, folio, other]);
}
