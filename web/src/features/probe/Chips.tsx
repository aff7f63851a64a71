// The chips of one part of the sentence: dragged, moved by keys, cut and put in elsewhere.
import { Popover } from '@mantine/core';
import { useState, type DragEvent, type KeyboardEvent, type ReactNode } from 'react';
import type { GridAnswer, Probe } from '../../api/client';
import { actions, useShown, type Selection } from '../../app/shown';
import { columnName, nameText, splitReference } from '../../shared/format';
import { ChoiceList, type Choice } from './Chooser';

export type Part = 'measures' | 'rows' | 'columns';

/** A written `Table.column`, for the Lens. */
export function columnSelection(reference: string): Selection {
  const [table, name] = splitReference(reference);
  return { kind: 'column', table, name };
}

/** Moves an item of a list to another place. */
function movedItem(list: string[], from: number, to: number): string[] {
  const copy = [...list];
  const [item] = copy.splice(from, 1);
  if (item !== undefined) copy.splice(Math.max(0, Math.min(to, copy.length)), 0, item);
  return copy;
}

/** A probe without a measure, its formula, and what is said of it. */
export function withoutMeasure(probe: Probe, name: string): Partial<Probe> {
  const { [name]: _gone, ...define } = probe.define ?? {};
  return {
    measures: probe.measures.filter((m) => m !== name),
    define: Object.keys(define).length ? define : undefined,
    sort: probe.sort?.filter((s) => s.by !== name),
    top: probe.top?.by === name ? undefined : probe.top,
    // A formula of the probe's own is gone with its chip; a measure of the model can still be asked about.
    having: name in (probe.define ?? {}) ? probe.having?.filter((h) => !h.where.toLowerCase().includes(name.toLowerCase())) : probe.having,
  };
}

/** A probe with something taken off one of its parts. */
export function without(probe: Probe, part: Part, name: string): Partial<Probe> {
  if (part === 'measures') return withoutMeasure(probe, name);
  const level = <T extends { level?: string }>(item: T): T => (item.level === name ? { ...item, level: undefined } : item);
  return {
    [part]: probe[part].filter((x) => x !== name),
    having: probe.having?.map(level),
    top: probe.top && level(probe.top),
    sort: probe.sort?.filter((s) => s.by !== name && !(s.at && name in s.at)),
  };
}

/** For each table on the axes or picked, the measures that a filter on it does not reach. */
export function unreachedBy(answer: GridAnswer | undefined): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const m of answer?.measures ?? []) for (const table of m.unreached) found.set(table, [...(found.get(table) ?? []), m.name]);
  return found;
}

export const tableOf = (reference: string) => splitReference(reference)[0];

interface ChipsProps {
  part: Part;
  /** What can stand in a chip's place. */
  choices: Choice[];
  probe: Probe;
  put: (change: Partial<Probe>) => void;
  unreached: Map<string, string[]>;
  /** What adds one. */
  children: ReactNode;
}

export function Chips({ part, choices, probe, put, unreached, children }: ChipsProps) {
  const [over, setOver] = useState<number | null>(null);
  const [typing, setTyping] = useState<{ place: number; text: string } | null>(null);
  const cut = useShown((s) => s.cut);
  const list = probe[part];
  const text = part === 'measures' ? nameText : columnName;
  /** Puts something of one part in at a place of this one; from one axis to the other it leaves where it was. */
  const bring = (from: Part, name: string, to: number) => {
    if (from === part)
      return put({
        [part]: list.includes(name) ? movedItem(list, list.indexOf(name), to) : [...list.slice(0, to), name, ...list.slice(to)],
      });
    if (from === 'measures' || part === 'measures') return undefined;
    return put({ [from]: probe[from].filter((x) => x !== name), [part]: [...list.slice(0, to), name, ...list.slice(to)] });
  };
  const drop = (event: DragEvent, to: number) => {
    event.preventDefault();
    setOver(null);
    const { part: from, place } = JSON.parse(event.dataTransfer.getData('application/x-chip') || '{}') as { part?: Part; place?: number };
    const name = from !== undefined && place !== undefined ? probe[from][place] : undefined;
    if (from !== undefined && name !== undefined) bring(from, name, to);
  };
  const above = (event: DragEvent, to: number) => {
    event.preventDefault();
    setOver(to);
  };
  const target = (to: number) => ({
    onDragEnter: (e: DragEvent) => above(e, to),
    onDragOver: (e: DragEvent) => above(e, to),
    onDragLeave: () => setOver(null),
    onDrop: (e: DragEvent) => drop(e, to),
  });
  const onKey = (event: KeyboardEvent, place: number) => {
    const name = list[place] ?? '';
    const command = event.ctrlKey || event.metaKey;
    if (!command && !event.altKey && /^\p{L}$/u.test(event.key)) setTyping({ place, text: event.key });
    else if (event.key === 'Delete' || event.key === 'Backspace') put(without(probe, part, name));
    else if (command && event.key === 'x') {
      actions.set({ cut: { part, name } });
      put(without(probe, part, name));
    } else if (command && event.key === 'v' && cut) {
      bring(cut.part, cut.name, place + 1);
      actions.set({ cut: null });
    } else if (event.altKey && event.key === 'ArrowLeft') put({ [part]: movedItem(list, place, place - 1) });
    else if (event.altKey && event.key === 'ArrowRight') put({ [part]: movedItem(list, place, place + 1) });
    else if (event.altKey && (event.key === 'ArrowDown' || event.key === 'ArrowUp') && part !== 'measures') {
      const other: Part = part === 'rows' ? 'columns' : 'rows';
      put({ [part]: list.filter((x) => x !== name), [other]: [...probe[other], name] });
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const instead = (place: number, value: string) => {
    const gone = without(probe, part, list[place] ?? '');
    put({ ...gone, [part]: list.map((x, i) => (i === place ? value : x)) });
    setTyping(null);
  };
  const lost = (name: string) => (part === 'measures' ? [] : (unreached.get(tableOf(name)) ?? []));
  const shown = list.map((name, i) => (
    <span
      key={name}
      className={`chip ${part === 'measures' ? 'measure' : ''} ${over === i ? 'over' : ''} ${lost(name).length ? 'lost' : ''}`}
      draggable
      onDragStart={(e) => e.dataTransfer.setData('application/x-chip', JSON.stringify({ part, place: i }))}
      {...target(i)}
    >
      <Popover
        opened={typing?.place === i}
        onChange={(open) => !open && setTyping(null)}
        trapFocus
        returnFocus
        position="bottom-start"
        shadow="none"
        width={320}
        transitionProps={{ duration: 0 }}
      >
        <Popover.Target>
          <button
            type="button"
            title={`Type another in its place. Drag to another place, or Alt and an arrow; Ctrl X cuts, Ctrl V puts in, Delete takes it out${probe.define?.[name] ? `\n${probe.define[name]}` : ''}`}
            onKeyDown={(e) => onKey(e, i)}
            onDoubleClick={() => setTyping({ place: i, text: '' })}
            onClick={() => actions.select(part === 'measures' ? { kind: 'measure', name } : columnSelection(name))}
          >
            {text(name)}
            {lost(name).length > 0 && <span className="visually-hidden">, does not reach {lost(name).map(nameText).join(', ')}</span>}
          </button>
        </Popover.Target>
        <Popover.Dropdown>
          {typing?.place === i && (
            <ChoiceList title={`Instead of ${text(name)}`} choices={choices} typed={typing.text} onChoose={(value) => instead(i, value)} />
          )}
        </Popover.Dropdown>
      </Popover>
      {lost(name).length > 0 && <LostMark measures={lost(name)} />}
      <button type="button" aria-label={`Take ${text(name)} out`} onClick={() => put(without(probe, part, name))}>
        ✕
      </button>
    </span>
  ));
  return (
    <>
      {shown}
      {/* Behind the last one, and where there is none yet. */}
      {/* oxlint-disable-next-line jsx-a11y/no-static-element-interactions */}
      <span className={over === list.length ? 'chip-end over' : 'chip-end'} {...target(list.length)}>
        {children}
      </span>
    </>
  );
}

/** A filter that does not reach some measure: a bar across the line, as a stop is drawn everywhere. */
export function LostMark({ measures }: { measures: string[] }) {
  const words = `does not reach ${measures.map((m) => nameText(m).toLowerCase()).join(', ')}`;
  return (
    <button
      type="button"
      className="lost-mark"
      title={words}
      aria-label={words}
      onClick={() => actions.set({ selection: { kind: 'mark', measure: measures[0] ?? '', mark: 'unreached' }, lensOpen: true })}
    >
      <svg width="15" height="12" viewBox="0 0 15 12" aria-hidden>
        <path d="M0 6H8" />
        <path d="M10 1V11" className="bar" />
      </svg>
    </button>
  );
}
