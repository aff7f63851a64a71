// Where edits of links go: into the model, or into the variant that is open beside it. Each is looked at in the link sheet before.
import type { LinkInfo, ModelDocument } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { actions } from '../../app/shown';
import { useLink } from './store';

/** What the link sheet is asked to show. */
export type SheetAsk =
  | { kind: 'new'; from: string[]; to: string[] }
  | { kind: 'change'; name: string; set: Record<string, unknown> }
  | { kind: 'remove'; name: string }
  | { kind: 'edits'; title: string; edits: Edit[] };

export const ask = (sheet: SheetAsk) => actions.set({ sheet });
export const askNew = (from: string[] = [], to: string[] = []) => ask({ kind: 'new', from, to });
export const askChange = (name: string, set: Record<string, unknown> = {}) => ask({ kind: 'change', name, set });
export const askRemove = (name: string) => ask({ kind: 'remove', name });
export const askSwitch = (link: LinkInfo) => askChange(link.name, { active: !link.active });
export const askTurn = (link: LinkInfo) => askChange(link.name, { flow: link.flow === 'one-way' ? 'two-way' : 'one-way' });

/** Of several links between two tables, this one as the active one: the others yield. */
export function askActive(model: ModelDocument, link: LinkInfo) {
  const rivals = linksBetween(model, link.from_table, link.to_table).filter((k) => k.active && k.name !== link.name);
  const edits: Edit[] = [
    ...rivals.map((k): Edit => ({ kind: 'change_link', name: k.name, set: { active: false } })),
    { kind: 'change_link', name: link.name, set: { active: true } },
  ];
  ask({ kind: 'edits', title: `let ${link.name} be the active one`, edits });
}

export function linksBetween(model: ModelDocument, a: string, b: string): LinkInfo[] {
  return model.links.filter((k) => (k.from_table === a && k.to_table === b) || (k.from_table === b && k.to_table === a));
}

/** Makes edits of links as one: in the model, or as a part of the variant. */
export function useLinkEdits(model: ModelDocument) {
  const { edit, busy } = useEdits(model);
  const variant = useLink((s) => s.variant);
  const make = async (edits: Edit[], title: string) => {
    if (variant) {
      actions.set({ variant: [...variant, ...edits] });
      return true;
    }
    return (await edit({ kind: 'change_links', edits, title })) !== null;
  };
  return { make, busy, into: variant ? 'the variant' : 'the model' };
}

/** An edit of links in words. */
export function editWords(edit: Edit): string {
  if (edit.kind === 'add_link') return `make ${String((edit.link as { name?: string }).name)}`;
  if (edit.kind === 'remove_link') return `remove ${String(edit.name)}`;
  const set = edit.set as { active?: boolean; flow?: string };
  const parts = [];
  if (set.active !== undefined) parts.push(`switch ${String(edit.name)} ${set.active ? 'on' : 'off'}`);
  if (set.flow !== undefined) parts.push(`make ${String(edit.name)} ${set.flow}`);
  return parts.join(', ') || `change ${String(edit.name)}`;
}
