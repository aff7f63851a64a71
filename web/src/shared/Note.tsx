// A note that somebody wrote: a long one is cut, with "more".
import { useState } from 'react';

const LONG = 220; // letters from which on a note is cut

/** The first words of a text, up to a length. */
function firstWords(text: string): string {
  const cut = text.slice(0, LONG);
  return `${cut.slice(0, Math.max(cut.lastIndexOf(' '), LONG / 2))} …`;
}

export function Note({ text, quiet = false }: { text: string | undefined; quiet?: boolean }) {
  const [all, setAll] = useState(false);
  if (!text) return null;
  const long = text.length > LONG * 1.15;
  return (
    <p className={quiet ? 'quiet' : undefined}>
      {long && !all ? firstWords(text) : text}{' '}
      {long && (
        <button type="button" className="plain quiet" aria-expanded={all} onClick={() => setAll(!all)}>
          <u>{all ? 'less' : 'more'}</u>
        </button>
      )}
    </p>
  );
}
