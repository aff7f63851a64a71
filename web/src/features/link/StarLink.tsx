// One link of the star: crow's foot, diode or lever, wave, and the current that runs over it or stops at it.
import { memo, useMemo, type PointerEvent } from 'react';
import type { LinkInfo } from '../../api/client';
import { along, partOf, pointAt, text, type Along, type Point } from './along';

/** Which way filters cross a link: from its one side (`on`), both ways, against it, not at all, or not for it is inactive. */
export type Way = 'on' | 'both' | 'back' | 'off' | 'inactive';

export type GrabLink = (event: PointerEvent, name: string) => void;

interface Props {
  link: LinkInfo;
  points: readonly Point[];
  /** How far along it its mark stands. */
  mark?: number | undefined;
  /** Where its name begins, if it has a place of its own; it always stands there then. */
  label: Point | null;
  way: Way;
  /** What the held formula makes of it, in words. */
  held: string;
  /** Where the current stands here: it runs towards a table, or is stopped coming from one. */
  runsTo: string | null;
  stopsFrom: string | null;
  pale: boolean;
  chosen: boolean;
  /** How much of what could break of it would be noticed, in words, and whether something would not. */
  noticed: string;
  hole: boolean;
  onSelect: (name: string) => void;
  onRemove: (name: string) => void;
  onGrab: GrabLink;
}

const MARK = 11;

export function wayOf(link: LinkInfo): Way {
  if (!link.active) return 'inactive';
  return link.flow === 'two-way' ? 'both' : 'on';
}

/** A place along the line, at a distance from the first end, and aside of it. */
type Place = (t: number, side?: number) => string;

/** A line, how long it is, and where on it its mark stands. */
interface Drawn {
  line: Along;
  p: Place;
}

export const StarLink = memo(function StarLink(props: Props) {
  const { link, points, mark, label, way, held, runsTo, stopsFrom, chosen, onSelect, onRemove, onGrab } = props;
  const line = useMemo(() => along(points, mark), [points, mark]);
  const { length, middle } = line;
  const at = (t: number, side = 0) => pointAt(line, t, side);
  const p: Place = (t, side = 0) => text(at(t, side));
  const stopAt = stopsFrom === link.from_table ? 24 : length - 24;
  const [x, y] = label ?? at(middle);
  const words = [wordsOf(link, held), props.noticed].filter(Boolean).join('; ');
  return (
    <g
      className={classesOf(props)}
      data-link={link.name}
      role="button"
      tabIndex={0}
      aria-label={words}
      onPointerDown={(e) => onGrab(e, link.name)}
      onKeyDown={(e) => {
        if (e.key === 'Enter' || e.key === ' ') onSelect(link.name);
        else if (e.key === 'Delete') onRemove(link.name);
      }}
    >
      <title>{words}</title>
      <path className="hit" d={partOf(line, 0, length)} />
      <Line link={link} way={way} line={line} p={p} />
      <Feet cardinality={link.cardinality} length={length} p={p} />
      <WayMark way={way} middle={middle} p={p} />
      {stopsFrom && <path className="stop-bar" d={`M${p(stopAt, 8)}L${p(stopAt, -8)}`} />}
      {props.hole && <path className="hole" d="M-7 0C-3.6 -5 3.6 -5 7 0 3.6 5 -3.6 5 -7 0Z" transform={`translate(${p(middle, 14)})`} />}
      {(label || chosen || runsTo || held) && (
        <text x={x + (label ? 0 : 12)} y={y + (label ? 0 : 4)}>
          {held ? `${link.name}: ${held}` : link.name}
        </text>
      )}
    </g>
  );
});

function classesOf({ link, held, runsTo, stopsFrom, pale, chosen }: Props): string {
  const classes = ['star-link'];
  if (runsTo) classes.push('runs');
  if (runsTo === link.from_table) classes.push('back');
  if (pale && !runsTo && !stopsFrom && !chosen && !held) classes.push('pale');
  if (chosen) classes.push('chosen');
  if (held) classes.push('held');
  return classes.join(' ');
}

function wordsOf(link: LinkInfo, held: string): string {
  const state = `${link.active ? link.flow : 'inactive'}${link.firm ? '' : ', loose'}${held ? `; ${held}` : ''}`;
  return `${link.name}: ${link.text}, ${link.cardinality}, ${state}`;
}

/** The line itself: plain, waved where the link is loose, or an open lever where it is inactive. */
function Line({ link, way, line, p }: Drawn & { link: LinkInfo; way: Way }) {
  const { length, middle } = line;
  if (way !== 'inactive') return <path className="line" d={link.firm ? partOf(line, 0, length) : waveAlong(length, p)} />;
  return (
    <>
      <path
        className="line"
        d={`${partOf(line, 0, middle - MARK)}${partOf(line, middle + MARK, length)}M${p(middle - MARK)}L${p(middle + 7, -11)}`}
      />
      <path className="contacts" d={`M${p(middle - MARK)}h0M${p(middle + MARK)}h0`} />
    </>
  );
}

/** A crow's foot at each many side, a bar at each one side. */
function Feet({ cardinality, length, p }: { cardinality: LinkInfo['cardinality']; length: number; p: Place }) {
  const bar = (t: number) => `M${p(t, 6)}L${p(t, -6)}`;
  const near = cardinality === 'one-to-one' ? bar(9) : `M${p(0, 6)}L${p(13)}L${p(0, -6)}`;
  const far = cardinality === 'many-to-many' ? `M${p(length, 6)}L${p(length - 13)}L${p(length, -6)}` : bar(length - 9);
  return <path className="line still" d={near + far} />;
}

/** Which way filters cross: a diode one way, two of them both ways, a bar where the held formula switches the link off. */
function WayMark({ way, middle, p }: { way: Way; middle: number; p: Place }) {
  const diode = (tip: number, base: number, half: number) => `M${p(tip)}L${p(base, half)}L${p(base, -half)}Z`;
  const stop = (from: number, to: number) => `M${p(from, 6)}L${p(from, -6)}L${p(to, -6)}L${p(to, 6)}Z`;
  switch (way) {
    case 'on':
      return <path className="solid" d={diode(middle - 8, middle + 6, 6.5) + stop(middle - 9, middle - 7.4)} />;
    case 'back':
      return <path className="solid" d={diode(middle + 8, middle - 6, 6.5) + stop(middle + 9, middle + 7.4)} />;
    case 'both':
      return <path className="solid" d={diode(middle, middle + 12, 6) + diode(middle, middle - 12, 6)} />;
    case 'off':
      return <path className="stop-bar" d={`M${p(middle, 8)}L${p(middle, -8)}`} />;
    default:
      return null;
  }
}

function waveAlong(length: number, p: Place): string {
  let path = `M${p(0)}`;
  const steps = Math.max(Math.round(length / 9), 2);
  for (let i = 1; i <= steps; i += 1) path += `Q${p((length * (i - 0.5)) / steps, i % 2 ? 6 : -6)} ${p((length * i) / steps)}`;
  return path;
}
