// The chips of one part of the sentence: dragged, moved by keys, cut and put in elsewhere.
import { Popover } from '@mantine/core';
import { useState, type DragEvent, type HTMLAttributes, type KeyboardEvent, type ReactNode } from 'react';
import type { GridAnswer, Probe } from '../../api/client';
import { type Selection } from '../../app/frame';
import { actions, onScreen } from '../../app/shown';
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
  const byTable = new Map<string, string[]>();
  for (const m of answer?.measures ?? []) for (const table of m.unreached) byTable.set(table, [...(byTable.get(table) ?? []), m.name]);
  return byTable;
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

const textOf = (part: Part) => (part === 'measures' ? nameText : columnName);

/** Puts something of one part in at a place of another; from one axis to the other it leaves where it was. */
function bring(probe: Probe, part: Part, from: Part, name: string, to: number): Partial<Probe> | null {
  const list = probe[part];
  const put = [...list.slice(0, to), name, ...list.slice(to)];
  if (from === part) return { [part]: list.includes(name) ? movedItem(list, list.indexOf(name), to) : put };
  if (from === 'measures' || part === 'measures') return null;
  return { [from]: probe[from].filter((x) => x !== name), [part]: put };
}

/** Dragging a chip over the places of a part, and dropping it there. */
function useDrop(part: Part, probe: Probe, put: ChipsProps['put']) {
  const [over, setOver] = useState<number | null>(null);
  const drop = (event: DragEvent, to: number) => {
    event.preventDefault();
    setOver(null);
    const { part: from, place } = JSON.parse(event.dataTransfer.getData('application/x-chip') || '{}') as { part?: Part; place?: number };
    const name = from !== undefined && place !== undefined ? probe[from][place] : undefined;
    const change = from !== undefined && name !== undefined ? bring(probe, part, from, name, to) : null;
    if (change) put(change);
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
  return { over, target };
}

/** What a key does to a chip: a change of the probe, or nothing of ours. */
function keyed(event: KeyboardEvent, probe: Probe, part: Part, place: number): Partial<Probe> | null {
  const list = probe[part];
  const name = list[place] ?? '';
  const command = event.ctrlKey || event.metaKey;
  const { cut } = onScreen();
  if (event.key === 'Delete' || event.key === 'Backspace') return without(probe, part, name);
  if (command && event.key === 'x') {
    actions.set({ cut: { part, name } });
    return without(probe, part, name);
  }
  if (command && event.key === 'v' && cut) {
    actions.set({ cut: null });
    return bring(probe, part, cut.part, cut.name, place + 1) ?? {};
  }
  if (!event.altKey) return null;
  if (event.key === 'ArrowLeft') return { [part]: movedItem(list, place, place - 1) };
  if (event.key === 'ArrowRight') return { [part]: movedItem(list, place, place + 1) };
  if ((event.key !== 'ArrowDown' && event.key !== 'ArrowUp') || part === 'measures') return null;
  const other: Part = part === 'rows' ? 'columns' : 'rows';
  return { [part]: list.filter((x) => x !== name), [other]: [...probe[other], name] };
}

export function Chips(given: ChipsProps) {
  const { part, probe, put, children } = given;
  const { over, target } = useDrop(part, probe, put);
  const [typing, setTyping] = useState<Typing | null>(null);
  const list = probe[part];
  return (
    <>
      {list.map((name, i) => (
        <Chip key={name} {...given} name={name} place={i} over={over === i} target={target(i)} typing={typing} onTyping={setTyping} />
      ))}
      {/* Behind the last one, and where there is none yet. */}
      {/* oxlint-disable-next-line jsx-a11y/no-static-element-interactions */}
      <span className={over === list.length ? 'chip-end over' : 'chip-end'} {...target(list.length)}>
        {children}
      </span>
    </>
  );
}

interface Typing {
  place: number;
  text: string;
}

interface ChipGiven extends ChipsProps {
  name: string;
  place: number;
  over: boolean;
  target: HTMLAttributes<HTMLSpanElement>;
  typing: Typing | null;
  onTyping: (typing: Typing | null) => void;
}

const HELP = 'Type another in its place. Drag to another place, or Alt and an arrow; Ctrl X cuts, Ctrl V puts in, Delete takes it out';

function Chip({ part, choices, probe, put, unreached, name, place, over, target, typing, onTyping }: ChipGiven) {
  const text = textOf(part);
  const lost = part === 'measures' ? [] : (unreached.get(tableOf(name)) ?? []);
  const isTyped = typing?.place === place;
  const onKey = (event: KeyboardEvent) => {
    const letter = !event.ctrlKey && !event.metaKey && !event.altKey && /^\p{L}$/u.test(event.key);
    const change = letter ? null : keyed(event, probe, part, place);
    if (letter) onTyping({ place, text: event.key });
    else if (change) put(change);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const instead = (value: string) => {
    put({ ...without(probe, part, name), [part]: probe[part].map((x, i) => (i === place ? value : x)) });
    onTyping(null);
  };
  return (
    <span
      className={`chip ${part === 'measures' ? 'measure' : ''} ${over ? 'over' : ''} ${lost.length ? 'lost' : ''}`}
      draggable
      onDragStart={(e) => e.dataTransfer.setData('application/x-chip', JSON.stringify({ part, place }))}
      {...target}
    >
      <Popover
        opened={isTyped}
        onChange={(open) => !open && onTyping(null)}
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
            title={`${HELP}${probe.define?.[name] ? `\n${probe.define[name]}` : ''}`}
            onKeyDown={onKey}
            onDoubleClick={() => onTyping({ place, text: '' })}
            onClick={() => actions.select(part === 'measures' ? { kind: 'measure', name } : columnSelection(name))}
          >
            {text(name)}
            {lost.length > 0 && <span className="visually-hidden">, does not reach {lost.map(nameText).join(', ')}</span>}
          </button>
        </Popover.Target>
        <Popover.Dropdown>
          {isTyped && <ChoiceList title={`Instead of ${text(name)}`} choices={choices} typed={typing.text} onChoose={instead} />}
        </Popover.Dropdown>
      </Popover>
      {lost.length > 0 && <LostMark measures={lost} />}
      <button type="button" aria-label={`Take ${text(name)} out`} onClick={() => put(without(probe, part, name))}>
        ✕
      </button>
    </span>
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
