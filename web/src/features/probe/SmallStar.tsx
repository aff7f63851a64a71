// The star in small: the scanned table below, above it what its filters came from, with the rows left in each.
import type { TraceNode } from '../../api/client';
import { count } from '../../shared/format';

const WIDTH = 322;
const STEP = 70;
const BOX = { width: 104, height: 38 };

interface Spot {
  x: number;
  y: number;
}

/** Level by level from the scanned table upwards, spread over the width. */
function spots(node: TraceNode, grain: string): Map<string, Spot> {
  const depth = new Map<string, number>([[grain, 0]]);
  // Flows are told from the outside in, so going backwards meets every table after the one it flows into.
  for (const flow of [...node.flows].reverse()) depth.set(flow.from, (depth.get(flow.to) ?? 0) + 1);
  const deepest = Math.max(...depth.values());
  const found = new Map<string, Spot>();
  for (let level = 0; level <= deepest; level += 1) {
    const names = [...depth].filter(([, d]) => d === level).map(([name]) => name);
    for (const [i, name] of names.entries()) found.set(name, { x: ((i + 0.5) * WIDTH) / names.length, y: (deepest - level) * STEP + 22 });
  }
  return found;
}

export function SmallStar({ node }: { node: TraceNode }) {
  const grain = node.arithmetic?.grain ?? '';
  const places = spots(node, grain);
  const height = Math.max(...[...places.values()].map((s) => s.y)) + BOX.height / 2 + 4;
  return (
    <svg className="small-star" viewBox={`0 0 ${WIDTH} ${height}`} role="img" aria-label={`Filters run to ${grain}: ${node.flows.map((f) => `from ${f.from} over ${f.link}`).join(', ') || 'none'}`}>
      {node.flows.map((flow) => {
        const a = places.get(flow.from);
        const b = places.get(flow.to);
        if (!a || !b) return null;
        const from = { x: a.x, y: a.y + BOX.height / 2 };
        const to = { x: b.x + (a.x - b.x) * 0.25, y: b.y - BOX.height / 2 };
        const mid = { x: (from.x + to.x) / 2, y: (from.y + to.y) / 2 };
        const angle = (Math.atan2(to.y - from.y, to.x - from.x) * 180) / Math.PI;
        return (
          <g key={flow.link}>
            <title>{`${flow.link}: ${count(flow.rows_before)} rows before, ${count(flow.rows_after)} after`}</title>
            <path className="flow" d={`M${from.x} ${from.y}L${to.x} ${to.y}`} />
            <path className="diode" d="M6 0L-5 -5.5V5.5Z" transform={`translate(${mid.x} ${mid.y}) rotate(${angle})`} />
          </g>
        );
      })}
      {[...places].map(([name, spot]) => {
        const told = node.tables.find((t) => t.table === name);
        return (
          <g key={name} className={name === grain ? 'grain' : ''} transform={`translate(${spot.x - BOX.width / 2} ${spot.y - BOX.height / 2})`}>
            <rect width={BOX.width} height={BOX.height} />
            <text x="9" y="16">{name}</text>
            <text x="9" y="30" className="rows">{told ? `${count(told.rows_kept)} of ${count(told.rows_total)}` : ''}</text>
          </g>
        );
      })}
    </svg>
  );
}
