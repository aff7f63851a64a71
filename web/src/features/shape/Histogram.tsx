/** A small histogram: bars of equal width, the highest as high as the box. */
export function Histogram({ counts, width = 90, height = 20 }: { counts: number[]; width?: number; height?: number }) {
  const most = Math.max(...counts, 1);
  const step = width / Math.max(counts.length, 1);
  return (
    <svg className="histogram" width={width} height={height} aria-hidden>
      {counts.map((n, i) => {
        const bar = n === 0 ? 0 : Math.max((n / most) * height, 1);
        // Bars have no names of their own: their place is what they are.
        return <rect key={`${i}`} x={i * step} y={height - bar} width={Math.max(step - 1, 1)} height={bar} fill="currentColor" />;
      })}
    </svg>
  );
}
