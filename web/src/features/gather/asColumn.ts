// How a column is asked to be read.
import type { ReadsInfo } from '../../api/client';

export interface Asked {
  type: string;
  pattern: string;
  decimal: string;
  group: string;
  language: string;
  misfits: string;
}

export function asAsked(reads: ReadsInfo, misfits: string): Asked {
  return { type: reads.type, pattern: reads.pattern, decimal: reads.decimal, group: reads.group, language: reads.language, misfits };
}
