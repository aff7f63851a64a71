// Columns, stacked columns and lines over categories that stand side by side.
import { scaleBand, scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { useId } from 'react';
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

export function Upright({ kind, categories, series, width, height, chosen, onPick, range, small = false, room = 0 }: Props) {
  const id = useId();
  const [low, high] = range ?? extent(series, kind === 'stacked');
  const scale = scaleLinear()
    .domain([low, high])
    .nice(small ? 3 : 5);
  const left = Math.max(room, scaleRoom([low, high], series, small));
  const longest = Math.max(0, ...categories.map((c) => c.text.length)) * LETTER;
  const x = scaleBand<string>()
    .domain(categories.map((c) => c.key))
    .range([left, width - 8])
    .paddingInner(0.22)
    .paddingOuter(0.12);
  const slanted = longest > x.step();
  const foot = small ? 20 : slanted ? Math.min(92, longest * 0.72 + 22) : 24;
  const y = scale.range([height - foot, 10]);
  const every = Math.max(1, Math.ceil((small ? Math.min(longest, SHORT * LETTER) + 10 : slanted ? 15 : 1) / x.step()));
  const inner = scaleBand<number>()
    .domain(series.map((_, i) => i))
    .range([0, x.bandwidth()])
    .paddingInner(0.08);
  const zero = y(0);
  const middle = (c: Category) => (x(c.key) ?? 0) + x.bandwidth() / 2;
  const base = categories.map(() => [0, 0] as [number, number]);
  return (
    <svg className="picture" width={width} height={height} role="group" aria-label={`${kind}: ${series.map((s) => s.text).join(', ')}`}>
      <defs>
        <pattern id={`${id}h`} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0V6" className="hatch" />
        </pattern>
      </defs>
      {y.ticks(small ? 3 : 5).map((t) => (
        <g key={t} transform={`translate(0 ${y(t)})`}>
          <line x1={left} x2={width - 8} className={t === 0 ? 'zero' : 'rule'} />
          <text x={left - 6} dy="0.32em" textAnchor="end">
            {tick(t, series[0])}
          </text>
        </g>
      ))}
      {kind === 'lines'
        ? series.map((s) => (
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
                    <path
                      key={c.key}
                      className="solid"
                      d={shape(s.ink)}
                      transform={`translate(${middle(c)} ${y(v)}) scale(${small ? 0.7 : 1})`}
                    >
                      <title>{`${c.text}, ${s.text}: ${text(v, s)}`}</title>
                    </path>
                  );
                })}
            </g>
          ))
        : series.map((s, i) => (
            <g key={s.key} className={ink(s.ink)}>
              {s.values.map((v, j) => {
                const c = categories[j];
                if (v === null || !c) return null;
                let [top, bottom] = [Math.min(y(v), zero), Math.max(y(v), zero)];
                if (kind === 'stacked') {
                  const at = base[j] ?? [0, 0];
                  const from = v >= 0 ? at[0] : at[1];
                  [top, bottom] = [Math.min(y(from), y(from + v)), Math.max(y(from), y(from + v))];
                  if (v >= 0) at[0] += v;
                  else at[1] += v;
                }
                const box = {
                  x: (x(c.key) ?? 0) + (kind === 'stacked' ? 0 : (inner(i) ?? 0)),
                  y: top,
                  width: kind === 'stacked' ? x.bandwidth() : inner.bandwidth(),
                  height: Math.max(0.6, bottom - top),
                };
                return (
                  <g key={c.key} className={chosen.size && !chosen.has(c.key) ? 'pale' : ''}>
                    <rect className="solid" {...box} onClick={() => onPick(c)}>
                      <title>{`${c.text}, ${s.text}: ${text(v, s)}`}</title>
                    </rect>
                    {s.unreached.length > 0 && <rect {...box} fill={`url(#${id}h)`} pointerEvents="none" />}
                    {kind === 'stacked' && <line x1={box.x} x2={box.x + box.width} y1={top} y2={top} className="seam" />}
                  </g>
                );
              })}
            </g>
          ))}
      {categories.map((c, i) =>
        i % every || (small && i > 0 && middle(c) + (Math.min(c.text.length, SHORT) * LETTER) / 2 > width) ? null : (
          <g
            key={c.key}
            role="button"
            tabIndex={small ? -1 : 0}
            aria-label={`Pick ${c.text}`}
            aria-pressed={chosen.has(c.key)}
            className="category"
            transform={`translate(${middle(c)} ${height - foot + 14})`}
            onClick={() => onPick(c)}
            onKeyDown={(e) => (e.key === 'Enter' || e.key === ' ') && (e.preventDefault(), onPick(c))}
          >
            {slanted && !small ? (
              <text textAnchor="end" transform="rotate(-42)" dx="4">
                {c.text.slice(0, 20)}
              </text>
            ) : (
              <text textAnchor="middle">{small ? c.text.slice(0, SHORT) : c.text}</text>
            )}
          </g>
        ),
      )}
    </svg>
  );
}
