// How an answered axis is shown: totals as headings over their parts, the grand total last. Pure.
import type { Coordinate, GridAnswer, Member, Order, Probe } from '../../api/client';
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
    return {
      place,
      members,
      level,
      label: level === 0 || !last ? 'All' : memberText(last),
      isTotal: level < width,
      isGrand: level === 0 && width > 0,
    };
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
      return [
        ...heads,
        ...order(
          group.filter((l) => l.level > depth + 1),
          depth + 1,
        ),
      ];
    });
  };
  return [...order(rest, 0), ...grand];
}

/** What names a line: its coordinates, in order, as JSON. */
export function lineKey(line: ShownLine): string {
  return JSON.stringify(line.members.slice(0, line.level));
}

/** The lines that are not folded away under one of their totals. */
export function unfolded(lines: ShownLine[], folded: string[]): ShownLine[] {
  if (folded.length === 0) return lines;
  const away = new Set(folded);
  return lines.filter((line) => {
    for (let level = 1; level < line.level; level += 1) if (away.has(JSON.stringify(line.members.slice(0, level)))) return false;
    return true;
  });
}

/** The coordinates of a cell: what its two lines say, totals left out. */
export function coordinates(answer: GridAnswer, row: Member[], column: Member[]): Coordinate[] {
  const places: Coordinate[] = [];
  for (const [names, members] of [
    [answer.rows.columns, row],
    [answer.columns.columns, column],
  ] as const)
    for (const [i, name] of names.entries()) {
      const member = members[i];
      if (member && member.kind !== 'total') places.push({ column: name, member });
    }
  return places;
}

/** The place across at which a heading orders: none over all of them. */
export function orderPlace(answer: GridAnswer, line: Member[]): Order['at'] {
  const at: NonNullable<Order['at']> = {};
  for (const [i, column] of answer.columns.columns.entries()) {
    const member = line[i];
    if (!member || member.kind === 'total') continue;
    at[column] = member.kind === 'unmatched' ? { unmatched: true } : member.kind === 'empty' ? null : (member.value ?? null);
  }
  return Object.keys(at).length ? at : undefined;
}

const samePlace = (a: Order['at'], b: Order['at']) => JSON.stringify(a ?? {}) === JSON.stringify(b ?? {});

export function orderOf(sort: Probe['sort'], by: string, at?: Order['at']): Order | undefined {
  return sort?.find((s) => s.by === by && samePlace(s.at, at));
}

/** The next order after a click on a heading: largest first, smallest first, none. An axis starts with the last first, as it stands. */
export function nextSort(sort: Probe['sort'], by: string, at?: Order['at']): Order[] {
  const now = orderOf(sort, by, at);
  const made: Order = at ? { by, at } : { by };
  if (!now) return [{ ...made, desc: true }];
  return now.desc ? [{ ...made, desc: false }] : [];
}
