// Our glyphs, drawn once: the same in star, matrix, Lens and lists. Each has a shape of its own and a word on hover.
import type { LinkInfo, TableInfo } from '../api/client';

type Role = TableInfo['role'];

const ROLE_WORDS: Record<Role, string> = {
  fact: 'fact',
  dimension: 'dimension',
  outrigger: 'outrigger: hangs on dimensions alone',
  bridge: 'bridge',
  calendar: 'calendar',
  disconnected: 'linked to nothing',
};

function roleShape(role: Role) {
  switch (role) {
    case 'fact':
      return <path d="M8 1.5 14.5 8 8 14.5 1.5 8Z" className="mark-fact" />;
    case 'bridge':
      return (
        <g fill="none" stroke="currentColor" strokeWidth="1.7">
          <circle cx="5.4" cy="8" r="3.6" />
          <circle cx="10.6" cy="8" r="3.6" />
        </g>
      );
    case 'outrigger':
      return (
        <g fill="none" stroke="currentColor" strokeWidth="1.9">
          <circle cx="10.4" cy="8" r="4.3" />
          <path d="M1.6 3.4v9.2M1.6 8h4.5" />
        </g>
      );
    case 'calendar':
      return (
        <g fill="none" stroke="currentColor" strokeWidth="1.8" strokeLinecap="round">
          <circle cx="8" cy="8" r="5.6" />
          <path d="M8 4.8V8l2.3 1.5" strokeWidth="1.4" />
        </g>
      );
    case 'disconnected':
      return (
        <circle cx="8" cy="8" r="5.6" fill="none" stroke="currentColor" strokeWidth="2.2" strokeDasharray="0.1 3.4" strokeLinecap="round" />
      );
    default:
      return <circle cx="8" cy="8" r="5.4" fill="none" stroke="currentColor" strokeWidth="2.2" />;
  }
}

export function RoleMark({ role, size = 16 }: { role: Role; size?: number }) {
  return (
    <svg className="mark" width={size} height={size} viewBox="0 0 16 16" role="img" aria-label={ROLE_WORDS[role]}>
      <title>{ROLE_WORDS[role]}</title>
      {roleShape(role)}
    </svg>
  );
}

export type ReachKind = 'direct' | 'through' | 'loose' | 'inactive' | 'none';

export const REACH_WORDS: Record<ReachKind, string> = {
  direct: 'filters it',
  through: 'filters it through others',
  inactive: 'the link is inactive',
  loose: 'filters it loosely',
  none: 'does not filter it',
};

/** How a dimension filters a fact; two triangles nose to nose where the fact filters it as well. */
export function ReachMark({ kind, twoWay = false, size = 18 }: { kind: ReachKind; twoWay?: boolean; size?: number }) {
  const both = twoWay && (kind === 'direct' || kind === 'through');
  return (
    <svg className="mark" width={size} height={size} viewBox="0 0 18 18" aria-hidden>
      {both && (
        <path
          d="M3.5 1.5h11L9 8.6Z M3.5 16.5h11L9 9.4Z"
          fill={kind === 'direct' ? 'currentColor' : 'none'}
          stroke="currentColor"
          strokeWidth="1.3"
        />
      )}
      {!both && kind === 'direct' && <path d="M3.5 3h11L9 12Z M3.5 14h11" fill="currentColor" stroke="currentColor" strokeWidth="1.6" />}
      {!both && kind === 'through' && <path d="M3.8 3.4h10.4L9 12Z M3.5 14.4h11" fill="none" stroke="currentColor" strokeWidth="1.5" />}
      {kind === 'inactive' && (
        <g stroke="currentColor" fill="currentColor" strokeWidth="1.4">
          <path d="M9 1v4.4M9 17v-3.6M9 12.6 5.2 6" fill="none" />
          <circle cx="9" cy="5.8" r="1.3" />
          <circle cx="9" cy="13" r="1.3" />
        </g>
      )}
      {kind === 'loose' && <path d="M9 1.5c4 2.6-4 4.6 0 7.4s-4 4.6 0 7.4" fill="none" stroke="currentColor" strokeWidth="1.7" />}
      {kind === 'none' && <circle cx="9" cy="9" r="1.2" className="mark-faint" />}
    </svg>
  );
}

export type ChangeKind = 'kept' | 'replaced' | 'cleared' | 'added' | 'moved' | 'carried';

const CHANGE_SIGNS: Record<ChangeKind, string> = { kept: '∩', replaced: '↷', cleared: '∅', added: '+', moved: '⇀', carried: '⤳' };

/** What an edit does to a filter. */
export function ChangeMark({ kind }: { kind: ChangeKind }) {
  return (
    <span className="change-mark" title={kind} role="img" aria-label={kind}>
      {CHANGE_SIGNS[kind]}
    </span>
  );
}

/** A link as one line: crow's foot, diode or lever, wave. */
export function LinkMark({ link, width = 64 }: { link: Pick<LinkInfo, 'cardinality' | 'flow' | 'active' | 'firm'>; width?: number }) {
  const middle = width / 2;
  const many = link.cardinality === 'many-to-many';
  const words = `${link.cardinality}, ${link.active ? link.flow : 'inactive'}${link.firm ? '' : ', loose'}`;
  return (
    <svg className="mark" width={width} height={18} viewBox={`0 0 ${width} 18`} role="img" aria-label={words}>
      <title>{words}</title>
      <g fill="none" stroke="currentColor" strokeWidth="1.4">
        {link.cardinality === 'one-to-one' ? <path d="M5 4v10" /> : <path d="M1 4l9 5-9 5" />}
        {many ? <path d={`M${width - 1} 4l-9 5 9 5`} /> : <path d={`M${width - 5} 4v10`} />}
        {link.active ? (
          link.firm ? (
            <path d={`M1 9H${width - 1}`} />
          ) : (
            <path d={wave(1, width - 1)} />
          )
        ) : (
          <path d={`M1 9h${middle - 10}M${width - 1} 9H${middle + 9}M${middle - 8} 9l14 -7`} />
        )}
      </g>
      {link.active && (
        <path
          d={link.flow === 'two-way' ? `M${middle - 9} 4l9 5-9 5zM${middle + 9} 4l-9 5 9 5z` : `M${middle + 5} 3.5l-9 5.5 9 5.5z`}
          fill="currentColor"
        />
      )}
    </svg>
  );
}

/** A wave from x to x on the middle line. */
export function wave(from: number, to: number, y = 9, height = 3.2, length = 10): string {
  let path = `M${from} ${y}`;
  for (let x = from, up = true; x < to - 0.5; x += length / 2, up = !up) {
    const step = Math.min(length / 2, to - x);
    path += `q${step / 2} ${up ? -height : height} ${step} 0`;
  }
  return path;
}
