// A time ruler: the rows of each year, quarter, month, week or day under the other picks; a span is dragged over it, or typed.
import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { EMPTY_PROBE } from '../../app/shown';
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
  const found = /^(.+) BETWEEN DATE '(\d{4}-\d\d-\d\d)' AND DATE '(\d{4}-\d\d-\d\d)'$/.exec(where);
  return found && found[1] === dateColumn(table) ? { from: found[2] ?? '', to: found[3] ?? '' } : null;
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
  const found = new Map<string, Bar>();
  for (const { day, rows } of days) {
    const key = unitOf(day, unit);
    const bar = found.get(key);
    if (bar) {
      bar.to = day;
      bar.rows += rows;
    } else found.set(key, { from: day, to: day, rows });
  }
  return [...found.values()];
}

interface Props {
  model: ModelDocument;
  table: TableInfo;
  picks: Pick[];
  rows: string;
  onSpan: (where: string | null) => void;
}

export function Ruler({ model, table, picks, rows, onSpan }: Props) {
  const [unit, setUnit] = useState<Unit>('months');
  const [drag, setDrag] = useState<[number, number] | null>(null);
  const svg = useRef<SVGSVGElement>(null);
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
  const days = (grid.data?.rows.lines ?? [])
    .map((line, r) => ({ day: String(line[0]?.value ?? ''), rows: Number(grid.data?.values[0]?.[r]?.[0] ?? 0) }))
    .filter((d) => /^\d{4}/.test(d.day));
  if (days.length === 0)
    return (
      <p className={grid.isPending ? 'wait' : 'quiet'}>
        {grid.isPending ? `Reading ${table.name}…` : `No day of ${table.name} is left under the other picks.`}
      </p>
    );
  const shown = bars(days, unit);
  const width = Math.max(ROOM, shown.length * NARROW);
  const step = width / shown.length;
  const most = Math.max(1, ...shown.map((b) => b.rows));
  const say = (span: Span) => {
    const whole = span.from <= (days[0]?.day ?? '') && span.to >= (days.at(-1)?.day ?? '');
    onSpan(whole ? null : `${dateColumn(table)} BETWEEN DATE '${span.from}' AND DATE '${span.to}'`);
  };
  const at = (event: PointerEvent) => {
    const box = svg.current?.getBoundingClientRect();
    return box ? Math.max(0, Math.min(shown.length - 1, Math.floor(((event.clientX - box.left) / box.width) * shown.length))) : 0;
  };
  const inside = (bar: Bar, i: number) =>
    drag ? i >= Math.min(...drag) && i <= Math.max(...drag) : !own || (bar.from <= own.to && bar.to >= own.from);
  const ends: Span = own ?? { from: days[0]?.day ?? '', to: days.at(-1)?.day ?? '' };
  const first = Math.max(
    0,
    shown.findIndex((b) => b.to >= ends.from),
  );
  const last = Math.max(
    first,
    shown.findLastIndex((b) => b.from <= ends.to),
  );
  const nudge = (end: 'from' | 'to') => (event: KeyboardEvent) => {
    const by = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0;
    if (!by) return;
    event.preventDefault();
    const place = Math.max(0, Math.min(shown.length - 1, (end === 'from' ? first : last) + by));
    const bar = shown[place];
    if (bar && (end === 'from' ? bar.from <= ends.to : bar.to >= ends.from)) say({ ...ends, [end]: end === 'from' ? bar.from : bar.to });
  };
  const handle = (end: 'from' | 'to', x: number) => (
    <g
      role="slider"
      tabIndex={0}
      aria-label={`${table.name} ${end}`}
      aria-valuemin={0}
      aria-valuemax={shown.length - 1}
      aria-valuenow={end === 'from' ? first : last}
      aria-valuetext={dateText(ends[end])}
      onKeyDown={nudge(end)}
    >
      <circle cx={Math.max(6, Math.min(width - 6, x))} cy={HEIGHT + 6} r="5.5" className="ruler-handle" />
    </g>
  );
  return (
    <section aria-label={`${table.name} ruler`} className="ruler">
      <h2 style={{ fontSize: 14 }}>{table.name}</h2>
      {/* It scrolls where there are many days, so it can be reached. */}
      {/* oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex */}
      <div className="ruler-scroll" tabIndex={width > ROOM ? 0 : -1} role="group" aria-label={`${table.name}: drag a span`}>
        <svg
          ref={svg}
          width={width}
          height={HEIGHT + 13}
          data-ruler={table.name}
          onPointerDown={(e) => {
            const i = at(e);
            setDrag([i, i]);
          }}
          onPointerMove={(e) => drag && setDrag([drag[0], at(e)])}
          onPointerLeave={() => setDrag(null)}
          onPointerUp={() => {
            const [a, b] = drag ? [shown[Math.min(...drag)], shown[Math.max(...drag)]] : [undefined, undefined];
            setDrag(null);
            if (a && b) say({ from: a.from, to: b.to });
          }}
        >
          {shown.map((bar, i) => (
            <g key={bar.from} className={inside(bar, i) ? 'in' : 'out'}>
              <title>{`${unit === 'days' ? dateText(bar.from) : `${dateText(bar.from)} to ${dateText(bar.to)}`}: ${counted(bar.rows, 'row')}`}</title>
              <rect x={i * step} y="0" width={step} height={HEIGHT} className="ruler-back" />
              <rect
                x={i * step + (step > 5 ? 0.7 : 0)}
                y={HEIGHT - (bar.rows / most) * (HEIGHT - 3)}
                width={Math.max(1, step - (step > 5 ? 1.4 : 0))}
                height={(bar.rows / most) * (HEIGHT - 3)}
                className="ruler-bar"
              />
            </g>
          ))}
          <line x1="0" x2={width} y1={HEIGHT + 6} y2={HEIGHT + 6} className="ruler-rail" />
          <line x1={first * step} x2={(last + 1) * step} y1={HEIGHT + 6} y2={HEIGHT + 6} className="ruler-span" />
          {handle('from', first * step)}
          {handle('to', (last + 1) * step)}
        </svg>
      </div>
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
        {(['from', 'to'] as const).map((end) => (
          <label key={end} className="quiet">
            {end}{' '}
            <input
              key={ends[end]}
              className="field short"
              aria-label={`${table.name} ${end} day`}
              placeholder="2031-12-31"
              defaultValue={ends[end]}
              onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
              onBlur={(e) => {
                const day = e.target.value.trim();
                if (
                  /^\d{4}-\d\d-\d\d$/.test(day) &&
                  !Number.isNaN(Date.parse(day)) &&
                  day !== ends[end] &&
                  (end === 'from' ? day <= ends.to : day >= ends.from)
                )
                  say({ ...ends, [end]: day });
                else e.target.value = ends[end];
              }}
            />
          </label>
        ))}
      </div>
    </section>
  );
}
