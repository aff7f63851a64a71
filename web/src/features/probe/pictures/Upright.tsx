// Columns, stacked columns and lines over categories that stand side by side.
import { scaleBand, scaleLinear, type ScaleBand, type ScaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { useId } from 'react';
import { Hatch, PickedCategory } from './parts';
import type { Category, Series } from './series';
import { DASHES, extent, ink, shape, text, tick } from './series';

interface Props {
  kind: 'columns' | 'stacked' | 'lines';
  categories: Category[];
  series: Series[];
  width: number;
  height: number;
  chosen: Set<string>;
  onPick: (category: Category) => void;
  /** The same range for several pictures beside each other. */
  range?: [number, number];
  small?: boolean;
  /** Room for the numbers of the scale, where several pictures stand below one another. */
  room?: number;
}

const LETTER = 6.2;
const SHORT = 10; // letters of a label in a small picture

/** The room that the numbers of a scale take at its left. */
export function scaleRoom(range: [number, number], series: Series[], small: boolean): number {
  const ticks = scaleLinear()
    .domain(range)
    .nice(small ? 3 : 5)
    .ticks(small ? 3 : 5);
  return Math.max(small ? 40 : 48, ...ticks.map((t) => tick(t, series[0]).length * LETTER + 14));
}

/** Where categories, and the values of series, are drawn. */
interface Places {
  x: ScaleBand<string>;
  y: ScaleLinear<number, number>;
  left: number;
  foot: number;
  slanted: boolean;
  /** One label in so many is written. */
  every: number;
  middle: (category: Category) => number;
}

function places({ kind, categories, series, width, height, range, small = false, room = 0 }: Props): Places {
  const [low, high] = range ?? extent(series, kind === 'stacked');
  const left = Math.max(room, scaleRoom([low, high], series, small));
  const longest = Math.max(0, ...categories.map((c) => c.text.length)) * LETTER;
  const x = scaleBand<string>()
    .domain(categories.map((c) => c.key))
    .range([left, width - 8])
    .paddingInner(0.22)
    .paddingOuter(0.12);
  const slanted = longest > x.step();
  const foot = small ? 20 : slanted ? Math.min(92, longest * 0.72 + 22) : 24;
  const y = scaleLinear()
    .domain([low, high])
    .nice(small ? 3 : 5)
    .range([height - foot, 10]);
  const every = Math.max(1, Math.ceil((small ? Math.min(longest, SHORT * LETTER) + 10 : slanted ? 15 : 1) / x.step()));
  return { x, y, left, foot, slanted, every, middle: (c) => (x(c.key) ?? 0) + x.bandwidth() / 2 };
}

export function Upright(props: Props) {
  const id = useId();
  const { kind, series, width, height, small = false } = props;
  const at = places(props);
  return (
    <svg className="picture" width={width} height={height} role="group" aria-label={`${kind}: ${series.map((s) => s.text).join(', ')}`}>
      <Hatch id={`${id}h`} />
      {at.y.ticks(small ? 3 : 5).map((t) => (
        <g key={t} transform={`translate(0 ${at.y(t)})`}>
          <line x1={at.left} x2={width - 8} className={t === 0 ? 'zero' : 'rule'} />
          <text x={at.left - 6} dy="0.32em" textAnchor="end">
            {tick(t, series[0])}
          </text>
        </g>
      ))}
      {kind === 'lines' ? <Lines at={at} {...props} /> : <Columns at={at} hatch={`url(#${id}h)`} {...props} />}
      <Labels at={at} {...props} />
    </svg>
  );
}

/** A line a series, with its shape at each value where there is room for it. */
function Lines({ at, categories, series, small = false }: Props & { at: Places }) {
  const { x, y, middle } = at;
  return series.map((s) => (
    <g key={s.key} className={ink(s.ink)}>
      <path
        className="line"
        strokeDasharray={DASHES[s.ink % DASHES.length]}
        d={
          line<number | null>()
            .defined((v) => v !== null)
            .x((_, j) => middle(categories[j] as Category))
            .y((v) => y(v ?? 0))(s.values) ?? ''
        }
      />
      {x.step() > 7 &&
        s.values.map((v, j) => {
          const c = categories[j];
          return v === null || !c ? null : (
            <path key={c.key} className="solid" d={shape(s.ink)} transform={`translate(${middle(c)} ${y(v)}) scale(${small ? 0.7 : 1})`}>
              <title>{`${c.text}, ${s.text}: ${text(v, s)}`}</title>
            </path>
          );
        })}
    </g>
  ));
}

/** For each series the values that its columns of each category go from and to: beside each other from 0, or stacked, above and below it. */
function spans(kind: Props['kind'], categories: Category[], series: Series[]): [number, number][][] {
  const base = categories.map(() => [0, 0] as [number, number]);
  return series.map((s) =>
    s.values.map((value, j) => {
      const v = value ?? 0;
      const reached = base[j];
      if (kind !== 'stacked' || !reached) return [0, v];
      const side = v >= 0 ? 0 : 1;
      const from = reached[side];
      reached[side] = from + v;
      return [from, from + v];
    }),
  );
}

function Columns({ at, hatch, kind, categories, series, chosen, onPick }: Props & { at: Places; hatch: string }) {
  const { x, y } = at;
  const stacked = kind === 'stacked';
  const inner = scaleBand<number>()
    .domain(series.map((_, i) => i))
    .range([0, x.bandwidth()])
    .paddingInner(0.08);
  const all = spans(kind, categories, series);
  return series.map((s, i) => (
    <g key={s.key} className={ink(s.ink)}>
      {s.values.map((v, j) => {
        const c = categories[j];
        if (v === null || !c) return null;
        const ends = (all[i]?.[j] ?? [0, v]).map(y);
        const [top, bottom] = [Math.min(...ends), Math.max(...ends)];
        const box = {
          x: (x(c.key) ?? 0) + (stacked ? 0 : (inner(i) ?? 0)),
          y: top,
          width: stacked ? x.bandwidth() : inner.bandwidth(),
          height: Math.max(0.6, bottom - top),
        };
        return (
          <g key={c.key} className={chosen.size && !chosen.has(c.key) ? 'pale' : ''}>
            <rect className="solid" {...box} onClick={() => onPick(c)}>
              <title>{`${c.text}, ${s.text}: ${text(v, s)}`}</title>
            </rect>
            {s.unreached.length > 0 && <rect {...box} fill={hatch} pointerEvents="none" />}
            {stacked && <line x1={box.x} x2={box.x + box.width} y1={top} y2={top} className="seam" />}
          </g>
        );
      })}
    </g>
  ));
}

/** The names of categories, at the foot, as many as there is room for. */
function Labels({ at, categories, width, height, small = false, chosen, onPick }: Props & { at: Places }) {
  const { every, middle, foot, slanted } = at;
  const fits = (c: Category, i: number) =>
    !(i % every || (small && i > 0 && middle(c) + (Math.min(c.text.length, SHORT) * LETTER) / 2 > width));
  return categories.filter(fits).map((c) => (
    <PickedCategory
      key={c.key}
      category={c}
      chosen={chosen}
      onPick={onPick}
      quiet={small}
      transform={`translate(${middle(c)} ${height - foot + 14})`}
    >
      {slanted && !small ? (
        <text textAnchor="end" transform="rotate(-42)" dx="4">
          {c.text.slice(0, 20)}
        </text>
      ) : (
        <text textAnchor="middle">{small ? c.text.slice(0, SHORT) : c.text}</text>
      )}
    </PickedCategory>
  ));
}
