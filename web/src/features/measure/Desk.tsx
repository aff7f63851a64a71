// One measure on the desk: name, formula, errors with mends, reading, ledger, live grid, and what is said of it.
import { useEffect, useMemo, useState } from 'react';
import {
  toUtf16,
  type Coordinate,
  type ErrorItem,
  type FormulaAnswer,
  type MeasureInfo,
  type ModelDocument,
  type Scalar,
} from '../../api/client';
import { useConditions, useEdits, useFormula, useGridUnderWay, type Edit } from '../../api/queries';
import type { Selection } from '../../app/frame';
import { actions } from '../../app/shown';
import { useMeasure } from './store';
import { askedProbe, useProbe } from '../probe/store';
import { measureText, nameText } from '../../shared/format';
import { useKept } from '../../shared/kept';
import { useSaver } from '../../shared/saver';
import { Details } from './Details';
import { Meanwhile } from './Meanwhile';
import { FormulaEditor } from './FormulaEditor';
import { Ledger, filtersOf } from './Ledger';
import { LiveGrid, sides } from './LiveGrid';
import { MEASURE, draftOf, freeName, same, useWriting, writeOn, type Draft } from './drafts';
import { ConsequencesBox, useChange } from '../shape/Consequences';

const PAUSE = 150;

/** The draft of a measure: what was typed and not saved, else the measure as it is. An offered formula becomes the draft. */
function useDraft(model: ModelDocument, measure: MeasureInfo) {
  const saved = useMemo(() => draftOf(measure), [measure]);
  const { value: kept, theirs, put, drop: forget, rebase } = useKept(model.id, MEASURE, measure.name, saved);
  const offered = useMeasure((s) => s.offered);
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

/** The text that is asked about: what is written, at once. While the answer to the last one is under way, the text waits for it, or for a pause
 * of the keys where that takes long: who holds a key down does not have all that it writes computed. */
function useAsked(text: string, busy: boolean): string {
  const [asked, setAsked] = useState(text);
  if (!busy && asked !== text) setAsked(text);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(text), PAUSE);
    return () => clearTimeout(timer);
  }, [text]);
  return busy ? asked : text;
}

/** What a formula means as it is typed: its errors, the answer to it, and the last answer there was. */
function useMeaning(model: ModelDocument, measure: MeasureInfo, draft: Draft, cell: Coordinate[] | null) {
  const probe = useProbe((s) => s.probe);
  const formula = useAsked(draft.formula, useGridUnderWay(model));
  const label = draft.name.trim() || 'new measure';
  useConditions(); // what they filter is known once a grid has been answered under them
  const { arriving, page } = filtersOf(cell ?? [], probe ? askedProbe(probe).picks : []);
  const meaning = useFormula(model, measure.name || label, formula, arriving, page);
  // Its ledger may still be another cell's; what is wrong with the formula is the same in all.
  const current = meaning.data?.formula === draft.formula ? meaning.data : undefined;
  // What is wrong in other measures first, then from the beginning of this one.
  const errors = (current?.errors ?? []).toSorted((x, y) => (x.in === y.in ? x.start - y.start : 0));
  const shown = current ?? meaning.data;
  const sound = errors.length === 0 && draft.formula.trim() !== '';
  return { formula, label, isCurrent: current !== undefined, shown, errors, sound, whole: shown && sound && shown.errors.length === 0 };
}

const open = (name: string) => actions.set({ measure: name, selection: { kind: 'measure', name }, offered: null });

/** The keyboard stays where it was while a measure is saved under another name. */
function keepWriting(name: string): void {
  const focus = document.activeElement;
  const part = focus?.closest('.editor') ? 'formula' : focus?.matches('.desk-name') ? 'name' : null;
  useWriting.setState({ writing: part ? { part, measure: name } : null });
}

/** What one save changes; null where nothing. One save is one edit, whatever of it has changed. */
function savingEdit(measure: MeasureInfo, draft: Draft, saved: Draft, name: string): Edit | null {
  if (measure.name === '') return { kind: 'add_measure', measure: { ...draft, name } };
  const parts = Object.entries(draft).filter(([key, value]) => key !== 'name' && saved[key as keyof Draft] !== value);
  const set = Object.fromEntries(parts);
  if (name !== measure.name) return { kind: 'rename_measure', name: measure.name, to: name, ...(parts.length ? { set } : {}) };
  return parts.length ? { kind: 'change_measure', name: measure.name, set } : null;
}

/** Saving, a variant beside it, removing. */
function useKeeping(model: ModelDocument, measure: MeasureInfo, written: ReturnType<typeof useDraft>, ready: boolean) {
  const { draft, saved, changed, theirs, drop } = written;
  const { edit, busy } = useEdits(model);
  const name = draft.name.trim();
  const taken = model.measures.some((m) => m.name !== measure.name && m.name.toLowerCase() === name.toLowerCase());
  const can = changed && ready && !busy && name !== '' && !taken && !theirs;
  const save = async () => {
    if (!can) return;
    if (name !== measure.name) keepWriting(name);
    const change = savingEdit(measure, draft, saved, name);
    if (change && !(await edit(change))) return;
    drop();
    open(name);
  };
  const duplicate = async () => {
    const base = measure.variant_of || measure.name;
    const free = freeName(model.measures, `${base}_trial`);
    if (await edit({ kind: 'add_measure', measure: { ...draft, name: free, trial: true, variant_of: base } })) {
      drop();
      open(free);
    }
  };
  const change = useChange(model);
  const gone = () => {
    drop();
    actions.set({ measure: null, selection: null });
  };
  const remove = () => void change.ask({ kind: 'remove_measure', name: measure.name }).then((done) => done && gone());
  const removeNow = (asked: Edit) => void edit(asked).then((done) => done && gone());
  useSaver(() => void save(), changed);
  return { busy: busy || change.busy, taken, can, save, duplicate, remove, removeNow, change };
}

/** To where something is defined, or to everywhere it is named. */
function goTo(model: ModelDocument, kind: string, name: string, uses: boolean): void {
  if (kind === 'measure' && !uses) return open(name);
  const table = model.tables.find((t) => t.columns.some((c) => `${t.name}.${c.name}` === name))?.name ?? '';
  const selection: Selection =
    kind === 'measure'
      ? { kind, name }
      : kind === 'column'
        ? { kind, table, name: name.slice(table.length + 1) }
        : { kind: kind as 'table' | 'link', name };
  return actions.set({ lensOpen: true, selection });
}

export function Desk({ model, measure }: { model: ModelDocument; measure: MeasureInfo }) {
  const written = useDraft(model, measure);
  const { draft, saved, offer, theirs, change, drop, rebase } = written;
  const [cell, setCell] = useState<Coordinate[] | null>(null);
  const [compared, setCompared] = useState<string[]>([]);
  const { formula, label, isCurrent, shown, errors, sound, whole } = useMeaning(model, measure, draft, cell);
  const keeping = useKeeping(model, measure, written, isCurrent && sound);
  const variants = model.measures.filter((m) => compared.includes(m.name));
  return (
    <div className="pad desk" data-region>
      <DeskHead measure={measure} written={written} keeping={keeping} sound={sound} />
      {keeping.change.box && (
        <ConsequencesBox model={model} box={keeping.change.box} onMake={keeping.removeNow} onLeave={keeping.change.clear} />
      )}
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
        {...{ model, errors }}
        name={measure.name || label}
        value={draft.formula}
        onChange={(text) => text !== draft.formula && change({ formula: text })}
        onSave={() => void keeping.save()}
        onGo={(kind, name, uses) => goTo(model, kind, name, uses)}
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
      {shown && whole && <Live draft={draft} answer={shown} />}
      {shown && whole && <Ledger lines={shown.ledger} at={cell ?? []} />}
      {whole && (
        <LiveGrid model={model} define={sides(measure, draft, formula, variants)} format={draft.format} cell={cell} onCell={setCell} />
      )}
      <Variants model={model} measure={measure} compared={compared} onCompare={setCompared} />
      <Details model={model} draft={draft} sample={typeof shown?.value === 'number' ? shown.value : null} put={change} />
      {shown && sound && <Printed answer={shown} />}
    </div>
  );
}

interface HeadGiven {
  measure: MeasureInfo;
  written: ReturnType<typeof useDraft>;
  keeping: ReturnType<typeof useKeeping>;
  sound: boolean;
}

/** The measure's name, what is to be known of it, and what can be done with it. */
function DeskHead({ measure, written, keeping, sound }: HeadGiven) {
  const { draft, changed, change, drop } = written;
  const { busy, taken, can, save, duplicate, remove } = keeping;
  const isNew = measure.name === '';
  return (
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
      <button data-needs="try" type="button" className="pill small solid" disabled={!can} onClick={() => void save()} title="Ctrl S">
        Save
      </button>
      {!isNew && (
        <>
          <button
            data-needs="try"
            type="button"
            className="pill small"
            disabled={busy || !sound}
            title="A trial beside it, with the formula as written here"
            onClick={() => void duplicate()}
          >
            As a variant
          </button>
          <button data-needs="try" type="button" className="pill small" disabled={busy} onClick={remove}>
            Remove
          </button>
        </>
      )}
    </div>
  );
}

interface VariantsGiven {
  model: ModelDocument;
  measure: MeasureInfo;
  compared: string[];
  onCompare: (names: string[]) => void;
}

/** The measure's trials, and the one that it is a trial of, to be shown beside it. */
function Variants({ model, measure, compared, onCompare }: VariantsGiven) {
  const base = measure.variant_of || measure.name;
  const family = model.measures.filter(
    (m) => measure.name !== '' && m.name !== measure.name && !m.broken && (m.variant_of === base || m.name === measure.variant_of),
  );
  if (family.length === 0) return null;
  return (
    <p className="row variants" role="group" aria-label="Variants beside">
      <span className="quiet">beside it:</span>
      {family.map((m) => (
        <label key={m.name}>
          <input
            type="checkbox"
            checked={compared.includes(m.name)}
            onChange={() => onCompare(compared.includes(m.name) ? compared.filter((n) => n !== m.name) : [...compared, m.name])}
          />{' '}
          {nameText(m.name).toLowerCase()}
          {m.trial ? ' (trial)' : ''}
        </label>
      ))}
    </p>
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
            <button data-needs="try" key={m.label} type="button" className="pill small solid" onClick={() => mend(m.start, m.end, m.text)}>
              {m.label}
            </button>
          ))}
      </span>
    </div>
  );
}

function Live({ draft, answer }: { draft: Draft; answer: FormulaAnswer }) {
  const failed = answer.value !== null && typeof answer.value === 'object';
  const value = failed ? null : (answer.value as Scalar);
  const grains = [...new Set(answer.scans.map((s) => s.grain))];
  return (
    <div className="live" aria-live="polite">
      <b data-testid="live-number">{failed ? 'fails' : measureText(value, draft.format, answer.dtype ?? 'number') || '(empty)'}</b>
      <span className="quiet">
        as written, without any filter; {answer.dtype === 'integer' ? 'a whole number' : `a ${answer.dtype}`}
        {grains.length > 0 && (
          <>
            , made row by row over <span className="fact-ink">{grains.join(' and ')}</span>
          </>
        )}
      </span>
    </div>
  );
}

function Printed({ answer }: { answer: FormulaAnswer }) {
  return (
    <details>
      <summary className="quiet">How it is computed</summary>
      <h3 style={{ marginTop: 10 }}>Typed tree</h3>
      <div className="stage-print" tabIndex={0} role="region" aria-label="Typed tree">
        {answer.tree.join('\n')}
      </div>
      <h3>Plan</h3>
      <div className="stage-print" tabIndex={0} role="region" aria-label="Plan">
        {answer.plan.join('\n')}
      </div>
    </details>
  );
}
