// A measure, or the edits of a given, held over the star: which links it switches and turns, which filters it edits.
import { useMemo, useState } from 'react';
import type { HeldScan, LinkInfo, ModelDocument } from '../../api/client';
import { useLink } from './store';
import { useHeld } from './requests';
import { wayOf, type Way } from './StarLink';

export interface HeldState {
  name: string;
  scans: HeldScan[];
  scan: HeldScan | null;
  place: number;
  choose: (place: number) => void;
  /** By table, the kinds of edit that its filters undergo, as one text. */
  marks: Map<string, string>;
  error: string;
}

const NO_SCANS: HeldScan[] = [];

export function useHeldScan(model: ModelDocument, fact: string): HeldState {
  const held = useLink((s) => s.held);
  const answer = useHeld(model, held, fact);
  const [place, choose] = useState(0);
  const scans = held && answer.data ? answer.data.scans : NO_SCANS;
  const marks = useMemo(() => {
    const filters = held && answer.data ? answer.data.filters : [];
    return new Map(filters.map((f) => [f.table, [...new Set(f.columns.map((c) => c.kind))].join(' ')]));
  }, [held, answer.data]);
  const name = held ? ('measure' in held ? held.measure : `given (${held.given})`) : '';
  return {
    name,
    scans,
    scan: scans[Math.min(place, scans.length - 1)] ?? null,
    place,
    choose,
    marks,
    error: held && answer.error ? answer.error.message : '',
  };
}

/** How a link stands under what is held. */
export function heldOf(link: LinkInfo, scan: HeldScan | null): { way: Way; words: string } {
  let way = wayOf(link);
  const said: string[] = [];
  for (const change of scan?.links.filter((c) => c.link === link.name) ?? []) {
    if (change.change === 'on') {
      way = link.flow === 'two-way' ? 'both' : 'on';
      said.push('switched on');
    } else if (change.change === 'off' || change.change === 'inactive') {
      way = change.change;
      said.push(change.change === 'off' ? 'off' : 'yields');
    } else if (change.change === 'two-way') {
      way = 'both';
      said.push('both ways');
    } else {
      way = change.change === `to ${link.from_table}` ? 'on' : 'back';
      said.push(change.change);
    }
  }
  return { way, words: said.join(', ') };
}
