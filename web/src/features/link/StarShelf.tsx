// What has no place in a star: tables linked to nothing, and those not around its fact.
import type { RefObject } from 'react';
import type { ModelDocument } from '../../api/client';
import { RoleMark } from '../../marks/Marks';
import { count } from '../../shared/format';
import type { Pulling } from './starDrag';

interface Given {
  model: ModelDocument;
  names: string[] | undefined;
  pulling: Pulling | null;
  over: boolean;
  at: RefObject<HTMLDivElement | null>;
  choose: (name: string) => void;
}

const linked = (model: ModelDocument, name: string) => model.links.some((k) => k.from_table === name || k.to_table === name);

export function StarShelf({ model, names = [], pulling, over, at, choose }: Given) {
  const pulled = pulling?.from.startsWith('link ');
  return (
    <div ref={at} className={over ? 'shelf over' : 'shelf'} data-shelf>
      {pulled ? (
        `Drop here to remove ${pulling?.from}`
      ) : (
        <>
          <Tables model={model} words="Linked to nothing" names={names.filter((n) => !linked(model, n))} choose={choose} />
          <Tables model={model} words="Not around this fact" names={names.filter((n) => linked(model, n))} choose={choose} />
          {names.length === 0 && <span>Every table has its place. Drag a link here to remove it.</span>}
        </>
      )}
    </div>
  );
}

/** Tables as buttons behind a word that says why they are here. */
function Tables({ model, words, names, choose }: { model: ModelDocument; words: string; names: string[]; choose: (name: string) => void }) {
  if (names.length === 0) return null;
  return (
    <>
      <span style={{ flex: 'none' }}>{words}</span>
      {names.map((name) => {
        const table = model.tables.find((t) => t.name === name);
        return (
          <button
            key={name}
            type="button"
            className="plain"
            data-table={name}
            onPointerDown={(e) => e.stopPropagation()}
            onClick={() => choose(name)}
          >
            <RoleMark role={table?.role ?? 'disconnected'} /> <b>{name}</b> {count(table?.rows ?? 0)}
          </button>
        );
      })}
    </>
  );
}
