// All of a star, small, where it is larger than its room: what is seen of it, and a click goes elsewhere.
import { useEffect, type PointerEvent } from 'react';
import type { Box } from './geometry';

const WIDTH = 168;
const HEIGHT = 116;
const EDGE = 40;

interface Given {
  boxes: Map<string, Box>;
  inMiddle: Set<string>;
  onGo: (x: number, y: number) => void;
  /** It is drawn anew: what is seen is to be told. */
  onDrawn: () => void;
}

export function Overview({ boxes, inMiddle, onGo, onDrawn }: Given) {
  useEffect(onDrawn, [boxes, onDrawn]);
  if (boxes.size === 0) return null;
  const all = [...boxes.values()];
  const left = Math.min(...all.map((b) => b.x - b.width / 2)) - EDGE;
  const top = Math.min(...all.map((b) => b.y - b.height / 2)) - EDGE;
  const width = Math.max(...all.map((b) => b.x + b.width / 2)) + EDGE - left;
  const height = Math.max(...all.map((b) => b.y + b.height / 2)) + EDGE - top;
  const scale = Math.min(WIDTH / width, HEIGHT / height);
  const go = (event: PointerEvent<HTMLDivElement>) => {
    event.stopPropagation();
    if (event.type === 'pointermove' && event.buttons === 0) return;
    const rect = event.currentTarget.getBoundingClientRect();
    onGo(left + (event.clientX - rect.left) / scale, top + (event.clientY - rect.top) / scale);
  };
  return (
    // Arrows, + and - do the same on the plane.
    <div
      className="star-overview"
      aria-hidden="true"
      data-bounds={[left + EDGE, top + EDGE, left + width - EDGE, top + height - EDGE].join(' ')}
      style={{ width: width * scale, height: height * scale }}
      onPointerDown={go}
      onPointerMove={go}
    >
      <svg width={width * scale} height={height * scale} viewBox={`${left} ${top} ${width} ${height}`}>
        {[...boxes].map(([name, b]) => (
          <rect
            key={name}
            className={inMiddle.has(name) ? 'fact' : ''}
            x={b.x - b.width / 2}
            y={b.y - b.height / 2}
            width={b.width}
            height={b.height}
            rx="8"
          />
        ))}
      </svg>
      <i
        style={{
          left: `calc((var(--seen-x) - ${left}) * ${scale}px)`,
          top: `calc((var(--seen-y) - ${top}) * ${scale}px)`,
          width: `calc(var(--seen-w) * ${scale}px)`,
          height: `calc(var(--seen-h) * ${scale}px)`,
        }}
      />
    </div>
  );
}
