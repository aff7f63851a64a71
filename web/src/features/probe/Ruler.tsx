// A time ruler: the rows of each year, quarter, month, week or day under the other picks; a span is dragged over it, or typed.
import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { EMPTY_PROBE } from './store';
import type { ModelDocument, Pick, TableInfo } from '../../api/client';
import { useGrid } from '../../api/queries';
import { counted, dateText, quotedName } from '../../shared/format';

const UNITS = ['years', 'quarters', 'months', 'weeks', 'days'] as const;
type Unit = (typeof UNITS)[number];
const HEIGHT = 46;
const ROOM = 154;
const NARROW = 3;

interface Span {
  from: string;
  to: string;
}

const dateColumn = (table: TableInfo) => `${quotedName(table.name)}.${quotedName(table.calendar ?? '')}`;

/** The span that a condition says, if it is one of the ruler's. */
export function spanOf(table: TableInfo, where: string): Span | null {
  const match = /^(.+) BETWEEN DATE '(\d{4}-\d\d-\d\d)' AND DATE '(\d{4}-\d\d-\d\d)'$/.exec(where);
  return match && match[1] === dateColumn(table) ? { from: match[2] ?? '', to: match[3] ?? '' } : null;
}

/** The unit a day is in, as a key that sorts by time. */
function unitOf(day: string, unit: Unit): string {
  if (unit === 'years') return day.slice(0, 4);
  if (unit === 'quarters') return `${day.slice(0, 4)} Q${Math.ceil(Number(day.slice(5, 7)) / 3)}`;
  if (unit === 'months') return day.slice(0, 7);
  if (unit === 'days') return day;
  const date = new Date(`${day}T00:00:00Z`);
  date.setUTCDate(date.getUTCDate() - ((date.getUTCDay() + 6) % 7));
  return date.toISOString().slice(0, 10);
}

interface Bar extends Span {
  rows: number;
}

function bars(days: { day: string; rows: number }[], unit: Unit): Bar[] {
  const byUnit = new Map<string, Bar>();
  for (const { day, rows } of days) {
    const key = unitOf(day, unit);
    const bar = byUnit.get(key);
    if (bar) {
      bar.to = day;
      bar.rows += rows;
    } else byUnit.set(key, { from: day, to: day, rows });
  }
  return [...byUnit.values()];
}

interface Props {
  model: ModelDocument;
  table: TableInfo;
  picks: Pick[];
  rows: string;
  onSpan: (where: string | null) => void;
}

interface Day {
  day: string;
  rows: number;
}

/** The days of a calendar with their rows under the other picks, and the span that is picked. */
function useDays({ model, table, picks, rows }: Props) {
  const own = picks.map((p) => ('where' in p ? spanOf(table, p.where) : null)).find(Boolean) ?? null;
  const others = picks.filter((p) => ('where' in p ? !spanOf(table, p.where) : p.in.length > 0));
  const grid = useGrid(model, {
    ...EMPTY_PROBE,
    rows: [dateColumn(table)],
    measures: ['rows here'],
    define: { 'rows here': `rows(${quotedName(rows || table.name)})` },
    picks: others,
    totals: 'none',
    empty_lines: true,
  });
  const days: Day[] = (grid.data?.rows.lines ?? [])
    .map((line, r) => ({ day: String(line[0]?.value ?? ''), rows: Number(grid.data?.values[0]?.[r]?.[0] ?? 0) }))
    .filter((d) => /^\d{4}/.test(d.day));
  return { own, days, waits: grid.isPending };
}

export function Ruler(given: Props) {
  const { table, onSpan } = given;
  const [unit, setUnit] = useState<Unit>('months');
  const { own, days, waits } = useDays(given);
  if (days.length === 0)
    return (
      <p className={waits ? 'wait' : 'quiet'}>
        {waits ? `Reading ${table.name}…` : `No day of ${table.name} is left under the other picks.`}
      </p>
    );
  const all: Span = { from: days[0]?.day ?? '', to: days.at(-1)?.day ?? '' };
  const say = (span: Span) => {
    const whole = span.from <= all.from && span.to >= all.to;
    onSpan(whole ? null : `${dateColumn(table)} BETWEEN DATE '${span.from}' AND DATE '${span.to}'`);
  };
  const ends = own ?? all;
  return (
    <section aria-label={`${table.name} ruler`} className="ruler">
      <h2 style={{ fontSize: 14 }}>{table.name}</h2>
      <Scale table={table} unit={unit} shown={bars(days, unit)} own={own} ends={ends} say={say} />
      <div className="row ruler-tools">
        <select
          className="field short"
          aria-label={`${table.name} ruler by`}
          value={unit}
          onChange={(e) => setUnit(e.target.value as Unit)}
        >
          {UNITS.map((u) => (
            <option key={u}>{u}</option>
          ))}
        </select>
        {own && (
          <button type="button" className="plain quiet" onClick={() => onSpan(null)}>
            all days
          </button>
        )}
      </div>
      <div className="ruler-typed">
        {ENDS.map((end) => (
          <TypedDay key={end} table={table} end={end} ends={ends} say={say} />
        ))}
      </div>
    </section>
  );
}

const ENDS = ['from', 'to'] as const;
type End = (typeof ENDS)[number];

/** Whether a span with another end is one. */
const fits = (end: End, day: string, ends: Span) => (end === 'from' ? day <= ends.to : day >= ends.from);

interface EndGiven {
  table: TableInfo;
  end: End;
  ends: Span;
  say: (span: Span) => void;
}

/** An end of the span as text; what is no day, or would turn the span round, is not taken. */
function TypedDay({ table, end, ends, say }: EndGiven) {
  const take = (input: HTMLInputElement) => {
    const day = input.value.trim();
    const isDay = /^\d{4}-\d\d-\d\d$/.test(day) && !Number.isNaN(Date.parse(day));
    if (isDay && day !== ends[end] && fits(end, day, ends)) say({ ...ends, [end]: day });
    else input.value = ends[end];
  };
  return (
    <label className="quiet">
      {end}{' '}
      <input
        key={ends[end]}
        className="field short"
        aria-label={`${table.name} ${end} day`}
        placeholder="2031-12-31"
        defaultValue={ends[end]}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        onBlur={(e) => take(e.target)}
      />
    </label>
  );
}

interface ScaleGiven {
  table: TableInfo;
  unit: Unit;
  shown: Bar[];
  own: Span | null;
  ends: Span;
  say: (span: Span) => void;
}

/** The bars, over which a span is dragged, and its ends, which the keyboard moves. */
function Scale({ table, unit, shown, own, ends, say }: ScaleGiven) {
  const [drag, setDrag] = useState<[number, number] | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const width = Math.max(ROOM, shown.length * NARROW);
  const step = width / shown.length;
  const at = (event: PointerEvent) => {
    const box = svg.current?.getBoundingClientRect();
    return box ? Math.max(0, Math.min(shown.length - 1, Math.floor(((event.clientX - box.left) / box.width) * shown.length))) : 0;
  };
  const drop = () => {
    const [a, b] = drag ? [shown[Math.min(...drag)], shown[Math.max(...drag)]] : [undefined, undefined];
    setDrag(null);
    if (a && b) say({ from: a.from, to: b.to });
  };
  const inside = (bar: Bar, i: number) =>
    drag ? i >= Math.min(...drag) && i <= Math.max(...drag) : !own || (bar.from <= own.to && bar.to >= own.from);
  const first = Math.max(
    0,
    shown.findIndex((b) => b.to >= ends.from),
  );
  const last = Math.max(
    first,
    shown.findLastIndex((b) => b.from <= ends.to),
  );
  return (
    // It scrolls where there are many days, so it can be reached.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
    <div className="ruler-scroll" tabIndex={width > ROOM ? 0 : -1} role="group" aria-label={`${table.name}: drag a span`}>
      <svg
        ref={svg}
        width={width}
        height={HEIGHT + 13}
        data-ruler={table.name}
        onPointerDown={(e) => setDrag([at(e), at(e)])}
        onPointerMove={(e) => drag && setDrag([drag[0], at(e)])}
        onPointerLeave={() => setDrag(null)}
        onPointerUp={drop}
      >
        <Bars unit={unit} shown={shown} step={step} inside={inside} />
        <line x1="0" x2={width} y1={HEIGHT + 6} y2={HEIGHT + 6} className="ruler-rail" />
        <line x1={first * step} x2={(last + 1) * step} y1={HEIGHT + 6} y2={HEIGHT + 6} className="ruler-span" />
        <Handle {...{ table, ends, say, shown, width }} end="from" place={first} x={first * step} />
        <Handle {...{ table, ends, say, shown, width }} end="to" place={last} x={(last + 1) * step} />
      </svg>
    </div>
  );
}

interface BarsGiven {
  unit: Unit;
  shown: Bar[];
  step: number;
  inside: (bar: Bar, i: number) => boolean;
}

function Bars({ unit, shown, step, inside }: BarsGiven) {
  const most = Math.max(1, ...shown.map((b) => b.rows));
  const gap = step > 5 ? 0.7 : 0;
  const days = (bar: Bar) => (unit === 'days' ? dateText(bar.from) : `${dateText(bar.from)} to ${dateText(bar.to)}`);
  return shown.map((bar, i) => {
    const height = (bar.rows / most) * (HEIGHT - 3);
    return (
      <g key={bar.from} className={inside(bar, i) ? 'in' : 'out'}>
        <title>{`${days(bar)}: ${counted(bar.rows, 'row')}`}</title>
        <rect x={i * step} y="0" width={step} height={HEIGHT} className="ruler-back" />
        <rect x={i * step + gap} y={HEIGHT - height} width={Math.max(1, step - gap * 2)} height={height} className="ruler-bar" />
      </g>
    );
  });
}

/** An end of the span: arrows move it from bar to bar. */
function Handle({ table, end, ends, say, shown, place, x, width }: EndGiven & { shown: Bar[]; place: number; x: number; width: number }) {
  const nudge = (event: KeyboardEvent) => {
    const by = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0;
    if (!by) return;
    event.preventDefault();
    const day = shown[Math.max(0, Math.min(shown.length - 1, place + by))]?.[end];
    if (day && fits(end, day, ends)) say({ ...ends, [end]: day });
  };
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={`${table.name} ${end}`}
      aria-valuemin={0}
      aria-valuemax={shown.length - 1}
      aria-valuenow={place}
      aria-valuetext={dateText(ends[end])}
      onKeyDown={nudge}
    >
      <circle cx={Math.max(6, Math.min(width - 6, x))} cy={HEIGHT + 6} r="5.5" className="ruler-handle" />
    </g>
  );
}
