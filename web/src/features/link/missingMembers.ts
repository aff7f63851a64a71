// The step that gives a table a row for every key that a link names in vain.
import type { LinkInfo, TableInfo } from '../../api/client';
import type { Edit } from '../../api/queries';

interface Named {
  table: string;
  columns: string[];
}

/** One edit of the table's steps; a step for the same key that is there already takes the link in. */
export function withMissing(
  table: Pick<TableInfo, 'name' | 'steps' | 'columns'>,
  link: Pick<LinkInfo, 'from_table' | 'from_columns' | 'to_columns'>,
): Edit {
  const steps = table.steps as Record<string, unknown>[];
  const named: Named = { table: link.from_table, columns: [...link.from_columns] };
  const at = steps.findIndex((s) => s.kind === 'add_missing' && !s.off && JSON.stringify(s.key) === JSON.stringify(link.to_columns));
  const taken = new Set(table.columns.map((c) => c.name.toLowerCase()));
  const into = ['added', 'added here', ...Array.from({ length: 50 }, (_, i) => `added ${i + 2}`)].find((n) => !taken.has(n)) ?? 'added';
  const next =
    at < 0
      ? [...steps, { kind: 'add_missing', key: [...link.to_columns], named_by: [named], into }]
      : steps.map((s, i) => (i === at ? { ...s, named_by: [...(s.named_by as Named[]), named] } : s));
  return { kind: 'shape_table', name: table.name, steps: next, title: `add missing members to ${table.name}` };
}
