// A table in the star: its role, its rows, and, opened, its columns, keys and linked ones first.
import { memo, type KeyboardEvent, type PointerEvent } from 'react';
import type { LinkInfo, TableInfo } from '../../api/client';
import { ChangeMark, LinkMark, RoleMark, type ChangeKind } from '../../marks/Marks';
import { count, counted, quotedName } from '../../shared/format';
import type { Box } from './geometry';
import type { Level } from './store';

export interface CardActs {
  onGrab: (event: PointerEvent, name: string) => void;
  onKey: (event: PointerEvent, key: string) => void;
  onPick: (key: string) => void;
  onColumn: (table: string, column: string) => void;
  onLink: (from: string[]) => void;
  onNudge: (name: string, dx: number, dy: number) => void;
  onHover: (name: string | null) => void;
  onToggle: (name: string) => void;
  onSelect: (name: string) => void;
}

interface CardProps extends CardActs {
  table: TableInfo;
  links: LinkInfo[];
  box: Box;
  classes: string;
  open: boolean;
  /** What of its columns it shows. */
  shown: Level;
  target: string | null;
  /** Columns that are picked to be a key together, as one text. */
  picked: string;
  /** What the held formula does to filters here. */
  marks: string;
}

const NEXT: Record<Level, string> = { names: 'Columns', keys: 'All columns', all: 'Only the name' };

const STEPS: Record<string, [number, number]> = { ArrowUp: [0, -24], ArrowDown: [0, 24], ArrowLeft: [-24, 0], ArrowRight: [24, 0] };

export function keyOf(table: string, column: string): string {
  return `${quotedName(table)}.${quotedName(column)}`;
}

export const StarCard = memo(function StarCard(props: CardProps) {
  const { table, links, box, classes, open, shown, target, picked, marks, onGrab, onHover, onToggle, onSelect, onLink, onNudge } = props;
  const keyboard = (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    if (step && event.altKey) onNudge(table.name, step[0], step[1]);
    else if (event.key.toLowerCase() === 'l' && !event.ctrlKey && !event.metaKey && !event.altKey)
      onLink(picked ? picked.split('\n') : [`${quotedName(table.name)}.`]);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div
      className={`star-card ${classes}`}
      style={{
        transform: `translate(${box.x - box.width / 2}px, ${box.y - box.height / 2}px)`,
        width: box.width,
        height: open && !box.opened?.length ? undefined : box.height,
        minHeight: box.height,
        zIndex: open ? 3 : 2,
      }}
      data-table={table.name}
      role="group"
      aria-label={`${table.name}, ${table.role}, ${counted(table.rows, 'row')}`}
      onPointerDown={(e) => onGrab(e, table.name)}
      onMouseEnter={() => onHover(table.name)}
      onMouseLeave={() => onHover(null)}
      onKeyDown={keyboard}
    >
      <span className="name">
        <RoleMark role={table.role} />
        {/* The pointer is the card's; this is for the keyboard. */}
        <button
          type="button"
          className="plain"
          onFocus={() => onHover(table.name)}
          onBlur={() => onHover(null)}
          onClick={(e) => e.detail === 0 && onSelect(table.name)}
        >
          {table.name}
        </button>
        <button
          type="button"
          className="plain quiet"
          style={{ marginLeft: 'auto' }}
          aria-expanded={open}
          aria-label={`Columns of ${table.name}, to drag a link from`}
          title={`${NEXT[shown]}, to drag a link from`}
          onPointerDown={(e) => e.stopPropagation()}
          onClick={() => onToggle(table.name)}
        >
          {shown === 'all' ? '▴' : '▾'}
        </button>
      </span>
      <small>
        {count(table.rows)} {table.role === 'calendar' ? 'days' : 'rows'}{' '}
        {marks
          .split(' ')
          .filter(Boolean)
          .map((kind) => (
            <ChangeMark key={kind} kind={kind as ChangeKind} />
          ))}
      </small>
      {open && <Columns {...props} links={links} target={target} />}
    </div>
  );
});

interface Shown {
  name: string;
  dtype: string;
  isKey: boolean;
  link: LinkInfo | undefined;
}

/** The columns that the card shows, in the star's order; of one that is only open for a link to be dropped, keys and linked ones first. */
function shownColumns(table: TableInfo, links: LinkInfo[], opened: string[] | undefined): Shown[] {
  const of = (name: string) =>
    links.find(
      (k) => (k.from_table === table.name && k.from_columns.includes(name)) || (k.to_table === table.name && k.to_columns.includes(name)),
    );
  const told = table.columns.map((c) => ({
    name: c.name,
    dtype: c.dtype,
    isKey: table.key.includes(c.name) || (table.candidate_keys?.includes(c.name) ?? false),
    hidden: c.hidden,
    link: of(c.name),
  }));
  if (opened?.length) return opened.flatMap((name) => told.filter((c) => c.name === name));
  const weight = (c: Shown) => (c.isKey ? 0 : c.link ? 1 : 2);
  return told.filter((c) => !c.hidden || c.link).toSorted((a, b) => weight(a) - weight(b));
}

function Columns({ table, links, box, target, picked, onKey, onPick, onColumn }: CardProps) {
  const chosen = new Set(picked.split('\n'));
  return (
    <div className="keys">
      {shownColumns(table, links, box.opened).map((c) => {
        const key = keyOf(table.name, c.name);
        return (
          <button
            key={c.name}
            type="button"
            className={`key ${key === target ? 'target' : ''} ${chosen.has(key) ? 'picked' : ''}`}
            data-key={key}
            aria-pressed={chosen.has(key)}
            title={`${c.name}: ${c.dtype}${c.isKey ? ', unique' : ''}${c.link ? `, ${c.link.name}` : ''}. Drag it onto a key; Shift and click, or Space, to pick several.`}
            onPointerDown={(e) => onKey(e, key)}
            onKeyDown={(e) => {
              if (e.key === ' ') onPick(key);
              else if (e.key === 'Enter') onColumn(table.name, c.name);
              else return;
              e.preventDefault();
              e.stopPropagation();
            }}
          >
            <span className={c.isKey ? 'is-key' : ''}>{c.name}</span>
            {c.link && <LinkMark link={c.link} width={34} />}
          </button>
        );
      })}
    </div>
  );
}
