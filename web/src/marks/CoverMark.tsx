// How much of what could break would be noticed: a shut eye for nothing that moves, a full one, a half one, and an empty one for a hole.
import { coverOf, shareWords, type Share } from '../features/prove/coverageModel';

export function CoverMark({ share, size = 14 }: { share: Share; size?: number }) {
  const cover = coverOf(share);
  const words = shareWords(share);
  return (
    <svg className={`mark cover ${cover}`} width={size} height={size} viewBox="0 0 16 16" role="img" aria-label={words}>
      <title>{words}</title>
      {cover === 'still' ? (
        <path d="M2 7.5c3.4 3.6 8.6 3.6 12 0" fill="none" stroke="currentColor" strokeWidth="1.5" strokeLinecap="round" />
      ) : (
        <>
          <path d="M1.5 8C4.6 3.2 11.4 3.2 14.5 8 11.4 12.8 4.6 12.8 1.5 8Z" fill="none" stroke="currentColor" strokeWidth="1.5" />
          {cover === 'whole' && <circle cx="8" cy="8" r="2.6" fill="currentColor" />}
          {cover === 'part' && <path d="M8 5.4a2.6 2.6 0 0 0 0 5.2Z" fill="currentColor" />}
        </>
      )}
    </svg>
  );
}

/** A hole alone: what could break here and nobody would notice. */
export function HoleMark({ size = 11 }: { size?: number }) {
  return (
    <svg className="mark cover open" width={size} height={size} viewBox="0 0 16 16" aria-hidden>
      <path d="M1.5 8C4.6 3.2 11.4 3.2 14.5 8 11.4 12.8 4.6 12.8 1.5 8Z" fill="none" stroke="currentColor" strokeWidth="1.7" />
    </svg>
  );
}
