// The probe as a sentence of chips: Show … by … across … where …
import { Menu } from '@mantine/core';
import { useState, type DragEvent, type KeyboardEvent } from 'react';
import type { ModelDocument, Pick, Probe } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions, EMPTY_PROBE, asProbe, useShown, type Selection } from '../../app/shown';
import { columnName, columnText, nameText, UNMATCHED } from '../../shared/format';
import { Chooser, type Choice } from './Chooser';

type Part = 'measures' | 'rows' | 'columns';

export function pickText(pick: Pick): string {
  if ('where' in pick) return pick.where;
  const values = pick.in.map((v) => (v !== null && typeof v === 'object' ? UNMATCHED : columnText(v)));
  const listed = values.length > 3 ? `${values.slice(0, 2).join(', ')} and ${values.length - 2} more` : values.join(' or ');
  return `${columnName(pick.column)} is ${listed || 'nothing'}`;
}

/** A written `Table.column`, for the Lens. */
function columnSelection(reference: string): Selection {
  const dot = reference.indexOf('.');
  return { kind: 'column', table: reference.slice(0, dot), name: reference.slice(dot + 1) };
}

/** Moves an item of a list to another place. */
function movedItem(list: string[], from: number, to: number): string[] {
  const copy = [...list];
  const [item] = copy.splice(from, 1);
  if (item !== undefined) copy.splice(Math.max(0, Math.min(to, copy.length)), 0, item);
  return copy;
}

function Chips({ part, probe, put }: { part: Part; probe: Probe; put: (change: Partial<Probe>) => void }) {
  const [over, setOver] = useState<number | null>(null);
  const list = probe[part];
  const text = part === 'measures' ? nameText : columnName;
  const drop = (event: DragEvent, to: number) => {
    event.preventDefault();
    setOver(null);
    const { part: from, place } = JSON.parse(event.dataTransfer.getData('application/x-chip') || '{}') as { part?: Part; place?: number };
    if (from === undefined || place === undefined) return;
    if (from === part) return put({ [part]: movedItem(list, place, to) });
    // From one axis to the other; a measure is no axis.
    const item = probe[from][place];
    if (from === 'measures' || part === 'measures' || item === undefined) return;
    put({ [from]: probe[from].filter((_, i) => i !== place), [part]: [...list.slice(0, to), item, ...list.slice(to)] });
  };
  const onKey = (event: KeyboardEvent, place: number) => {
    if (event.key === 'Delete' || event.key === 'Backspace') put({ [part]: list.filter((_, i) => i !== place) });
    else if (event.altKey && event.key === 'ArrowLeft') put({ [part]: movedItem(list, place, place - 1) });
    else if (event.altKey && event.key === 'ArrowRight') put({ [part]: movedItem(list, place, place + 1) });
    else return;
    event.preventDefault();
  };
  return list.map((name, i) => (
    <span
      key={name}
      className={`chip ${part === 'measures' ? 'measure' : ''} ${over === i ? 'over' : ''}`}
      draggable
      onDragStart={(e) => e.dataTransfer.setData('application/x-chip', JSON.stringify({ part, place: i }))}
      onDragOver={(e) => { e.preventDefault(); setOver(i); }}
      onDragLeave={() => setOver(null)}
      onDrop={(e) => drop(e, i)}
    >
      <button
        type="button"
        title="Drag to another place, or Alt and an arrow; Delete takes it out"
        onKeyDown={(e) => onKey(e, i)}
        onClick={() => actions.select(part === 'measures' ? { kind: 'measure', name } : columnSelection(name))}
      >
        {text(name)}
      </button>
      <button type="button" aria-label={`Take ${text(name)} out`} onClick={() => put({ [part]: list.filter((_, j) => j !== i) })}>
        ✕
      </button>
    </span>
  ));
}

const TOTALS: [Probe['totals'], string][] = [
  ['all', 'totals at every level'],
  ['grand', 'grand totals'],
  ['none', 'no totals'],
];

export function Sentence({ model, probe }: { model: ModelDocument; probe: Probe }) {
  const put = useShown((s) => s.setProbe);
  const used = new Set([...probe.rows, ...probe.columns]);
  const columns: Choice[] = model.tables
    .filter((t) => !t.hidden)
    .filter((t) => t.role !== 'fact')
    .concat(model.tables.filter((t) => t.role === 'fact' && !t.hidden))
    .flatMap((t) => t.columns.filter((c) => !c.hidden).map((c) => ({ value: `${t.name}.${c.name}`, text: `${t.name} ${c.name.replaceAll('_', ' ')}`, detail: c.dtype })));
  const free = columns.filter((c) => !used.has(c.value));
  const measures = model.measures.filter((m) => !probe.measures.includes(m.name)).map((m) => ({ value: m.name, text: nameText(m.name), detail: m.folder }));
  const picked = new Set(probe.picks.map((p) => ('column' in p ? p.column : '')));
  return (
    <div className="sentence" role="group" aria-label="The probe">
      Show
      <Chips part="measures" probe={probe} put={put} />
      <Chooser label="+ measure" title="Add a measure" choices={measures} onChoose={(v) => put({ measures: [...probe.measures, v] })} />
      by
      <Chips part="rows" probe={probe} put={put} />
      <Chooser label="+ rows" title="Add a column to the rows" choices={free} onChoose={(v) => put({ rows: [...probe.rows, v] })} />
      across
      <Chips part="columns" probe={probe} put={put} />
      <Chooser label="+ columns" title="Add a column across" choices={free} onChoose={(v) => put({ columns: [...probe.columns, v] })} />
      where
      {probe.picks.map((pick, i) => (
        <span key={JSON.stringify(pick)} className="chip">
          <button type="button" onClick={() => 'column' in pick && actions.select(columnSelection(pick.column))} disabled={!('column' in pick)}>
            {pickText(pick)}
          </button>
          <button type="button" aria-label={`Take the pick ${pickText(pick)} out`} onClick={() => put({ picks: probe.picks.filter((_, j) => j !== i) })}>
            ✕
          </button>
        </span>
      ))}
      <Chooser label="+ pick" title="Pick from a column" choices={columns.filter((c) => !picked.has(c.value))} onChoose={(v) => put({ picks: [...probe.picks, { column: v, in: [] }] })} />
      <Where onAdd={(where) => put({ picks: [...probe.picks, { where }] })} />
      with
      <Menu shadow="none" position="bottom-start">
        <span className="chip">
          <Menu.Target>
            <button type="button">{TOTALS.find(([t]) => t === probe.totals)?.[1]} ▾</button>
          </Menu.Target>
        </span>
        <Menu.Dropdown>
          {TOTALS.map(([value, words]) => (
            <Menu.Item key={value} onClick={() => put({ totals: value })}>{words}</Menu.Item>
          ))}
          <Menu.Divider />
          <Menu.Item onClick={() => put({ empty_lines: !probe.empty_lines })}>{probe.empty_lines ? 'leave empty lines out' : 'empty lines, too'}</Menu.Item>
        </Menu.Dropdown>
      </Menu>
      <SavedProbes model={model} probe={probe} />
    </div>
  );
}

/** A condition of the page, written as in a formula. */
function Where({ onAdd }: { onAdd: (where: string) => void }) {
  const [text, setText] = useState<string | null>(null);
  if (text === null)
    return (
      <span className="chip add">
        <button type="button" onClick={() => setText('')}>+ condition</button>
      </span>
    );
  return (
    <form onSubmit={(e) => { e.preventDefault(); if (text.trim()) onAdd(text.trim()); setText(null); }}>
      <input
        className="field mono"
        style={{ width: 300 }}
        // Opened to be typed into.
        ref={(node) => node?.focus()}
        aria-label="A condition over one table"
        placeholder="Calendar.date >= DATE '2032-01-01'"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => e.key === 'Escape' && setText(null)}
      />
    </form>
  );
}

function SavedProbes({ model, probe }: { model: ModelDocument; probe: Probe }) {
  const { edit } = useEdits(model);
  const set = useShown((s) => s.set);
  const [naming, setNaming] = useState<string | null>(null);
  const stored = model.probes.find((p) => p.name === probe.name);
  const changed = JSON.stringify(stored ? asProbe(stored) : null) !== JSON.stringify(probe);
  const save = (name: string) => {
    const named = { ...probe, name };
    set({ probe: named });
    void edit({ kind: 'put_probe', probe: named });
  };
  if (naming !== null)
    return (
      <form style={{ marginLeft: 'auto' }} onSubmit={(e) => { e.preventDefault(); if (naming.trim()) save(naming.trim()); setNaming(null); }}>
        <input className="field" ref={(node) => node?.focus()} aria-label="Name of the probe" placeholder="name of the probe" value={naming} onChange={(e) => setNaming(e.target.value)} onKeyDown={(e) => e.key === 'Escape' && setNaming(null)} />
      </form>
    );
  return (
    <Menu shadow="none" position="bottom-end">
      <Menu.Target>
        <button type="button" className="plain" style={{ marginLeft: 'auto', fontSize: 13 }}>
          <u>{probe.name ?? 'a probe without a name'}</u>
          {changed ? ' (changed)' : ''} ▾
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        {model.probes.map((p) => (
          <Menu.Item key={String(p.name)} onClick={() => set({ probe: asProbe(p), selection: null })}>{String(p.name)}</Menu.Item>
        ))}
        <Menu.Divider />
        <Menu.Item onClick={() => set({ probe: EMPTY_PROBE, selection: null })}>A new probe</Menu.Item>
        {probe.name && changed && <Menu.Item onClick={() => save(probe.name ?? '')}>Save</Menu.Item>}
        <Menu.Item onClick={() => setNaming('')}>Save under a name…</Menu.Item>
        {stored && <Menu.Item onClick={() => { void edit({ kind: 'remove_probe', name: probe.name }); set({ probe: { ...probe, name: undefined } }); }}>Remove “{probe.name}”</Menu.Item>}
      </Menu.Dropdown>
    </Menu>
  );
}
