// From a check to the cell it is about: its probe is opened, the cell chosen, and the Lens traces it.
import { useNavigate } from 'react-router';
import type { Check, ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { placeOf, probeOf } from './checkModel';

export function useShowCell(model: ModelDocument) {
  const navigate = useNavigate();
  return (check: Check, measure: string, at: Record<string, unknown>) => {
    const probe = probeOf(model, check);
    if (!probe) return;
    const wanted = probe.measures.includes(measure) ? measure : (probe.measures[0] ?? '');
    const places = placeOf(at);
    // A total is shown where the probe asks for it.
    const total = places.length < probe.rows.length + probe.columns.length;
    actions.openProbe(total && probe.totals !== 'all' ? { ...probe, totals: 'all' } : probe);
    actions.set({ folio: null, asOf: null, other: null, lensOpen: true, selection: { kind: 'cell', measure: wanted, at: places } });
    void navigate(`/m/${model.id}/probe`);
  };
}
