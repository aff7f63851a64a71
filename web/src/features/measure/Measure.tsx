// Measure: who builds on whom, a formula with its errors under it, and its number before and after.
import { useDebouncedValue } from '@mantine/hooks';
import { useEffect, useMemo, useState } from 'react';
import { toUtf16, type ErrorItem, type FormulaAnswer, type MeasureInfo, type ModelDocument, type Probe, type Scalar } from '../../api/client';
import { useEdits, useFormula, useGrid } from '../../api/queries';
import { actions, EMPTY_PROBE, askedProbe, useShown } from '../../app/shown';
import { measureText, memberText, nameText, count, columnName } from '../../shared/format';
import { FormulaEditor } from './FormulaEditor';

const NEW: MeasureInfo = {
  name: '', formula: '', home: '', format: '', description: '', folder: '', trial: false, dtype: null, broken: null, builds_on: [], columns: [], switches_on: [],
};

/** The outline: a measure stands under the first one it builds on. */
function outline(measures: MeasureInfo[]): [MeasureInfo, number][] {
  const under = new Map<string, MeasureInfo[]>();
  const names = new Set(measures.map((m) => m.name));
  for (const m of measures) {
    const parent = m.builds_on.find((n) => names.has(n)) ?? '';
    under.set(parent, [...(under.get(parent) ?? []), m]);
  }
  const listed: [MeasureInfo, number][] = [];
  const add = (parent: string, depth: number) => {
    for (const m of under.get(parent) ?? []) {
      listed.push([m, depth]);
      add(m.name, depth + 1);
    }
  };
  add('', 0);
  return listed;
}

function Outline({ model, chosen }: { model: ModelDocument; chosen: string }) {
  const { set, select } = actions;
  const sound = model.measures.filter((m) => !m.broken);
  const totals = useGrid(model, { ...EMPTY_PROBE, measures: sound.map((m) => m.name), totals: 'none' });
  const value = (m: MeasureInfo) => {
    const i = totals.data?.measures.findIndex((x) => x.name === m.name) ?? -1;
    const found = totals.data?.values[i]?.[0]?.[0];
    return i < 0 ? '' : measureText(found, m.format, m.dtype ?? 'number');
  };
  return (
    <nav className="side" aria-label="Measures">
      <div className="row" style={{ justifyContent: 'space-between', padding: '0 10px 8px' }}>
        <h2>Who builds on whom</h2>
        <span className="quiet">{model.measures.length}</span>
      </div>
      {outline(model.measures).map(([m, depth]) => (
        <button
          key={m.name}
          type="button"
          className="outline-item"
          style={{ paddingLeft: 10 + depth * 14 }}
          aria-current={m.name === chosen}
          onClick={() => {
            set({ measure: m.name });
            select({ kind: 'measure', name: m.name });
          }}
        >
          <span>
            {nameText(m.name).toLowerCase()} {m.trial && <i className="quiet">trial</i>}
            {m.broken && <span className="signal" title={m.broken}> ◆</span>}
          </span>
          <span className="end">{value(m)}</span>
        </button>
      ))}
      <p style={{ padding: '12px 10px' }}>
        <button type="button" className="pill small" onClick={() => set({ measure: '' })}>
          New measure
        </button>
      </p>
    </nav>
  );
}

export function Measure({ model }: { model: ModelDocument }) {
  const chosen = useShown((s) => s.measure);
  const measure = model.measures.find((m) => m.name === chosen) ?? (chosen === '' ? NEW : model.measures[0]) ?? NEW;
  return (
    <div className="measure-bench">
      <Outline model={model} chosen={measure.name} />
      <Desk key={measure.name} model={model} measure={measure} />
    </div>
  );
}

type Draft = Pick<MeasureInfo, 'formula' | 'home' | 'format' | 'description' | 'folder' | 'trial'>;

function draftOf(m: MeasureInfo): Draft {
  return { formula: m.formula, home: m.home, format: m.format, description: m.description, folder: m.folder, trial: m.trial };
}

function Desk({ model, measure }: { model: ModelDocument; measure: MeasureInfo }) {
  const isNew = measure.name === '';
  const [name, setName] = useState(measure.name);
  const [draft, setDraft] = useState<Draft>(draftOf(measure));
  const saved = draftOf(measure);
  const savedText = JSON.stringify(saved);
  // Another window's edit, or an undo, brings a new saved state; a draft of one's own stays.
  const [known, setKnown] = useState(savedText);
  useEffect(() => {
    if (known === savedText) return;
    if (JSON.stringify(draft) === known) setDraft(saved);
    setKnown(savedText);
    // oxlint-disable-next-line react/exhaustive-deps
  }, [savedText]);
  const changed = JSON.stringify(draft) !== savedText || (isNew && name !== '');
  const [formula] = useDebouncedValue(draft.formula, 180);
  const label = name.trim() || 'new measure';
  const told = useFormula(model, label, formula);
  const current = formula === draft.formula ? told.data : undefined;
  const errors = current?.errors ?? [];
  const { edit, busy } = useEdits(model);
  const { set, select } = actions;
  const taken = isNew && model.measures.some((m) => m.name.toLowerCase() === name.trim().toLowerCase());
  const can = changed && errors.length === 0 && draft.formula.trim() !== '' && !busy && (!isNew || (name.trim() !== '' && !taken));
  const save = async () => {
    if (!can) return;
    if (isNew) {
      if (await edit({ kind: 'add_measure', measure: { name: name.trim(), ...draft } })) {
        set({ measure: name.trim() });
        select({ kind: 'measure', name: name.trim() });
      }
      return;
    }
    const parts = Object.entries(draft).filter(([key, value]) => saved[key as keyof Draft] !== value);
    await edit({ kind: 'change_measure', name: measure.name, set: Object.fromEntries(parts) });
  };
  const put = (part: Partial<Draft>) => setDraft({ ...draft, ...part });
  return (
    <div className="pad" style={{ overflow: 'auto' }}>
      <div className="row" style={{ justifyContent: 'space-between' }}>
        {isNew ? (
          <input className="field" style={{ width: 280 }} aria-label="Name of the new measure" placeholder="name of the new measure" value={name} onChange={(e) => setName(e.target.value)} />
        ) : (
          <h2 style={{ fontSize: 20 }}>{nameText(measure.name).toLowerCase()}</h2>
        )}
        <span className="row">
          {taken && <span className="signal">There is one of that name.</span>}
          {changed && !isNew && (
            <button type="button" className="pill small" onClick={() => setDraft(saved)}>
              Back to the saved one
            </button>
          )}
          <button type="button" className="pill small solid" disabled={!can} onClick={() => void save()} title="Ctrl S">
            Save
          </button>
          {!isNew && (
            <button type="button" className="pill small" disabled={busy} onClick={() => { void edit({ kind: 'remove_measure', name: measure.name }); set({ measure: null }); select(null); }}>
              Remove
            </button>
          )}
        </span>
      </div>
      <FormulaEditor model={model} value={draft.formula} errors={errors} onChange={(text) => put({ formula: text })} onSave={() => void save()} />
      {errors.map((e) => (
        <Wrong key={`${e.code}${e.start}${e.in}${e.message}`} error={e} place={label} formula={draft.formula} onMend={(text) => put({ formula: text })} />
      ))}
      {draft.formula.trim() === '' && <p className="quiet">Write a formula: sum(Booking.seats), or a measure with other filters: seats_sold given (clear Port).</p>}
      {current?.reading && errors.length === 0 && <p data-testid="reading" style={{ maxWidth: '62ch' }}>{current.reading}</p>}
      {current && errors.length === 0 && <Live model={model} measure={measure} draft={draft} told={current} label={label} changed={draft.formula !== measure.formula} />}
      <Details model={model} draft={draft} put={put} />
      {current && errors.length === 0 && <Printed told={current} />}
    </div>
  );
}

function Wrong({ error, place, formula, onMend }: { error: ErrorItem; place: string; formula: string; onMend: (text: string) => void }) {
  const own = error.in.toLowerCase() === place.toLowerCase();
  const mend = (start: number, end: number, text: string) => {
    const [from, to] = [toUtf16(formula, start), toUtf16(formula, end)];
    onMend(formula.slice(0, from) + text + formula.slice(to));
  };
  return (
    <div className="wrong" role="alert">
      <span className="signal">◆</span>
      <span>
        <b>{error.message}</b> <span className="quiet">{error.mend}</span>
      </span>
      <span className="row">
        {own &&
          error.mends.slice(0, 3).map((m) => (
            <button key={m.label} type="button" className="pill small solid" onClick={() => mend(m.start, m.end, m.text)}>
              {m.label}
            </button>
          ))}
      </span>
    </div>
  );
}

interface LiveProps {
  model: ModelDocument;
  measure: MeasureInfo;
  draft: Draft;
  told: FormulaAnswer;
  label: string;
  changed: boolean;
}

function Live({ model, measure, draft, told, label, changed }: LiveProps) {
  const failed = told.value !== null && typeof told.value === 'object';
  const value = failed ? null : (told.value as Scalar);
  const grains = [...new Set(told.scans.map((s) => s.grain))];
  return (
    <>
      <div className="live" aria-live="polite">
        <div>
          <span className="quiet">as written, without any filter</span>
          <b data-testid="live-number">{failed ? 'fails' : measureText(value, draft.format, told.dtype ?? 'number') || '(empty)'}</b>
        </div>
        <div className="quiet">
          {told.dtype}
          {grains.length > 0 && <> · runs row by row over <span className="fact-ink">{grains.join(' and ')}</span></>}
        </div>
      </div>
      <Beside model={model} measure={measure} draft={draft} label={label} changed={changed} dtype={told.dtype ?? 'number'} />
    </>
  );
}

const MOST_LINES = 9;

/** The measure in the open probe's first rows: as saved, and as written here. */
function Beside({ model, measure, draft, label, changed, dtype }: Omit<LiveProps, 'told'> & { dtype: string }) {
  const open = useShown((s) => s.probe);
  const axis = useMemo(() => open?.rows.slice(0, 1) ?? [], [open]);
  const base: Probe = { ...EMPTY_PROBE, rows: axis, picks: open ? askedProbe(open).picks : [], totals: 'grand' };
  const isNew = measure.name === '';
  const before = useGrid(model, isNew || measure.broken ? null : { ...base, measures: [measure.name] });
  const after = useGrid(model, changed || isNew ? { ...base, measures: [label], define: { [label]: draft.formula } } : null);
  const shown = changed || isNew ? after.data : before.data;
  if (!shown || axis.length === 0) return null;
  const lines = shown.rows.lines.map((line) => JSON.stringify(line));
  const old = new Map(before.data?.rows.lines.map((line, r) => [JSON.stringify(line), before.data?.values[0]?.[r]?.[0]]) ?? []);
  const fresh = new Map(shown.rows.lines.map((line, r) => [JSON.stringify(line), shown.values[0]?.[r]?.[0]]));
  const differing = changed && !isNew ? lines.filter((l) => old.get(l) !== fresh.get(l)).length : 0;
  const listed = [...lines.slice(0, MOST_LINES), ...(lines.length > MOST_LINES ? lines.slice(-1) : [])];
  return (
    <section aria-label="In the open probe" style={{ marginBottom: 18 }}>
      <h3>
        By {columnName(axis[0] ?? '')}
        {changed && !isNew ? `: ${count(differing)} of ${count(lines.length)} lines differ` : ''}
        {lines.length > listed.length ? `, the first ${MOST_LINES} of ${count(lines.length)}` : ''}
      </h3>
      <table className="small-grid">
        <thead>
          <tr>
            <th />
            {!isNew && <th>as saved</th>}
            {(changed || isNew) && <th>as written here</th>}
          </tr>
        </thead>
        <tbody>
          {listed.map((key) => {
            const line = shown.rows.lines[lines.indexOf(key)] ?? [];
            const whole = line[0]?.kind === 'total';
            return (
              <tr key={key} className={whole ? 'whole' : ''}>
                <td>{line.map((m) => memberText(m)).join(' ')}</td>
                {!isNew && <td>{measureText(old.get(key), measure.format, measure.dtype ?? 'number')}</td>}
                {(changed || isNew) && <td className={!isNew && old.get(key) !== fresh.get(key) ? 'differs' : ''}>{measureText(fresh.get(key), draft.format, dtype)}</td>}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

function Details({ model, draft, put }: { model: ModelDocument; draft: Draft; put: (part: Partial<Draft>) => void }) {
  return (
    <div className="form-grid" style={{ margin: '6px 0 18px' }}>
      <label>
        lives with
        <select className="field" value={draft.home} onChange={(e) => put({ home: e.target.value })}>
          <option value="">no table</option>
          {model.tables.map((t) => (
            <option key={t.name}>{t.name}</option>
          ))}
        </select>
      </label>
      <label>
        shown as
        <input className="field mono" value={draft.format} placeholder="#,##0" onChange={(e) => put({ format: e.target.value })} />
      </label>
      <label>
        folder
        <input className="field" value={draft.folder} onChange={(e) => put({ folder: e.target.value })} />
      </label>
      <label>
        standing
        <select className="field" value={draft.trial ? 'trial' : 'official'} onChange={(e) => put({ trial: e.target.value === 'trial' })}>
          <option>official</option>
          <option>trial</option>
        </select>
      </label>
      <label className="wide">
        description
        <input className="field" value={draft.description} onChange={(e) => put({ description: e.target.value })} />
      </label>
    </div>
  );
}

function Printed({ told }: { told: FormulaAnswer }) {
  return (
    <details>
      <summary className="quiet">How it is read and computed</summary>
      {told.ledger.length > 0 && (
        <>
          <h3 style={{ marginTop: 10 }}>What becomes of filters</h3>
          <table>
            <tbody>
              {told.ledger.map((line) => (
                <tr key={`${line.given} ${line.column}`}>
                  <td>{line.column}</td><td className="quiet">{line.kind}</td><td>{line.leaving || 'no filter'}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      <h3 style={{ marginTop: 10 }}>Typed tree</h3>
      <div className="stage-print" tabIndex={0} role="region" aria-label="Typed tree">{told.tree.join('\n')}</div>
      <h3>Plan</h3>
      <div className="stage-print" tabIndex={0} role="region" aria-label="Plan">{told.plan.join('\n')}</div>
    </details>
  );
}
