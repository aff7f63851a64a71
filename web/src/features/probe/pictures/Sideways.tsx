// Bars and dots: a line a category, so that long names can be read; and heat: a line a category, a field a series.
import { scaleLinear } from 'd3-scale';
import { useId } from 'react';
import type { Category, Series } from './series';
import { nameText } from '../../../shared/format';
import { extent, ink, shape, text, tick } from './series';

interface Props {
  kind: 'bars' | 'dots' | 'heat';
  categories: Category[];
  series: Series[];
  width: number;
  chosen: Set<string>;
  onPick: (category: Category) => void;
}

const LETTER = 6.5;
const TOP = 24;
const STEP = 62; // room for a number of the scale

export function Sideways({ kind, categories, series, width, chosen, onPick }: Props) {
  const id = useId();
  const left = Math.min(220, Math.max(70, ...categories.map((c) => c.text.length * LETTER + 14)));
  const each = kind === 'bars' ? Math.max(22, series.length * 13 + 8) : 26;
  const head = kind === 'heat' ? 40 : TOP;
  const height = head + categories.length * each + 8;
  const steps = Math.max(1, Math.min(5, Math.floor((width - left - 54) / STEP)));
  const x = scaleLinear()
    .domain(extent(series, false))
    .nice(steps)
    .range([left, width - 54]);
  const field = Math.min(130, (width - left - 10) / Math.max(1, series.length));
  return (
    <svg className="picture" width={width} height={height} role="group" aria-label={`${kind}: ${series.map((s) => s.text).join(', ')}`}>
      <defs>
        <pattern id={`${id}h`} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0V6" className="hatch" />
        </pattern>
      </defs>
      {kind === 'heat'
        ? series.map((s, i) => (
            <text key={s.key} x={left + (i + 0.5) * field} y={head - (s.place ? 22 : 9)} textAnchor="middle">
              <title>{s.text}</title>
              {nameText(s.measure).slice(0, Math.max(5, Math.floor(field / LETTER)))}
              {s.place && (
                <tspan x={left + (i + 0.5) * field} dy="14">
                  {s.place.slice(0, Math.max(5, Math.floor(field / LETTER)))}
                </tspan>
              )}
            </text>
          ))
        : x.ticks(steps).map((t) => (
            <g key={t} transform={`translate(${x(t)} 0)`}>
              <line y1={head - 6} y2={height - 6} className={t === 0 ? 'zero' : 'rule'} />
              <text y={head - 11} textAnchor="middle">
                {tick(t, series[0])}
              </text>
            </g>
          ))}
      {categories.map((c, j) => (
        <g key={c.key} transform={`translate(0 ${head + j * each})`} className={chosen.size && !chosen.has(c.key) ? 'pale' : ''}>
          <g
            role="button"
            tabIndex={0}
            aria-label={`Pick ${c.text}`}
            aria-pressed={chosen.has(c.key)}
            className="category"
            onClick={() => onPick(c)}
            onKeyDown={(e) => (e.key === 'Enter' || e.key === ' ') && (e.preventDefault(), onPick(c))}
          >
            <rect width={left - 4} height={each} className="category-back" />
            <text x={left - 9} y={each / 2} dy="0.34em" textAnchor="end">
              {c.text.slice(0, 32)}
            </text>
          </g>
          {series.map((s, i) => {
            const v = s.values[j] ?? null;
            const title = <title>{`${c.text}, ${s.text}: ${text(v, s)}`}</title>;
            if (kind === 'heat')
              return (
                <HeatField key={s.key} series={s} value={v} x={left + i * field} width={field} height={each} onClick={() => onPick(c)}>
                  {title}
                </HeatField>
              );
            if (v === null) return null;
            if (kind === 'dots')
              return (
                <path
                  key={s.key}
                  className={`solid ${ink(s.ink)}`}
                  d={shape(s.ink)}
                  transform={`translate(${x(v)} ${each / 2}) scale(1.15)`}
                  onClick={() => onPick(c)}
                >
                  {title}
                </path>
              );
            const box = {
              x: Math.min(x(0), x(v)),
              y: 4 + i * 13,
              width: Math.max(0.6, Math.abs(x(v) - x(0))),
              height: series.length > 1 ? 12 : each - 9,
            };
            return (
              <g key={s.key} className={ink(s.ink)}>
                <rect className="solid" {...box} onClick={() => onPick(c)}>
                  {title}
                </rect>
                {s.unreached.length > 0 && <rect {...box} fill={`url(#${id}h)`} pointerEvents="none" />}
                <text x={Math.max(x(v), x(0)) + 5} y={box.y + box.height / 2} dy="0.34em" className="value">
                  {text(v, s)}
                </text>
              </g>
            );
          })}
          {kind !== 'heat' && <line x1={left} x2={width - 54} y1={each - 0.5} y2={each - 0.5} className="rule" />}
        </g>
      ))}
    </svg>
  );
}

/** Darker is more, each series within its own range; the number stands in it, so nothing is told by shade alone. */
function HeatField({
  series,
  value,
  x,
  width,
  height,
  onClick,
  children,
}: {
  series: Series;
  value: number | null;
  x: number;
  width: number;
  height: number;
  onClick: () => void;
  children: React.ReactNode;
}) {
  const known = series.values.filter((v): v is number => v !== null);
  const [low, high] = [Math.min(0, ...known), Math.max(...known, 0)];
  const part = value === null || high === low ? 0 : (value - low) / (high - low);
  return (
    <g onClick={onClick}>
      {children}
      <rect
        x={x + 0.5}
        y="0.5"
        width={width - 1}
        height={height - 1}
        className="heat"
        style={{ fillOpacity: value === null ? 0 : 0.06 + part * 0.44 }}
      />
      {width > 42 && (
        <text x={x + width - 7} y={height / 2} dy="0.34em" textAnchor="end" className="on-heat">
          {value === null ? '' : text(value, series)}
        </text>
      )}
    </g>
  );
}
