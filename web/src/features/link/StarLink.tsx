// One link of the star: crow's foot, diode or lever, wave, and the current that runs over it or stops at it.
import { memo, type PointerEvent } from 'react';
import type { LinkInfo } from '../../api/client';

/** Which way filters cross a link: from its one side (`on`), both ways, against it, not at all, or not for it is inactive. */
export type Way = 'on' | 'both' | 'back' | 'off' | 'inactive';

interface Props {
  link: LinkInfo;
  ax: number;
  ay: number;
  bx: number;
  by: number;
  way: Way;
  /** What the held formula makes of it, in words. */
  held: string;
  /** Where the current stands here: it runs towards a table, or is stopped coming from one. */
  runsTo: string | null;
  stopsFrom: string | null;
  pale: boolean;
  chosen: boolean;
  /** How far it stands aside of others between the same tables; its name then always stands there, on the outer side. */
  aside: number;
  onSelect: (name: string) => void;
  onRemove: (name: string) => void;
  onGrab: (event: PointerEvent, name: string) => void;
}

const MARK = 11;

export function wayOf(link: LinkInfo): Way {
  if (!link.active) return 'inactive';
  return link.flow === 'two-way' ? 'both' : 'on';
}

export const StarLink = memo(function StarLink({
  link,
  ax,
  ay,
  bx,
  by,
  way,
  held,
  runsTo,
  stopsFrom,
  pale,
  chosen,
  aside,
  onSelect,
  onRemove,
  onGrab,
}: Props) {
  const length = Math.hypot(bx - ax, by - ay) || 1;
  const ux = (bx - ax) / length;
  const uy = (by - ay) / length;
  const at = (t: number, side = 0): [number, number] => [ax + ux * t - uy * side, ay + uy * t + ux * side];
  const p = (t: number, side = 0) =>
    at(t, side)
      .map((v) => v.toFixed(1))
      .join(' ');
  const middle = length / 2;
  const oneToOne = link.cardinality === 'one-to-one';
  const manyToMany = link.cardinality === 'many-to-many';
  const many = `M${p(0, 6)}L${p(13)}L${p(0, -6)}`;
  const farMany = `M${p(length, 6)}L${p(length - 13)}L${p(length, -6)}`;
  const classes = ['star-link'];
  if (runsTo) classes.push('runs');
  if (runsTo === link.to_table) classes.push('back');
  if (pale && !runsTo && !stopsFrom && !chosen && !held) classes.push('pale');
  if (chosen) classes.push('chosen');
  if (held) classes.push('held');
  const stopAt = stopsFrom === link.from_table ? 24 : length - 24;
  const outward = aside === 0 ? 1 : Math.sign(-uy * aside) || 1;
  const beside = at(aside === 0 ? middle : middle + (aside > 0 ? 16 : -16));
  const label = [beside[0] + outward * 10, beside[1] - (aside === 0 ? 8 : -4)] as const;
  const words = `${link.name}: ${link.text}, ${link.cardinality}, ${link.active ? link.flow : 'inactive'}${link.firm ? '' : ', loose'}${held ? `; ${held}` : ''}`;
  return (
    <g
      className={classes.join(' ')}
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
      <path className="hit" d={`M${p(0)}L${p(length)}`} />
      {way === 'inactive' ? (
        <>
          <path
            className="line"
            d={`M${p(0)}L${p(middle - MARK)}M${p(length)}L${p(middle + MARK)}M${p(middle - MARK)}L${p(middle + 7, -11)}`}
          />
          <path className="contacts" d={`M${p(middle - MARK)}h0M${p(middle + MARK)}h0`} />
        </>
      ) : (
        <path className="line" d={link.firm ? `M${p(length)}L${p(0)}` : waveAlong(length, p)} />
      )}
      <path
        className="line still"
        d={(oneToOne ? `M${p(9, 6)}L${p(9, -6)}` : many) + (manyToMany ? farMany : `M${p(length - 9, 6)}L${p(length - 9, -6)}`)}
      />
      {way === 'on' && (
        <path
          className="solid"
          d={`M${p(middle - 8)}L${p(middle + 6, 6.5)}L${p(middle + 6, -6.5)}ZM${p(middle - 9, 6)}L${p(middle - 9, -6)}L${p(middle - 7.4, -6)}L${p(middle - 7.4, 6)}Z`}
        />
      )}
      {way === 'back' && (
        <path
          className="solid"
          d={`M${p(middle + 8)}L${p(middle - 6, 6.5)}L${p(middle - 6, -6.5)}ZM${p(middle + 9, 6)}L${p(middle + 9, -6)}L${p(middle + 7.4, -6)}L${p(middle + 7.4, 6)}Z`}
        />
      )}
      {way === 'both' && (
        <path
          className="solid"
          d={`M${p(middle)}L${p(middle + 12, 6)}L${p(middle + 12, -6)}ZM${p(middle)}L${p(middle - 12, 6)}L${p(middle - 12, -6)}Z`}
        />
      )}
      {way === 'off' && <path className="stop-bar" d={`M${p(middle, 8)}L${p(middle, -8)}`} />}
      {stopsFrom && <path className="stop-bar" d={`M${p(stopAt, 8)}L${p(stopAt, -8)}`} />}
      {(aside !== 0 || chosen || runsTo || held) && (
        <text x={label[0]} y={label[1]} textAnchor={outward < 0 ? 'end' : 'start'}>
          {held ? `${link.name}: ${held}` : link.name}
        </text>
      )}
    </g>
  );
});

function waveAlong(length: number, p: (t: number, side?: number) => string): string {
  let path = `M${p(length)}`;
  const steps = Math.max(Math.round(length / 9), 2);
  for (let i = 1; i <= steps; i += 1) {
    const t = length - (length * i) / steps;
    path += `Q${p(t + length / steps / 2, i % 2 ? 6 : -6)} ${p(t)}`;
  }
  return path;
}
