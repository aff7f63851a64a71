// One measure on the desk: name, formula, errors with mends, reading, ledger, live grid, and what is said of it.
import { useDebouncedValue } from '@mantine/hooks';
import { useMemo, useState } from 'react';
import {
  toUtf16,
  type Coordinate,
  type ErrorItem,
  type FormulaAnswer,
  type MeasureInfo,
  type ModelDocument,
  type Scalar,
} from '../../api/client';
import { useConditions, useEdits, useFormula } from '../../api/queries';
import { actions, askedProbe, useShown } from '../../app/shown';
import { measureText, nameText } from '../../shared/format';
import { useKept } from '../../shared/kept';
import { useSaver } from '../../shared/saver';
import { Details } from './Details';
import { Meanwhile } from './Meanwhile';
import { FormulaEditor } from './FormulaEditor';
import { Ledger, filtersOf } from './Ledger';
import { LiveGrid, sides } from './LiveGrid';
import { MEASURE, draftOf, freeName, same, useWriting, writeOn, type Draft } from './drafts';

const PAUSE = 90;

/** The draft of a measure: what was typed and not saved, else the measure as it is. An offered formula becomes the draft. */
function useDraft(model: ModelDocument, measure: MeasureInfo) {
  const saved = useMemo(() => draftOf(measure), [measure]);
  const { value: kept, theirs, put, drop: forget, rebase } = useKept(model.id, MEASURE, measure.name, saved);
  const offered = useShown((s) => s.offered);
  const offer = offered && offered.measure === measure.name && measure.name ? offered : null;
  const draft: Draft = offer ? { ...kept, formula: offer.formula } : kept;
  const change = (part: Partial<Draft>) => {
    if (offer) actions.set({ offered: null });
    put({ ...draft, ...part });
  };
  const drop = () => {
    actions.set({ offered: null });
    forget();
  };
  return { draft, saved, offer, changed: !same(draft, saved), theirs, change, drop, rebase };
}

export function Desk({ model, measure }: { model: ModelDocument; measure: MeasureInfo }) {
  const isNew = measure.name === '';
  const { draft, saved, offer, changed, theirs, change, drop, rebase } = useDraft(model, measure);
  const probe = useShown((s) => s.probe);
  const [cell, setCell] = useState<Coordinate[] | null>(null);
  const [compared, setCompared] = useState<string[]>([]);
  const [formula] = useDebouncedValue(draft.formula, PAUSE);
  const label = draft.name.trim() || 'new measure';
  useConditions(); // what they filter is known once a grid has been answered under them
  const { arriving, page } = filtersOf(cell ?? [], probe ? askedProbe(probe).picks : []);
  const told = useFormula(model, measure.name || label, formula, arriving, page);
  // Its ledger may still be another cell's; what is wrong with the formula is the same in all.
  const current = told.data?.formula === draft.formula ? told.data : undefined;
  const shown = current ?? told.data;
  // What is wrong in other measures first, then from the beginning of this one.
  const errors = (current?.errors ?? []).toSorted((a, b) => (a.in === b.in ? a.start - b.start : 0));
  const { edit, busy } = useEdits(model);
  const taken = model.measures.some((m) => m.name !== measure.name && m.name.toLowerCase() === draft.name.trim().toLowerCase());
  const can =
    changed &&
    errors.length === 0 &&
    current !== undefined &&
    draft.formula.trim() !== '' &&
    !busy &&
    draft.name.trim() !== '' &&
    !taken &&
    !theirs;
  const open = (name: string) => actions.set({ measure: name, selection: { kind: 'measure', name }, offered: null });
  const save = async () => {
    if (!can) return;
    const name = draft.name.trim();
    const focus = document.activeElement;
    if (name !== measure.name)
      useWriting.setState({
        writing: focus?.closest('.editor')
          ? { part: 'formula', measure: name }
          : focus?.matches('.desk-name')
            ? { part: 'name', measure: name }
            : null,
      });
    if (isNew) {
      if (!(await edit({ kind: 'add_measure', measure: { ...draft, name } }))) return;
    } else {
      // One save is one edit, whatever of it has changed.
      const parts = Object.entries(draft).filter(([key, value]) => key !== 'name' && saved[key as keyof Draft] !== value);
      const set = Object.fromEntries(parts);
      const change =
        name === measure.name
          ? { kind: 'change_measure', name: measure.name, set }
          : { kind: 'rename_measure', name: measure.name, to: name, ...(parts.length ? { set } : {}) };
      if ((parts.length || name !== measure.name) && !(await edit(change))) return;
    }
    drop();
    open(name);
  };
  useSaver(() => void save(), changed);
  const duplicate = async () => {
    const base = measure.variant_of || measure.name;
    const name = freeName(model.measures, `${base}_trial`);
    if (await edit({ kind: 'add_measure', measure: { ...draft, name, trial: true, variant_of: base } })) {
      drop();
      open(name);
    }
  };
  const go = (kind: string, name: string, uses: boolean) => {
    if (kind === 'measure' && !uses) return open(name);
    const table = model.tables.find((t) => t.columns.some((c) => `${t.name}.${c.name}` === name))?.name ?? '';
    actions.set({
      lensOpen: true,
      selection:
        kind === 'measure'
          ? { kind, name }
          : kind === 'column'
            ? { kind, table, name: name.slice(table.length + 1) }
            : { kind: kind as 'table' | 'link', name },
    });
  };
  const family = model.measures.filter(
    (m) =>
      m.name !== measure.name &&
      !m.broken &&
      (m.variant_of === (measure.variant_of || measure.name) || m.name === measure.variant_of) &&
      measure.name !== '',
  );
  const variants = model.measures.filter((m) => compared.includes(m.name));
  const sound = errors.length === 0 && draft.formula.trim() !== '';
  return (
    <div className="pad desk" data-region>
      <div className="row desk-head">
        <input
          ref={(node) => writeOn('name', measure.name, node)}
          className="field desk-name"
          aria-label={isNew ? 'Name of the new measure' : 'Name of the measure'}
          placeholder="name of the new measure"
          value={draft.name}
          onChange={(e) => change({ name: e.target.value })}
          onKeyDown={(e) => e.key === 'Enter' && void save()}
        />
        {!isNew && <h2 className="visually-hidden">{nameText(measure.name).toLowerCase()}</h2>}
        {draft.trial && (
          <span className="trial-mark">trial{draft.variant_of ? ` beside ${nameText(draft.variant_of).toLowerCase()}` : ''}</span>
        )}
        {!isNew && draft.name.trim() !== measure.name && !taken && <span className="quiet">renames it everywhere</span>}
        {taken && <span className="signal">There is one of that name.</span>}
        <span style={{ flex: 1 }} />
        {changed && (
          <button type="button" className="pill small" onClick={drop}>
            {isNew ? 'Drop it' : 'Back to the saved one'}
          </button>
        )}
        <button type="button" className="pill small solid" disabled={!can} onClick={() => void save()} title="Ctrl S">
          Save
        </button>
        {!isNew && (
          <button
            type="button"
            className="pill small"
            disabled={busy || !sound}
            title="A trial beside it, with the formula as written here"
            onClick={() => void duplicate()}
          >
            As a variant
          </button>
        )}
        {!isNew && (
          <button
            type="button"
            className="pill small"
            disabled={busy}
            onClick={() => {
              void edit({ kind: 'remove_measure', name: measure.name });
              drop();
              actions.set({ measure: null, selection: null });
            }}
          >
            Remove
          </button>
        )}
      </div>
      {theirs && (
        <Meanwhile
          model={model}
          name={measure.name}
          theirs={<DraftText draft={saved} other={draft} />}
          mine={<DraftText draft={draft} other={saved} />}
          onTheirs={drop}
          onMine={rebase}
        />
      )}
      {offer && (
        <p className="offered" role="status">
          Offered: <b>{offer.label}</b>. Look at the numbers below; Save keeps it.
        </p>
      )}
      <FormulaEditor
        model={model}
        name={measure.name || label}
        value={draft.formula}
        errors={errors}
        onChange={(text) => text !== draft.formula && change({ formula: text })}
        onSave={() => void save()}
        onGo={go}
      />
      {errors.map((e) => (
        <Wrong
          key={`${e.code}${e.start}${e.in}${e.message}`}
          error={e}
          place={measure.name || label}
          formula={draft.formula}
          onMend={(text) => change({ formula: text })}
        />
      ))}
      {shown?.reading && sound && (
        <p data-testid="reading" className="reading">
          {shown.reading}
        </p>
      )}
      {shown && sound && shown.errors.length === 0 && <Live draft={draft} told={shown} />}
      {shown && sound && shown.errors.length === 0 && <Ledger lines={shown.ledger} at={cell ?? []} />}
      {sound && shown?.errors.length === 0 && (
        <LiveGrid model={model} define={sides(measure, draft, formula, variants)} format={draft.format} cell={cell} onCell={setCell} />
      )}
      {family.length > 0 && (
        <p className="row variants" role="group" aria-label="Variants beside">
          <span className="quiet">beside it:</span>
          {family.map((m) => (
            <label key={m.name}>
              <input
                type="checkbox"
                checked={compared.includes(m.name)}
                onChange={() => setCompared(compared.includes(m.name) ? compared.filter((n) => n !== m.name) : [...compared, m.name])}
              />{' '}
              {nameText(m.name).toLowerCase()}
              {m.trial ? ' (trial)' : ''}
            </label>
          ))}
        </p>
      )}
      <Details model={model} draft={draft} sample={typeof shown?.value === 'number' ? shown.value : null} put={change} />
      {shown && sound && <Printed told={shown} />}
    </div>
  );
}

/** What a draft says of the parts in which it and another differ; of the formula always. */
function DraftText({ draft, other }: { draft: Draft; other: Draft }) {
  const parts = (Object.keys(draft) as (keyof Draft)[]).filter((k) => k !== 'formula' && draft[k] !== other[k]);
  return (
    <>
      <pre className="formula-box">{draft.formula}</pre>
      {parts.map((k) => (
        <div key={k}>
          <span className="quiet">{k.replace('_', ' ')}:</span> {String(draft[k]) || 'nothing'}
        </div>
      ))}
    </>
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
        {!own && error.in && <b>{error.in}: </b>}
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

function Live({ draft, told }: { draft: Draft; told: FormulaAnswer }) {
  const failed = told.value !== null && typeof told.value === 'object';
  const value = failed ? null : (told.value as Scalar);
  const grains = [...new Set(told.scans.map((s) => s.grain))];
  return (
    <div className="live" aria-live="polite">
      <b data-testid="live-number">{failed ? 'fails' : measureText(value, draft.format, told.dtype ?? 'number') || '(empty)'}</b>
      <span className="quiet">
        as written, without any filter; {told.dtype === 'integer' ? 'a whole number' : `a ${told.dtype}`}
        {grains.length > 0 && (
          <>
            , made row by row over <span className="fact-ink">{grains.join(' and ')}</span>
          </>
        )}
      </span>
    </div>
  );
}

function Printed({ told }: { told: FormulaAnswer }) {
  return (
    <details>
      <summary className="quiet">How it is computed</summary>
      <h3 style={{ marginTop: 10 }}>Typed tree</h3>
      <div className="stage-print" tabIndex={0} role="region" aria-label="Typed tree">
        {told.tree.join('\n')}
      </div>
      <h3>Plan</h3>
      <div className="stage-print" tabIndex={0} role="region" aria-label="Plan">
        {told.plan.join('\n')}
      </div>
    </details>
  );
}
