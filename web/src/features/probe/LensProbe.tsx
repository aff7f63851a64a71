// The open probe as a whole: what it is for, and what a person should know before trusting it.
import { Note } from '../../shared/Note';
import { useState } from 'react';
import type { ModelDocument, Probe } from '../../api/client';
import { useEdits, useFormula, useGrid } from '../../api/queries';
import { actions } from '../../app/shown';
import { useFolio } from '../folio/store';
import { EMPTY_PROBE, askedProbe, useProbe } from './store';
import { nameText } from '../../shared/format';
import { MarkNotes } from './MarkNotes';
import './probe.css';
import { useProve } from '../prove/store';

/** `of` is a measure that the probe defines for itself. */
export function LensProbe({ model, of }: { model: ModelDocument; of?: string }) {
  const probe = useProbe((s) => s.probe) ?? EMPTY_PROBE;
  const folio = useFolio((s) => s.folio);
  const release = useProve((s) => s.asOf);
  const answer = useGrid(model, folio ? null : askedProbe(probe), release).data;
  if (folio)
    return (
      <>
        <h2>{folio.name || 'A new folio'}</h2>
        <Note text={folio.description} />
        <p className="quiet">
          Every tile stands under the picks at the left, but for those it says it does without. Choose a number or a cell: here stands why
          it shows that, under the tile’s own picks. Drag a tile by its heading; ↗ brings its probe, with the picks, into Probe.
        </p>
      </>
    );
  if (of !== undefined && probe.define?.[of] !== undefined)
    return <OwnFormula key={of} model={model} name={of} formula={probe.define[of]} />;
  return (
    <>
      <h2>{probe.name ?? 'A probe without a name'}</h2>
      <Note text={probe.description} />
      <p className="quiet">Choose a cell: here stands why it shows its number. A line’s label drills, picks and pins; a heading orders.</p>
      {answer && probe.measures.length > 0 && (
        <>
          <h3>Worth knowing</h3>
          <MarkNotes answer={answer} />
        </>
      )}
    </>
  );
}

/** A formula of the probe's own: written on, given a name, or made a measure once it deserves to be one. */
function OwnFormula({ model, name, formula }: { model: ModelDocument; name: string; formula: string }) {
  const probe = useProbe((s) => s.probe) ?? EMPTY_PROBE;
  const [text, setText] = useState(formula);
  const [called, setCalled] = useState(name);
  const answer = useFormula(model, name, text);
  const { edit, busy } = useEdits(model);
  const errors = answer.data?.formula === text ? answer.data.errors : [];
  const taken =
    model.measures.some((m) => m.name.toLowerCase() === called.trim().toLowerCase()) ||
    (called.trim() !== name && called.trim() in (probe.define ?? {}));
  const under = (to: string, define: Record<string, string> | undefined): Partial<Probe> => ({
    measures: probe.measures.map((m) => (m === name ? to : m)),
    define,
    sort: probe.sort?.map((o) => (o.by === name ? { ...o, by: to } : o)),
    top: probe.top?.by === name ? { ...probe.top, by: to } : probe.top,
  });
  const write = () => {
    const { [name]: _old, ...rest } = probe.define ?? {};
    const to = called.trim() || name;
    actions.setProbe(under(to, { ...rest, [to]: text }));
    actions.select({ kind: 'measure', name: to });
  };
  const promote = async () => {
    const to = called.trim();
    if (!(await edit({ kind: 'add_measure', measure: { name: to, formula: text, trial: true } }))) return;
    const { [name]: _old, ...rest } = probe.define ?? {};
    actions.setProbe(under(to, Object.keys(rest).length ? rest : undefined));
    actions.select({ kind: 'measure', name: to });
  };
  const changed = text !== formula || called.trim() !== name;
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (changed && !taken && errors.length === 0) write();
      }}
    >
      <h2>{nameText(name)}</h2>
      <p className="quiet">a formula of this probe alone</p>
      <input className="field" aria-label="Name of the trial" value={called} onChange={(e) => setCalled(e.target.value)} />
      <textarea
        className="field mono"
        rows={5}
        spellCheck={false}
        aria-label="Formula of the trial"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) write();
        }}
      />
      {errors.slice(0, 3).map((e) => (
        <p key={`${e.code} ${e.start}`} className="signal" role="alert">
          {e.message} <span className="quiet">{e.mend}</span>
        </p>
      ))}
      {answer.data?.reading && errors.length === 0 && <p className="reading">{answer.data.reading}</p>}
      {taken && <p className="signal">There is one of that name.</p>}
      <div className="row">
        <button type="submit" className="pill small solid" disabled={!changed || taken || errors.length > 0}>
          Write it so
        </button>
        <button
          type="button"
          className="pill small"
          disabled={busy || taken || errors.length > 0 || !called.trim()}
          title="A trial among the measures, for every probe"
          onClick={() => void promote()}
        >
          Make it a measure
        </button>
      </div>
    </form>
  );
}
