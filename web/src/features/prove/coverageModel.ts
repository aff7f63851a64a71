// Coverage by what a change is done to: how many changes some check notices, of those that move a number. Pure.
import type { Covered, ModelDocument } from '../../api/client';

export interface Share {
  noticed: number;
  /** Of the changes that move a number. */
  of: number;
  equivalent: number;
  holes: Covered[];
}

const NOTHING: Share = { noticed: 0, of: 0, equivalent: 0, holes: [] };

export function shareOf(changes: Covered[]): Share {
  const holes = changes.filter((c) => c.verdict.state === 'unnoticed');
  const noticed = changes.filter((c) => c.verdict.state === 'noticed').length;
  return { noticed, of: noticed + holes.length, equivalent: changes.filter((c) => c.verdict.state === 'equivalent').length, holes };
}

/** By `link …`, `measure …`, `table …`, `probe …`, `folio …`. */
export function byAbout(changes: Covered[]): Map<string, Share> {
  const groups = new Map<string, Covered[]>();
  for (const change of changes) groups.set(change.about, [...(groups.get(change.about) ?? []), change]);
  return new Map([...groups].map(([about, group]) => [about, shareOf(group)]));
}

/** Of the links on the way from a dimension to a fact. */
export function shareOfCell(model: ModelDocument, shares: Map<string, Share>, fact: string, dimension: string): Share {
  const path = model.matrix.cells[fact]?.[dimension]?.path ?? [];
  const links = path.map((name) => shares.get(`link ${name}`) ?? NOTHING);
  return {
    noticed: links.reduce((sum, s) => sum + s.noticed, 0),
    of: links.reduce((sum, s) => sum + s.of, 0),
    equivalent: links.reduce((sum, s) => sum + s.equivalent, 0),
    holes: links.flatMap((s) => s.holes),
  };
}

export function shareWords(share: Share): string {
  const same = share.equivalent ? `; ${share.equivalent} more leave every number as it is` : '';
  if (share.of === 0) return `no change moves a number${same}`;
  return `${share.noticed} of ${share.of} changes are noticed${same}`;
}

/** The same for a thing that may not have been looked at: nothing where nothing of it moves a number. */
export const noticedWords = (share: Share | undefined): string => (share && share.of > 0 ? shareWords(share) : '');

/** How a share is drawn: nothing moves, all noticed, some, none. */
export type Cover = 'still' | 'whole' | 'part' | 'open';

export function coverOf(share: Share): Cover {
  if (share.of === 0) return 'still';
  if (share.noticed === share.of) return 'whole';
  return share.noticed === 0 ? 'open' : 'part';
}
