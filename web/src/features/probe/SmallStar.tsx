// The star in small: the scanned table below, above it what its filters came from, with the rows left in each; and where a filter stopped.
import type { Stop, TraceNode } from '../../api/client';
import { count } from '../../shared/format';
import { stopWords } from '../link/stops';

const WIDTH = 322;
const STEP = 70;
const BOX = { width: 104, height: 38 };

interface Point {
  x: number;
  y: number;
}

/** A table's box: its middle, and how wide it is where others stand beside it. */
interface Spot extends Point {
  width: number;
}

/** A filter that does not come to the scanned table: where it sits, how far it ran, and what it stops before. */
export interface Stopped {
  table: string;
  /** The last table that it reaches on the way; its own where it does not run at all. */
  from: string;
  to: string;
  stop: Stop | null;
}

/** Where each filter stops on its shortest way to the scanned table. */
export function stoppedOf(node: TraceNode): Stopped[] {
  const grain = node.arithmetic?.grain ?? '';
  return (node.unreached ?? []).map(({ table, nearest }) => ({
    table,
    from: nearest?.from ?? table,
    to: nearest?.to ?? grain,
    stop: nearest ?? null,
  }));
}

/** Level by level from the scanned table upwards, spread over the width. */
function spots(node: TraceNode, grain: string, stopped: Stopped[]): Map<string, Spot> {
  const depth = new Map<string, number>([[grain, 0]]);
  // Flows are told from the outside in, so going backwards meets every table after the one it flows into.
  for (const flow of [...node.flows].reverse()) depth.set(flow.from, (depth.get(flow.to) ?? 0) + 1);
  for (const { table, from, to } of stopped) {
    if (!depth.has(from)) depth.set(from, (depth.get(to) ?? 0) + 1);
    if (!depth.has(table)) depth.set(table, (depth.get(from) ?? 0) + 1);
  }
  const deepest = Math.max(...depth.values());
  const byTable = new Map<string, Spot>();
  for (let level = 0; level <= deepest; level += 1) {
    const names = [...depth].filter(([, d]) => d === level).map(([name]) => name);
    for (const [i, name] of names.entries())
      byTable.set(name, {
        x: ((i + 0.5) * WIDTH) / names.length,
        y: (deepest - level) * STEP + 22,
        width: Math.min(BOX.width, WIDTH / names.length - 5),
      });
  }
  return byTable;
}

/** From the lower edge of one box to the upper edge of another. */
function ends(a: Spot, b: Spot): { from: Point; to: Point; mid: Point; angle: number } {
  const from = { x: a.x, y: a.y + BOX.height / 2 };
  const to = { x: b.x + (a.x - b.x) * 0.25, y: b.y - BOX.height / 2 };
  return {
    from,
    to,
    mid: { x: (from.x + to.x) / 2, y: (from.y + to.y) / 2 },
    angle: (Math.atan2(to.y - from.y, to.x - from.x) * 180) / Math.PI,
  };
}

const stopText = ({ table, to, stop }: Stopped) =>
  `from ${table} it stops before ${to}: ${stop ? `${stop.link ?? ''} ${stopWords(stop)}` : 'no way leads there'}`;

export function SmallStar({ node }: { node: TraceNode }) {
  const grain = node.arithmetic?.grain ?? '';
  const stopped = stoppedOf(node);
  const places = spots(node, grain, stopped);
  const height = Math.max(...[...places.values()].map((s) => s.y)) + BOX.height / 2 + 4;
  const label = `Filters run to ${grain}: ${[node.flows.map((f) => `from ${f.from} over ${f.link}`).join(', ') || 'none', ...stopped.map(stopText)].join('; ')}`;
  const pale = new Map(
    stopped
      .flatMap((s) => [[s.table, 'filtered'] as const, ...(s.from === s.table ? [] : [[s.from, 'no farther'] as const])])
      .filter(([name]) => !node.tables.some((t) => t.table === name)),
  );
  return (
    <svg className="small-star" viewBox={`0 0 ${WIDTH} ${height}`} role="img" aria-label={label}>
      {node.flows.map((flow) => {
        const [a, b] = [places.get(flow.from), places.get(flow.to)];
        if (!a || !b) return null;
        const { from, to, mid, angle } = ends(a, b);
        return (
          <g key={flow.link}>
            <title>{`${flow.link}: ${count(flow.rows_before)} rows before, ${count(flow.rows_after)} after`}</title>
            <path className="flow" d={`M${from.x} ${from.y}L${to.x} ${to.y}`} />
            <path className="diode" d="M6 0L-5 -5.5V5.5Z" transform={`translate(${mid.x} ${mid.y}) rotate(${angle})`} />
          </g>
        );
      })}
      {stopped.map((s) => {
        const [own, last] = [places.get(s.table), places.get(s.from)];
        if (!own || !last) return null;
        // What it stops before may be no part of this picture: then the line ends in the open.
        const { from, mid, to, angle } = ends(last, places.get(s.to) ?? { ...last, y: last.y + STEP });
        return (
          <g key={s.table}>
            <title>{stopText(s)}</title>
            {s.from !== s.table && <path className="flow" d={`M${own.x} ${own.y + BOX.height / 2}L${last.x} ${last.y - BOX.height / 2}`} />}
            <path className="flow" d={`M${from.x} ${from.y}L${mid.x} ${mid.y}`} />
            <path className="lost-way" d={`M${mid.x} ${mid.y}L${to.x} ${to.y}`} />
            <path className="stop-bar" d="M0 -9V9" transform={`translate(${mid.x} ${mid.y}) rotate(${angle})`} />
          </g>
        );
      })}
      {[...places].map(([name, spot]) => {
        const filter = node.tables.find((t) => t.table === name);
        return (
          <g
            key={name}
            className={name === grain ? 'grain' : pale.has(name) ? 'stopped' : ''}
            transform={`translate(${spot.x - spot.width / 2} ${spot.y - BOX.height / 2})`}
          >
            <title>{name}</title>
            <rect width={spot.width} height={BOX.height} />
            <text x="9" y="16">
              {name.slice(0, Math.floor((spot.width - 12) / 6.4))}
            </text>
            <text x="9" y="30" className="rows">
              {filter ? `${count(filter.rows_kept)} of ${count(filter.rows_total)}` : (pale.get(name) ?? '')}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
