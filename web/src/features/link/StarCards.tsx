// The tables of a star as cards, each with what the reach, a held measure and the selection make of it.
import { useCallback, useMemo } from 'react';
import type { HeldScan, ModelDocument } from '../../api/client';
import type { Edit } from '../../api/queries';
import { actions } from '../../app/shown';
import { tableIn } from './CellPanel';
import { askNew } from './edits';
import type { Box } from './geometry';
import type { HeldState } from './heldState';
import type { Lit } from './reachState';
import { StarCard } from './StarCard';
import { placing, type useStarDrag } from './starDrag';
import type { Level } from './store';

interface Given {
  model: ModelDocument;
  starKey: string;
  boxes: Map<string, Box>;
  placed: Map<string, Box>;
  held: HeldState;
  lit: Lit;
  inMiddle: Set<string>;
  isPale: (name: string) => boolean;
  chosen: string | null;
  levelOf: (name: string) => Level;
  drag: ReturnType<typeof useStarDrag>;
  edit: (edit: Edit) => Promise<unknown>;
  onToggle: (name: string) => void;
  onSelect: (name: string) => void;
}

/** What a card looks like, as class names. */
function classesOf(name: string, { held, lit, inMiddle, isPale, chosen }: Given): string {
  const scan: HeldScan | null = lit.source ? null : held.scan;
  const classes = [
    inMiddle.has(name) ? 'fact' : '',
    isPale(name) ? 'pale' : '',
    lit.source === name || scan?.grain === name ? 'source' : '',
    lit.reached.has(name) || scan?.runs.some((r) => r.from === name) ? 'reached' : '',
    lit.blocked.has(name) ? 'blocked' : '',
    chosen === name ? 'chosen' : '',
  ];
  return classes.filter(Boolean).join(' ');
}

const selectColumn = (table: string, name: string) => actions.select({ kind: 'column', table, name });
const linkFrom = (from: string[]) => askNew(from, []);

export function StarCards(given: Given) {
  const { model, starKey, boxes, placed, held, levelOf, drag, edit, onToggle, onSelect } = given;
  const linksOf = useMemo(
    () => new Map(model.tables.map((t) => [t.name, model.links.filter((k) => k.from_table === t.name || k.to_table === t.name)])),
    [model],
  );
  const nudge = useCallback(
    (name: string, dx: number, dy: number) => {
      const box = placed.get(name);
      if (box) void edit(placing(starKey, { name, x: box.x + dx, y: box.y + dy }));
    },
    [placed, starKey, edit],
  );
  return model.tables.map((table) => {
    const { name } = table;
    const box = boxes.get(name);
    return box ? (
      <StarCard
        key={name}
        table={table}
        links={linksOf.get(name) ?? []}
        box={box}
        classes={classesOf(name, given)}
        open={levelOf(name) !== 'names' || drag.pulling?.over === name}
        shown={levelOf(name)}
        target={drag.pulling?.to ?? null}
        picked={drag.picked.filter((k) => tableIn(k) === name).join('\n')}
        marks={held.marks.get(name) ?? ''}
        onGrab={drag.grabCard}
        onKey={drag.grabKey}
        onPick={drag.pick}
        onColumn={selectColumn}
        onLink={linkFrom}
        onNudge={nudge}
        onHover={actions.hover}
        onToggle={onToggle}
        onSelect={onSelect}
      />
    ) : null;
  });
}
