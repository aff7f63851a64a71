// Which rows and columns of the bus matrix are shown, and in which groups. Pure.
import type { MatrixCell, ModelDocument, TableInfo } from '../../api/client';

export type Grouping = 'conformed' | 'none' | 'subject' | 'source' | 'role';

export interface Group {
  name: string;
  members: string[];
  collapsed: boolean;
}

interface ShownMatrix {
  rows: Group[];
  columns: Group[];
  /** Tables that are linked to nothing, as columns apart. */
  apart: string[];
}

function groupOf(table: TableInfo | undefined, grouping: Grouping): string {
  if (!table || grouping === 'none' || grouping === 'conformed') return '';
  if (grouping === 'subject') return table.subject || 'no subject';
  if (grouping === 'source') return table.from_text || 'the package';
  return table.role;
}

function grouped(names: string[], tables: Map<string, TableInfo>, grouping: Grouping, collapsed: Set<string>, side: string): Group[] {
  const byFact = new Map<string, string[]>();
  for (const name of names) {
    const group = groupOf(tables.get(name), grouping);
    byFact.set(group, [...(byFact.get(group) ?? []), name]);
  }
  return [...byFact].map(([name, members]) => ({ name, members, collapsed: collapsed.has(`${side} ${name}`) }));
}

/** A search keeps the facts that have its words, and the dimensions that have; where none of the one kind has, all of it stays. */
function searched(names: string[], tables: Map<string, TableInfo>, search: string): string[] {
  const shown = names.filter((name) => fits(name, tables, search));
  return shown.length ? shown : names;
}

function fits(name: string, tables: Map<string, TableInfo>, search: string): boolean {
  const table = tables.get(name);
  const text = `${name} ${table?.subject ?? ''} ${table?.from_text ?? ''}`.toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .every((w) => text.includes(w));
}

export function shownMatrix(
  model: ModelDocument,
  search: string,
  grouping: Grouping,
  collapsed: Set<string>,
  hidden: boolean,
): ShownMatrix {
  const tables = new Map(model.tables.map((t) => [t.name, t]));
  const open = (names: string[]) =>
    searched(
      names.filter((n) => hidden || !tables.get(n)?.hidden),
      tables,
      search,
    );
  const loose = model.matrix.apart.filter((n) => hidden || !tables.get(n)?.hidden);
  // Before anything is linked, every table is both: a fact to be, or a dimension to be.
  const facts = model.matrix.facts.length ? model.matrix.facts : loose;
  return {
    rows: grouped(open(facts), tables, grouping, collapsed, 'row'),
    columns: grouped(open(grouping === 'conformed' ? byFacts(model) : model.matrix.dimensions), tables, grouping, collapsed, 'column'),
    apart: loose.filter((n) => !search.trim() || fits(n, tables, search)),
  };
}

/** Dimensions that most facts share first; those that filter as many stay in the model's order. */
function byFacts(model: ModelDocument): string[] {
  const facts = new Map(model.matrix.dimensions.map((d) => [d, conformed(model, d)]));
  return [...model.matrix.dimensions].sort((a, b) => (facts.get(b) ?? 0) - (facts.get(a) ?? 0));
}

export const NO_CELL: MatrixCell = { kind: 'none', path: [], links: [], via: [], two_way: false, gap: [] };

export function cellOf(model: ModelDocument, fact: string, dimension: string): MatrixCell {
  return model.matrix.cells[fact]?.[dimension] ?? NO_CELL;
}

/** How many facts a dimension filters: one that filters several is conformed. */
export function conformed(model: ModelDocument, dimension: string): number {
  return model.matrix.facts.filter((f) => {
    const kind = cellOf(model, f, dimension).kind;
    return kind === 'direct' || kind === 'through' || kind === 'loose';
  }).length;
}
