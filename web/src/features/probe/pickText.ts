// A pick or a condition in words.
import type { Pick } from '../../api/client';
import { conditionOf } from '../../api/queries';
import { UNMATCHED, columnName, columnText } from '../../shared/format';

export function pickText(pick: Pick): string {
  if ('where' in pick) return conditionOf(pick.where)?.words ?? pick.where;
  const values = pick.in.map((v) => (v !== null && typeof v === 'object' ? UNMATCHED : columnText(v)));
  const listed = values.length > 3 ? `${values.slice(0, 2).join(', ')} and ${values.length - 2} more` : values.join(' or ');
  return `${columnName(pick.column)} is ${listed || 'any'}`;
}
