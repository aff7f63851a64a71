// The probe that a tile of a folio shows. Pure.
import type { ModelDocument, Pick, Probe, Tile } from '../../api/client';
import { asProbe } from '../../app/shapes';

export const pickKey = (pick: Pick): string => ('column' in pick ? pick.column : pick.where);

/** The probe that a tile names or holds, as it stands without the folio. */
export function ownProbe(model: ModelDocument, tile: Tile): Probe | null {
  const own = typeof tile.probe === 'string' ? model.probes.find((p) => p.name === tile.probe) : tile.probe;
  return own ? asProbe({ ...own }) : null;
}

/** The tile's own probe under the shared picks that it takes; a pick on a column of its own is narrowed by neither. */
export function tileProbe(model: ModelDocument, tile: Tile, picks: Pick[]): Probe | null {
  const probe = ownProbe(model, tile);
  if (!probe) return null;
  const shared = picks.filter((p) => !tile.without?.includes(pickKey(p)) && ('where' in p || p.in.length > 0));
  const kept = probe.picks.filter((p) => !('column' in p) || !shared.some((s) => 'column' in s && s.column === p.column));
  return {
    ...probe,
    picks: [...kept, ...shared],
    measures: tile.against && !probe.measures.includes(tile.against) ? [...probe.measures, tile.against] : probe.measures,
  };
}
