// Why a filter stops, in words.
import type { Stop } from '../../api/client';

/** Why a filter stops, as the end of a sentence about the table it stops before. */
export function stopWords(stop: Stop): string {
  if (stop.reason === 'no link') return 'no link leads away';
  if (stop.reason === 'inactive') return 'the link is inactive';
  if (stop.reason === 'off') return 'the link is switched off';
  return 'the link carries filters the other way only';
}
