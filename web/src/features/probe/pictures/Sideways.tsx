// Bars and dots: a line a category, so that long names can be read; and heat: a line a category, a field a series.
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import { useId } from 'react';
import { Hatch, PickedCategory } from './parts';
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

/** Where lines begin, how high one is, and where values are drawn in it. */
interface Places {
  left: number;
  head: number;
  each: number;
  /** The width of a field of heat. */
  field: number;
  /** How many numbers the scale has. */
  steps: number;
  x: ScaleLinear<number, number>;
}

function places({ kind, categories, series, width }: Props): Places {
  const left = Math.min(220, Math.max(70, ...categories.map((c) => c.text.length * LETTER + 14)));
  const steps = Math.max(1, Math.min(5, Math.floor((width - left - 54) / STEP)));
  const x = scaleLinear()
    .domain(extent(series, false))
    .nice(steps)
    .range([left, width - 54]);
  return {
    left,
    head: kind === 'heat' ? 40 : TOP,
    each: kind === 'bars' ? Math.max(22, series.length * 13 + 8) : 26,
    field: Math.min(130, (width - left - 10) / Math.max(1, series.length)),
    steps,
    x,
  };
}

export function Sideways(props: Props) {
  const { kind, categories, series, width, chosen, onPick } = props;
  const id = useId();
  const at = places(props);
  const height = at.head + categories.length * at.each + 8;
  return (
    <svg className="picture" width={width} height={height} role="group" aria-label={`${kind}: ${series.map((s) => s.text).join(', ')}`}>
      <Hatch id={`${id}h`} />
      {kind === 'heat' ? <HeatHead at={at} series={series} /> : <Scale at={at} series={series} height={height} />}
      {categories.map((c, j) => (
        <g key={c.key} transform={`translate(0 ${at.head + j * at.each})`} className={chosen.size && !chosen.has(c.key) ? 'pale' : ''}>
          <PickedCategory category={c} chosen={chosen} onPick={onPick}>
            <rect width={at.left - 4} height={at.each} className="category-back" />
            <text x={at.left - 9} y={at.each / 2} dy="0.34em" textAnchor="end">
              {c.text.slice(0, 32)}
            </text>
          </PickedCategory>
          <Values at={at} line={j} hatch={`url(#${id}h)`} {...props} />
          {kind !== 'heat' && <line x1={at.left} x2={width - 54} y1={at.each - 0.5} y2={at.each - 0.5} className="rule" />}
        </g>
      ))}
    </svg>
  );
}

function HeatHead({ at, series }: { at: Places; series: Series[] }) {
  const letters = Math.max(5, Math.floor(at.field / LETTER));
  return series.map((s, i) => (
    <text key={s.key} x={at.left + (i + 0.5) * at.field} y={at.head - (s.place ? 22 : 9)} textAnchor="middle">
      <title>{s.text}</title>
      {nameText(s.measure).slice(0, letters)}
      {s.place && (
        <tspan x={at.left + (i + 0.5) * at.field} dy="14">
          {s.place.slice(0, letters)}
        </tspan>
      )}
    </text>
  ));
}

function Scale({ at, series, height }: { at: Places; series: Series[]; height: number }) {
  return at.x.ticks(at.steps).map((t) => (
    <g key={t} transform={`translate(${at.x(t)} 0)`}>
      <line y1={at.head - 6} y2={height - 6} className={t === 0 ? 'zero' : 'rule'} />
      <text y={at.head - 11} textAnchor="middle">
        {tick(t, series[0])}
      </text>
    </g>
  ));
}

/** What each series has in one line: a field, a dot or a bar. */
function Values({ at, line, hatch, kind, categories, series, onPick }: Props & { at: Places; line: number; hatch: string }) {
  const category = categories[line];
  if (!category) return null;
  const pick = () => onPick(category);
  return series.map((s, i) => {
    const v = s.values[line] ?? null;
    const title = <title>{`${category.text}, ${s.text}: ${text(v, s)}`}</title>;
    if (kind === 'heat')
      return (
        <HeatField key={s.key} series={s} value={v} x={at.left + i * at.field} width={at.field} height={at.each} onClick={pick}>
          {title}
        </HeatField>
      );
    if (v === null) return null;
    if (kind === 'bars')
      return (
        <Bar key={s.key} at={at} series={s} value={v} place={i} of={series.length} hatch={hatch} onClick={pick}>
          {title}
        </Bar>
      );
    const where = `translate(${at.x(v)} ${at.each / 2}) scale(1.15)`;
    return (
      <path key={s.key} className={`solid ${ink(s.ink)}`} d={shape(s.ink)} transform={where} onClick={pick}>
        {title}
      </path>
    );
  });
}

interface BarProps {
  at: Places;
  series: Series;
  value: number;
  /** Which bar of its line it is, of how many. */
  place: number;
  of: number;
  hatch: string;
  onClick: () => void;
  children: React.ReactNode;
}

function Bar({ at, series, value, place, of, hatch, onClick, children }: BarProps) {
  const { x, each } = at;
  const box = {
    x: Math.min(x(0), x(value)),
    y: 4 + place * 13,
    width: Math.max(0.6, Math.abs(x(value) - x(0))),
    height: of > 1 ? 12 : each - 9,
  };
  return (
    <g className={ink(series.ink)}>
      <rect className="solid" {...box} onClick={onClick}>
        {children}
      </rect>
      {series.unreached.length > 0 && <rect {...box} fill={hatch} pointerEvents="none" />}
      <text x={Math.max(x(value), x(0)) + 5} y={box.y + box.height / 2} dy="0.34em" className="value">
        {text(value, series)}
      </text>
    </g>
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
  const numbers = series.values.filter((v): v is number => v !== null);
  const [low, high] = [Math.min(0, ...numbers), Math.max(...numbers, 0)];
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
