// “compared with”: a year earlier, or another measure; what is added are measures of the probe's own.
import type { ModelDocument, Probe } from '../../api/client';
import { nameText, quotedName } from '../../shared/format';
import { Chooser, type Choice } from './Chooser';

export function Compare({ model, probe, put }: { model: ModelDocument; probe: Probe; put: (change: Partial<Probe>) => void }) {
  const base = probe.measures.find((m) => !probe.define?.[m]);
  if (!base) return null;
  const calendars = model.tables.filter((t) => t.calendar);
  const choices: Choice[] = [
    ...calendars.flatMap((t) => [
      { value: `shift ${quotedName(t.name)} by -1 year`, text: 'a year earlier', detail: t.name },
      { value: `shift ${quotedName(t.name)} by -1 quarter`, text: 'a quarter earlier', detail: t.name },
      { value: `shift ${quotedName(t.name)} by -1 month`, text: 'a month earlier', detail: t.name },
    ]),
    { value: 'reset all', text: 'the whole page', detail: 'as a share' },
    ...model.measures.filter((m) => m.name !== base && !m.broken).map((m) => ({ value: `measure ${m.name}`, text: nameText(m.name), detail: 'difference' })),
  ];
  const compare = (value: string) => {
    const name = quotedName(base);
    const format = model.measures.find((m) => m.name === base)?.format ?? '';
    const added: Record<string, string> = {};
    const formats: Record<string, string> = {};
    if (value.startsWith('measure ')) {
      const other = value.slice('measure '.length);
      added[`${base} less ${other}`] = `${name} - ${quotedName(other)}`;
      formats[`${base} less ${other}`] = format;
      return put({ measures: [...new Set([...probe.measures, other, ...Object.keys(added)])], define: { ...probe.define, ...added }, look: { ...probe.look, formats: { ...probe.look?.formats, ...formats } } });
    }
    if (value === 'reset all') {
      added[`${base}, share of the page`] = `${name} / ${name} given (reset all)`;
      formats[`${base}, share of the page`] = '0.0%';
    } else {
      const words = choices.find((c) => c.value === value)?.text ?? 'before';
      const earlier = `${base}, ${words}`;
      added[earlier] = `${name} given (${value})`;
      added[`${base}, change`] = `(${name} - ${quotedName(earlier)}) / ${quotedName(earlier)}`;
      formats[earlier] = format;
      formats[`${base}, change`] = '+0.0%;-0.0%';
    }
    return put({ measures: [...new Set([...probe.measures, ...Object.keys(added)])], define: { ...probe.define, ...added }, look: { ...probe.look, formats: { ...probe.look?.formats, ...formats } } });
  };
  return <Chooser label="+ compared with" title={`Compare ${nameText(base).toLowerCase()} with`} choices={choices} onChoose={compare} />;
}
