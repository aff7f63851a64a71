// A folio: probes, single numbers, pictures and texts under shared picks and one ruler; each tile can opt out of a pick and says so.
import { useStore } from 'zustand';
import { useState, type KeyboardEvent } from 'react';
import type { Folio, ModelDocument, Pick, Tile } from '../../api/client';
import { useConditions, useEdits } from '../../api/queries';
import { asFolio, sameFolio } from '../../app/shapes';
import { actions, onScreen } from '../../app/shown';
import { useFolio } from './store';
import { columnSelection } from '../probe/Chips';
import { nameText, referenceText } from '../../shared/format';
import { useSaver } from '../../shared/saver';
import { onUndoKeys } from '../../shared/undoKeys';
import { Rename } from '../names/Rename';
import { Chooser } from '../probe/Chooser';
import { UndoButtons } from '../../shared/UndoButtons';
import { Picks, usePickSide } from '../probe/Picks';
import { pickText } from '../probe/pickText';
import { Where } from '../probe/Where';
import { TileCard } from './TileCard';
import { useChange } from '../shape/Consequences';
import { ConsequencesDialog } from '../shape/ConsequencesDialog';

export function FolioView({ model, folio }: { model: ModelDocument; folio: Folio }) {
  const [dragged, setDragged] = useState<number | null>(null);
  const from = useFolio((s) => s.folioFrom);
  const stored = model.folios.find((f) => f.name === from);
  const asSaved = stored !== undefined && sameFolio(asFolio(stored), folio);
  useConditions(); // they are read aloud once a tile has been answered
  const put = actions.setFolio;
  const side = usePickSide(folio.picks);
  const putTile = (at: number, tile: Tile | null) =>
    put({ tiles: tile ? folio.tiles.map((t, i) => (i === at ? tile : t)) : folio.tiles.filter((_, i) => i !== at) });
  const move = (from: number, to: number) => {
    const tiles = [...folio.tiles];
    const [tile] = tiles.splice(from, 1);
    const place = Math.max(0, Math.min(to, tiles.length));
    if (tile) tiles.splice(place, 0, tile);
    put({ tiles });
    // The focus goes with the tile, which is drawn anew.
    requestAnimationFrame(() => document.querySelectorAll<HTMLElement>('.tile .tile-menu')[place]?.focus());
  };
  return (
    <div className="folio-bench">
      <FolioHead model={model} folio={folio}>
        where
        <PicksForAll model={model} picks={folio.picks} put={(picks) => put({ picks })} />
        <AddTile model={model} onAdd={(tile) => put({ tiles: [...folio.tiles, tile] })} />
      </FolioHead>
      <div className={side.open ? 'probe-body' : 'probe-body no-picks'}>
        <Picks model={model} picks={folio.picks} answer={undefined} put={(picks) => put({ picks })} {...side} />
        <div className="folio-scroll" data-region>
          {folio.tiles.length === 0 && (
            <p className="pad quiet empty-place">
              Nothing is on this folio yet. “+ tile” brings a saved probe, a number with its comparison, or a text; all of them stand under
              the picks at the left.
            </p>
          )}
          <div className="folio-grid">
            {folio.tiles.map((tile, i) => (
              <TileCard
                key={`${i} ${tile.title ?? ''} ${typeof tile.probe === 'string' ? tile.probe : ''}`}
                model={model}
                tile={tile}
                picks={folio.picks}
                over={dragged !== null && dragged !== i}
                onPut={(next) => putTile(i, next)}
                onPick={(picks) => put({ picks })}
                onMove={(by) => move(i, i + by)}
                onDrag={() => setDragged(i)}
                onDrop={() => {
                  if (dragged !== null) move(dragged, i);
                  setDragged(null);
                }}
                onEnd={() => setDragged(null)}
                saved={asSaved ? { folio: String(stored.name), place: i + 1 } : null}
              />
            ))}
          </div>
        </div>
      </div>
    </div>
  );
}

interface PicksProps {
  model: ModelDocument;
  picks: Pick[];
  put: (picks: Pick[]) => void;
}

/** What all tiles are picked by, as chips. */
function PicksForAll({ model, picks, put }: PicksProps) {
  const picked = new Set(picks.map((p) => ('column' in p ? p.column : '')));
  const columns = model.tables
    .filter((t) => !t.hidden && t.role !== 'fact')
    .flatMap((t) =>
      t.columns
        .filter((c) => !c.hidden)
        .map((c) => ({ value: referenceText(t.name, c.name), text: `${t.name} ${c.name.replaceAll('_', ' ')}`, detail: c.dtype })),
    );
  return (
    <>
      {picks.map((pick, i) => (
        <span key={JSON.stringify(pick)} className="chip">
          {'column' in pick ? (
            <button type="button" onClick={() => actions.select(columnSelection(pick.column))}>
              {pickText(pick)}
            </button>
          ) : (
            <Where
              model={model}
              text={pick.where}
              title="A condition for all tiles"
              onSay={(where) => put(picks.map((p, j) => (j === i ? { where } : p)))}
            >
              {pickText(pick)}
            </Where>
          )}
          <button type="button" aria-label={`Take the pick ${pickText(pick)} out`} onClick={() => put(picks.filter((_, j) => j !== i))}>
            ✕
          </button>
        </span>
      ))}
      <Chooser
        label="+ pick for all"
        title="Pick from a column, for all tiles"
        choices={columns.filter((c) => !picked.has(c.value))}
        onChoose={(v) => put([...picks, { column: v, in: [] }])}
      />
      <span className="chip add">
        <Where model={model} text="" title="A condition for all tiles" onSay={(where) => put([...picks, { where }])}>
          + condition for all
        </Where>
      </span>
    </>
  );
}

function FolioHead({ model, folio, children }: { model: ModelDocument; folio: Folio; children: React.ReactNode }) {
  const { edit, busy } = useEdits(model);
  const from = useFolio((s) => s.folioFrom);
  const back = useStore(useFolio.temporal, (s) => s.pastStates.length);
  const forth = useStore(useFolio.temporal, (s) => s.futureStates.length);
  const name = folio.name.trim();
  const stored = model.folios.find((f) => f.name === from);
  const other = name !== from && model.folios.some((f) => f.name === name);
  const changed = !stored || !sameFolio(stored, folio);
  const save = async () => {
    const kept = { ...folio, name, picks: folio.picks.filter((p: Pick) => 'where' in p || p.in.length > 0) };
    // What was changed while it was on its way stays as it is.
    if (await edit({ kind: 'put_folio', folio: kept }))
      actions.set({ folioFrom: name, ...(onScreen().folio === folio ? { folio: kept } : {}) });
  };
  const change = useChange(model);
  const remove = (gone: string) => {
    void change.ask({ kind: 'remove_folio', name: gone }).then((done) => done && actions.openFolio(null));
  };
  const [renaming, setRenaming] = useState(false);
  useSaver(() => void save(), changed && name !== '' && !busy);
  const onKey = (event: KeyboardEvent) => onUndoKeys(event, { back, forth, undo: actions.undoFolio, redo: actions.redoFolio });
  return (
    // The keys of the chips come up to here.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <div className="sentence" data-region role="group" aria-label="The folio" onKeyDown={onKey}>
      <input
        className="field folio-name"
        aria-label="Name of the folio"
        placeholder="name of the folio"
        value={folio.name}
        onChange={(e) => actions.setFolio({ name: e.target.value })}
      />
      {children}
      <span className="row sentence-end">
        <UndoButtons where="on the folio" back={back} forth={forth} undo={actions.undoFolio} redo={actions.redoFolio} />
        <button
          data-needs="try"
          type="button"
          className="pill small solid"
          disabled={busy || !changed || !name}
          onClick={() => void save()}
        >
          {other ? `Put it in the place of ${name}` : stored && name !== from ? 'Save as another' : 'Save'}
        </button>
        {stored && changed && (
          <button type="button" className="pill small" onClick={() => actions.takeFolio(asFolio(stored))}>
            As saved
          </button>
        )}
        {stored && !changed && (
          <button type="button" className="pill small" onClick={() => setRenaming(!renaming)}>
            Rename
          </button>
        )}
        {stored && (
          <button type="button" className="pill small" disabled={busy} onClick={() => remove(String(stored.name))}>
            Remove
          </button>
        )}
        <ConsequencesDialog model={model} change={change} onDone={() => actions.openFolio(null)} />
      </span>
      {renaming && stored && (
        <Rename
          model={model}
          what="folio"
          name={String(stored.name)}
          onDone={(to) => {
            if (to) actions.set({ folio: { ...folio, name: to }, folioFrom: to });
            setRenaming(false);
          }}
        />
      )}
      <Describe folio={folio} />
    </div>
  );
}

/** What the folio is for, written where it is read. */
function Describe({ folio }: { folio: Folio }) {
  const [text, setText] = useState<string | null>(null);
  if (text === null)
    return (
      <button type="button" className="plain quiet folio-words" title="Say what it is for" onClick={() => setText(folio.description ?? '')}>
        {folio.description || 'say what it is for'}
      </button>
    );
  const keep = () => {
    if (text.trim() !== (folio.description ?? '')) actions.setFolio({ description: text.trim() || undefined });
    setText(null);
  };
  return (
    <input
      className="field folio-words"
      ref={(node) => node?.focus()}
      aria-label="What the folio is for"
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => (e.key === 'Enter' ? keep() : e.key === 'Escape' && setText(null))}
    />
  );
}

/** What a tile can be: a saved probe, a number, or a text. */
function AddTile({ model, onAdd }: { model: ModelDocument; onAdd: (tile: Tile) => void }) {
  const choices = [
    { value: 'text', text: 'A text', detail: 'words' },
    ...model.probes.map((p) => ({ value: `probe ${String(p.name)}`, text: String(p.name), detail: 'a probe' })),
    ...model.measures.filter((m) => !m.broken).map((m) => ({ value: `number ${m.name}`, text: nameText(m.name), detail: 'a number' })),
  ];
  const add = (value: string) => {
    const name = value.slice(value.indexOf(' ') + 1);
    if (value === 'text') onAdd({ kind: 'text', text: '', width: 1 });
    else if (value.startsWith('probe ')) onAdd({ kind: 'probe', probe: name, width: 2 });
    else onAdd({ kind: 'number', probe: { rows: [], columns: [], measures: [name], picks: [], totals: 'none' }, width: 1 });
  };
  return <Chooser label="+ tile" title="Add a tile" choices={choices} onChoose={add} />;
}
