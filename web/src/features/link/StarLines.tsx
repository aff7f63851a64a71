// The links of a star, drawn under its cards.
import type { HeldScan, ModelDocument, StarRoute } from '../../api/client';
import { counted } from '../../shared/format';
import { along, partOf, pointAt } from './along';
import { askRemove } from './edits';
import { between, type Box } from './geometry';
import { heldOf } from './heldState';
import type { Lit } from './reachState';
import type { Pulling } from './starDrag';
import { StarLink, type GrabLink } from './StarLink';
import { useShares } from '../prove/requests';
import { noticedWords } from '../prove/coverageModel';

interface Given {
  model: ModelDocument;
  boxes: Map<string, Box>;
  routes: Record<string, StarRoute>;
  /** The table that is being pulled: its lines are straight until it stands. */
  moved: string | null;
  /** Tables whose subject is folded: their lines end at its card. */
  inside: Set<string>;
  scan: HeldScan | null;
  lit: Lit;
  isPale: (from: string) => boolean;
  chosen: string | null;
  pulling: Pulling | null;
  onSelect: (name: string) => void;
  onGrab: GrabLink;
}

export function StarLines({ model, boxes, routes, moved, inside, scan, lit, isPale, chosen, pulling, onSelect, onGrab }: Given) {
  const shares = useShares(model);
  const runs = scan && !lit.source ? scan.runs : lit.runs;
  return (
    <svg width="1" height="1" aria-label="Links">
      {model.links.map((link) => {
        const a = boxes.get(link.from_table);
        const b = boxes.get(link.to_table);
        const route = link.from_table === moved || link.to_table === moved ? undefined : routes[link.name];
        if (route && (inside.has(link.from_table) || inside.has(link.to_table))) return <Bundle key={link.name} route={route} />;
        if (!a || !b || link.from_table === link.to_table) return null;
        const state = heldOf(link, scan);
        return (
          <StarLink
            key={link.name}
            link={link}
            points={route?.points ?? between(a, b)}
            mark={route?.mark}
            label={route?.label ?? null}
            way={state.way}
            held={state.words}
            runsTo={runs.find((r) => r.link === link.name)?.to ?? null}
            stopsFrom={lit.stops.find((s) => s.link === link.name)?.from ?? null}
            pale={isPale(link.from_table)}
            chosen={chosen === link.name}
            noticed={noticedWords(shares?.get(`link ${link.name}`))}
            hole={(shares?.get(`link ${link.name}`)?.holes.length ?? 0) > 0}
            onSelect={onSelect}
            onRemove={askRemove}
            onGrab={onGrab}
          />
        );
      })}
      {scan?.added.map((flow) => (
        <Added key={flow.text} a={boxes.get(flow.from)} b={boxes.get(flow.to)} text={flow.text} />
      ))}
      {pulling && <Pulled pulling={pulling} boxes={boxes} />}
    </svg>
  );
}

/** All links that lead to a folded subject, as one line. */
function Bundle({ route: { points, links, mark } }: { route: StarRoute }) {
  const line = along(points, mark);
  const [x, y] = pointAt(line, line.middle);
  return (
    <g className="star-link bundle">
      <path className="line" d={partOf(line, 0, line.length)} />
      <text x={x + 8} y={y + 4}>
        {counted(links, 'link')}
      </text>
    </g>
  );
}

/** The line that follows the pointer while a link is dragged. */
function Pulled({ pulling, boxes }: { pulling: Pulling; boxes: Map<string, Box> }) {
  const box = boxes.get(pulling.from);
  if (!box) return <circle cx={pulling.x} cy={pulling.y} r="7" className="mark-faint" />;
  return (
    <path d={`M${box.x} ${box.y}L${pulling.x} ${pulling.y}`} stroke="var(--signal)" strokeWidth="2" strokeDasharray="6 4" fill="none" />
  );
}

/** A flow that a `match` of the held formula puts there for itself. */
function Added({ a, b, text }: { a: Box | undefined; b: Box | undefined; text: string }) {
  if (!a || !b) return null;
  const [[bx, by], [ax, ay]] = between(b, a);
  return (
    <g className="star-link runs held">
      <title>{text}</title>
      <path className="line" d={`M${bx} ${by}L${ax} ${ay}`} />
      <text x={(ax + bx) / 2 + 8} y={(ay + by) / 2}>
        carried: {text}
      </text>
    </g>
  );
}
