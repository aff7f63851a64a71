// How an answered axis is shown: totals as headings over their parts, the grand total last. Pure.
import type { GridAnswer, Member, Probe } from '../../api/client';
import { memberText } from '../../shared/format';

export interface ShownLine {
  /** Its place in the answer. */
  place: number;
  members: Member[];
  /** How many columns it has a coordinate on. */
  level: number;
  label: string;
  isTotal: boolean;
  isGrand: boolean;
}

/** The answer has totals after their parts; on screen a total heads them, and only the grand total stays last. */
export function shownLines(lines: Member[][]): ShownLine[] {
  const width = lines[0]?.length ?? 0;
  const described = lines.map((members, place): ShownLine => {
    const level = members.filter((m) => m.kind !== 'total').length;
    const last = members[Math.max(level - 1, 0)];
    return { place, members, level, label: level === 0 || !last ? 'All' : memberText(last), isTotal: level < width, isGrand: level === 0 && width > 0 };
  });
  const grand = described.filter((l) => l.isGrand);
  const rest = described.filter((l) => !l.isGrand);
  const order = (part: ShownLine[], depth: number): ShownLine[] => {
    if (depth >= width) return part;
    const groups = new Map<string, ShownLine[]>();
    for (const line of part) {
      const key = JSON.stringify(line.members[depth]);
      groups.set(key, [...(groups.get(key) ?? []), line]);
    }
    return [...groups.values()].flatMap((group) => {
      const heads = group.filter((l) => l.level === depth + 1);
      return [...heads, ...order(group.filter((l) => l.level > depth + 1), depth + 1)];
    });
  };
  return [...order(rest, 0), ...grand];
}

/** The coordinates of a cell: what its two lines say, totals left out. */
export function coordinates(answer: GridAnswer, row: Member[], column: Member[]): { column: string; member: Member }[] {
  const found: { column: string; member: Member }[] = [];
  for (const [names, members] of [[answer.rows.columns, row], [answer.columns.columns, column]] as const)
    for (const [i, name] of names.entries()) {
      const member = members[i];
      if (member && member.kind !== 'total') found.push({ column: name, member });
    }
  return found;
}

/** The next order after a click on a measure's heading: largest first, smallest first, none. */
export function nextSort(sort: Probe['sort'], measure: string): NonNullable<Probe['sort']> {
  const now = sort?.find((s) => s.by === measure);
  if (!now) return [{ by: measure, desc: true }];
  return now.desc ? [{ by: measure, desc: false }] : [];
}
