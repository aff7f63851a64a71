// “compared with”: what the core offers for the first measure; what is added are measures of the probe's own.
import { useQuery } from '@tanstack/react-query';
import { client, unwrap, type ComparisonInfo, type ModelDocument, type Probe } from '../../api/client';
import { nameText } from '../../shared/format';
import { Chooser } from './Chooser';

/** What a saved measure can be held against, with the formulas for it. */
export function useComparisons(model: ModelDocument, measure: string | undefined): ComparisonInfo[] {
  const query = useQuery({
    queryKey: ['comparisons', model.id, model.version, measure],
    enabled: measure !== undefined,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.GET('/api/models/{model_id}/comparisons', {
          params: { path: { model_id: model.id }, query: { measure: measure ?? '' } },
          signal,
        }),
      ).comparisons,
  });
  return query.data ?? [];
}

/** The formulas of a comparison in a probe, behind what it shows. */
export function compared(probe: Probe, { adds }: ComparisonInfo): Partial<Probe> {
  const define = { ...probe.define };
  const formats = { ...probe.look?.formats };
  for (const { name, formula, format } of adds) {
    if (!formula) continue;
    define[name] = formula;
    formats[name] = format;
  }
  return { measures: [...new Set([...probe.measures, ...adds.map((a) => a.name)])], define, look: { ...probe.look, formats } };
}

export function Compare({ model, probe, put }: { model: ModelDocument; probe: Probe; put: (change: Partial<Probe>) => void }) {
  const base = probe.measures.find((m) => !probe.define?.[m]);
  const offered = useComparisons(model, base);
  if (!base || offered.length === 0) return null;
  const choices = offered.map((c, i) => ({ value: String(i), text: c.key === 'measure' ? nameText(c.label) : c.label, detail: c.detail }));
  const compare = (value: string) => {
    const chosen = offered[Number(value)];
    if (chosen) put(compared(probe, chosen));
  };
  return <Chooser label="+ compared with" title={`Compare ${nameText(base).toLowerCase()} with`} choices={choices} onChoose={compare} />;
}
