// The sentence of chips: what a probe shows, by and across what, where, in which order, compared with what.
import { EMPTY_PROBE, useProbe } from './store';
import { useStore } from 'zustand';
import { Menu } from '@mantine/core';
import { useEffect, useRef, useState, type KeyboardEvent } from 'react';
import type { GridAnswer, ModelDocument, Order, Pick, Probe } from '../../api/client';
import { actions } from '../../app/shown';
import { UNMATCHED, columnName, columnText, nameText, referenceText } from '../../shared/format';
import { focusSoon } from '../../shared/focus';
import { onUndoKeys } from '../../shared/undoKeys';
import { conditionOf, useConditions } from '../../api/queries';
import { Chips, LostMark, columnSelection, tableOf, unreachedBy } from './Chips';
import { Chooser, type Choice } from './Chooser';
import { Compare } from './Compare';
import { KeptLines } from './KeptLines';
import { UndoButtons } from '../../shared/UndoButtons';
import { SavedProbes } from './SavedProbes';
import { pickText } from './pickText';
import { Where } from './Where';

const TOTALS: [Probe['totals'], string][] = [
  ['all', 'totals at every level'],
  ['grand', 'grand totals'],
  ['none', 'no totals'],
];

/** What can be put on an axis: columns of dimensions first, hierarchies, and measures. */
function useChoices(model: ModelDocument, probe: Probe) {
  const used = new Set([...probe.rows, ...probe.columns]);
  const shown = model.tables.filter((t) => !t.hidden);
  const columns: Choice[] = [...shown.filter((t) => t.role !== 'fact'), ...shown.filter((t) => t.role === 'fact')].flatMap((t) =>
    t.columns
      .filter((c) => !c.hidden)
      .map((c) => ({ value: referenceText(t.name, c.name), text: `${t.name} ${c.name.replaceAll('_', ' ')}`, detail: c.dtype })),
  );
  const levels: Choice[] = model.hierarchies.map((h) => ({
    value: JSON.stringify(h.levels),
    text: `${h.name}: ${h.levels.map((l) => columnName(l)).join(' › ')}`,
    detail: 'hierarchy',
  }));
  const others = columns.filter((c) => !used.has(c.value));
  const measures: Choice[] = model.measures
    .filter((m) => !probe.measures.includes(m.name))
    .map((m) => ({ value: m.name, text: nameText(m.name), detail: m.trial ? 'trial' : m.folder }));
  return { used, columns, others, free: [...others, ...levels], measures };
}

interface PartGiven {
  model: ModelDocument;
  probe: Probe;
  choices: ReturnType<typeof useChoices>;
  unreached: Map<string, string[]>;
}

const put = actions.setProbe;

/** Whether somebody is in the sentence: it shows then all that can be asked for; else one line of what is asked. */
function useEntered(empty: boolean) {
  const place = useRef<HTMLDivElement>(null);
  const [entered, setEntered] = useState(false);
  useEffect(() => {
    if (!entered) return undefined;
    const leave = (event: Event) => {
      const at = event.target as Element;
      // Once a press is over: what is pressed may not move from under the pointer. By keyboard at once.
      if (event.type === 'focusin' && !at.matches(':focus-visible')) return;
      if (at.isConnected && !place.current?.contains(at) && !at.closest('[data-portal], .folio-strip')) setEntered(false);
    };
    document.addEventListener('click', leave);
    document.addEventListener('focusin', leave);
    return () => {
      document.removeEventListener('click', leave);
      document.removeEventListener('focusin', leave);
    };
  }, [entered]);
  return { place, entered: entered || empty, enter: () => setEntered(true), leave: () => setEntered(false) };
}

export function Sentence({ model, probe, answer }: { model: ModelDocument; probe: Probe; answer?: GridAnswer }) {
  useConditions(); // they are read aloud once they have been answered
  const { place, entered, enter, leave } = useEntered(probe.measures.length === 0);
  const part: PartGiven = { model, probe, choices: useChoices(model, probe), unreached: unreachedBy(answer) };
  const onKey = (event: KeyboardEvent) => {
    if (event.key === 'Escape' && !event.defaultPrevented) leave();
    onUndoKeys(event, probeUndo());
  };
  return (
    <div className="sentence-place" ref={place}>
      {/* The keys of the chips come up to here. */}
      {/* oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions */}
      <div
        className={entered ? 'sentence entered' : 'sentence'}
        data-region
        role="group"
        aria-label="The probe"
        onKeyDown={onKey}
        // Where the pointer goes down nothing may move from under it: it is entered by the click. By keyboard at once.
        onFocus={(e) => e.target.matches(':focus-visible') && enter()}
        onClick={enter}
      >
        <Axes {...part} />
        <Page {...part} />
        <Sorts model={model} probe={probe} />
        <KeptLines model={model} probe={probe} put={put} />
        <Compare model={model} probe={probe} put={put} />
        <Totals probe={probe} />
      </div>
      {!entered && (
        <button
          type="button"
          className="sentence-more"
          aria-label="Ask for something else"
          title="Measures, rows, columns, picks, order, totals"
          onClick={() => {
            enter();
            focusSoon('[aria-label="Add a measure"]');
          }}
        >
          +
        </button>
      )}
    </div>
  );
}

const probeUndo = () => {
  const { pastStates, futureStates } = useProbe.temporal.getState();
  return { back: pastStates.length, forth: futureStates.length, undo: actions.undoProbe, redo: actions.redoProbe };
};

/** What was asked before, and the probes of the model. */
export function SentenceEnd({ model }: { model: ModelDocument }) {
  const probe = useProbe((s) => s.probe) ?? EMPTY_PROBE;
  const back = useStore(useProbe.temporal, (s) => s.pastStates.length);
  const forth = useStore(useProbe.temporal, (s) => s.futureStates.length);
  return (
    <span className="row sentence-end">
      <UndoButtons where="in the sentence" back={back} forth={forth} undo={actions.undoProbe} redo={actions.redoProbe} />
      <SavedProbes model={model} probe={probe} />
    </span>
  );
}

/** Show … by … across … */
function Axes({ model, probe, choices, unreached }: PartGiven) {
  const { used, others, free, measures } = choices;
  const onto = (part: 'rows' | 'columns', value: string) => {
    const more = value.startsWith('[') ? (JSON.parse(value) as string[]).filter((c) => !used.has(c)) : [value];
    put({ [part]: [...probe[part], ...more] });
    focusSoon(part === 'rows' ? '[aria-label="Add a column to the rows"]' : '[aria-label="Add a column across"]');
  };
  return (
    <>
      <span>Show</span>
      <Chips part="measures" choices={measures} probe={probe} put={put} unreached={unreached}>
        <Chooser
          label="+ measure"
          title="Add a measure"
          choices={measures}
          onChoose={(v) => {
            put({ measures: [...probe.measures, v] });
            focusSoon('[aria-label="Add a measure"]');
          }}
          onFormula={(formula) => tryFormula(model, probe, formula)}
        />
      </Chips>
      <span className={probe.rows.length ? '' : 'unsaid'}>by</span>
      <Chips part="rows" choices={others} probe={probe} put={put} unreached={unreached}>
        <Chooser label="+ rows" title="Add a column to the rows" choices={free} onChoose={(v) => onto('rows', v)} />
      </Chips>
      <span className={probe.columns.length ? '' : 'unsaid'}>across</span>
      <Chips part="columns" choices={others} probe={probe} put={put} unreached={unreached}>
        <Chooser label="+ columns" title="Add a column across" choices={free} onChoose={(v) => onto('columns', v)} />
      </Chips>
    </>
  );
}

/** Where …: the page's picks and conditions. */
function Page({ model, probe, choices, unreached }: PartGiven) {
  const picked = new Set(probe.picks.map((p) => ('column' in p ? p.column : '')));
  return (
    <>
      <span className={probe.picks.length ? '' : 'unsaid'}>where</span>
      {probe.picks.map((pick, i) => (
        <span key={JSON.stringify(pick)} className={`chip ${unreached.has(pickTable(pick)) ? 'lost' : ''}`}>
          {unreached.has(pickTable(pick)) && <LostMark measures={unreached.get(pickTable(pick)) ?? []} />}
          {'column' in pick ? (
            <button type="button" onClick={() => actions.select(columnSelection(pick.column))}>
              {pickText(pick)}
            </button>
          ) : (
            <Where model={model} text={pick.where} onSay={(where) => put({ picks: probe.picks.map((p, j) => (j === i ? { where } : p)) })}>
              {pickText(pick)}
            </Where>
          )}
          <button
            type="button"
            aria-label={`Take the pick ${pickText(pick)} out`}
            onClick={() => put({ picks: probe.picks.filter((_, j) => j !== i) })}
          >
            ✕
          </button>
        </span>
      ))}
      <Chooser
        label="+ pick"
        title="Pick from a column"
        choices={choices.columns.filter((c) => !picked.has(c.value))}
        onChoose={(v) => {
          put({ picks: [...probe.picks, { column: v, in: [] }] });
          focusSoon(`[aria-label="Search ${columnName(v)}"]`);
        }}
      />
      <span className="chip add">
        <Where model={model} text="" onSay={(where) => put({ picks: [...probe.picks, { where }] })}>
          + condition
        </Where>
      </span>
    </>
  );
}

/** Sorted by … */
function Sorts({ model, probe }: { model: ModelDocument; probe: Probe }) {
  return (
    <>
      <span className={probe.sort?.length ? '' : 'unsaid'}>sorted by</span>
      {probe.sort?.map((order) => (
        <span key={JSON.stringify(order)} className="chip">
          <button
            type="button"
            title="Turn the order round"
            onClick={() => put({ sort: probe.sort?.map((o) => (o === order ? { ...o, desc: !o.desc } : o)) })}
          >
            {orderText(order, probe.measures)}
          </button>
          <button type="button" aria-label="Take the order out" onClick={() => put({ sort: probe.sort?.filter((o) => o !== order) })}>
            ✕
          </button>
        </span>
      ))}
      <Chooser
        label="+ order"
        title="Order the lines by"
        choices={orders(model, probe)}
        onChoose={(by) => put({ sort: [...(probe.sort ?? []), { by, desc: probe.measures.includes(by) }] })}
      />
    </>
  );
}

function Totals({ probe }: { probe: Probe }) {
  return (
    <Menu shadow="none" position="bottom-start">
      <span className="chip add">
        <Menu.Target>
          <button type="button">{TOTALS.find(([t]) => t === probe.totals)?.[1]} ▾</button>
        </Menu.Target>
      </span>
      <Menu.Dropdown>
        {TOTALS.map(([value, words]) => (
          <Menu.Item key={value} onClick={() => put({ totals: value })}>
            {words}
          </Menu.Item>
        ))}
        <Menu.Divider />
        <Menu.Item onClick={() => put({ empty_lines: !probe.empty_lines })}>
          {probe.empty_lines ? 'leave empty lines out' : 'empty lines, too'}
        </Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}

/** A formula typed at “+ measure” is a trial of the probe's own, under a name that nothing has. */
function tryFormula(model: ModelDocument, probe: Probe, formula: string): void {
  const taken = new Set([
    ...model.measures.map((m) => m.name.toLowerCase()),
    ...Object.keys(probe.define ?? {}).map((n) => n.toLowerCase()),
  ]);
  let n = 1;
  while (taken.has(`trial ${n}`)) n += 1;
  const name = `trial ${n}`;
  actions.setProbe({ measures: [...probe.measures, name], define: { ...probe.define, [name]: formula } });
  actions.set({ selection: { kind: 'measure', name }, lensOpen: true });
  focusSoon('[aria-label="Formula of the trial"]');
}

/** The table that a pick filters; of a condition it is known once it has been answered. */
const pickTable = (pick: Pick) => ('column' in pick ? tableOf(pick.column) : (conditionOf(pick.where)?.table ?? ''));

/** What lines can be ordered by: measures shown, columns of the axes, and other columns of their tables. */
function orders(model: ModelDocument, probe: Probe): Choice[] {
  const taken = new Set(probe.sort?.filter((o) => !o.at).map((o) => o.by));
  const axes = [...probe.rows, ...probe.columns];
  const tables = new Set(axes.map(tableOf));
  const others = model.tables
    .filter((t) => tables.has(t.name))
    .flatMap((t) => t.columns.filter((c) => !c.hidden).map((c) => referenceText(t.name, c.name)))
    .filter((c) => !axes.includes(c));
  return [
    ...probe.measures.map((m) => ({ value: m, text: nameText(m), detail: 'measure' })),
    ...axes.map((c) => ({ value: c, text: columnName(c), detail: 'axis' })),
    ...others.map((c) => ({ value: c, text: columnName(c), detail: 'its table' })),
  ].filter((c) => !taken.has(c.value));
}

function orderText(order: Order, measures: string[]): string {
  const name = measures.includes(order.by) ? nameText(order.by).toLowerCase() : columnName(order.by);
  const at = Object.values(order.at ?? {}).map((v) => (v !== null && typeof v === 'object' ? UNMATCHED : columnText(v)));
  return `${name}${at.length ? ` at ${at.join(', ')}` : ''} ${order.desc ? '↓' : '↑'}`;
}
