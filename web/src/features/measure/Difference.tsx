import type { DifferencePiece } from '../../api/client';

/** Two formulas in one: what goes is struck out, what comes is underlined. */
export function Difference({ pieces }: { pieces: DifferencePiece[] }) {
  return (
    <div className="formula-box difference">
      {pieces.map((p, i) =>
        p.kind === 'same' ? (
          <span key={`${i} ${p.text}`}>{p.text}</span>
        ) : p.kind === 'gone' ? (
          <del key={`${i} ${p.text}`}>{p.text}</del>
        ) : (
          <ins key={`${i} ${p.text}`}>{p.text}</ins>
        ),
      )}
    </div>
  );
}
