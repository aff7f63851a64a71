// A folio: probes, single numbers, pictures and texts under shared picks and one ruler; each tile can opt out of a pick and says so.
import { Menu } from '@mantine/core';
import { useState } from 'react';
import type { Folio, ModelDocument, Pick, Tile } from '../../api/client';
import { useEdits } from '../../api/queries';
import { asFolio } from '../../app/shapes';
import { actions, useShown } from '../../app/shown';
import { Chooser } from '../probe/Chooser';
import { Picks } from '../probe/Picks';
import { pickText } from '../probe/Sentence';
import { TileCard } from './TileCard';

export function FolioView({ model, folio }: { model: ModelDocument; folio: Folio }) {
  const [dragged, setDragged] = useState<number | null>(null);
  const set = useShown((s) => s.set);
  const put = (change: Partial<Folio>) => set({ folio: { ...folio, ...change } });
  const putTile = (at: number, tile: Tile | null) => put({ tiles: tile ? folio.tiles.map((t, i) => (i === at ? tile : t)) : folio.tiles.filter((_, i) => i !== at) });
  const move = (from: number, to: number) => {
    const tiles = [...folio.tiles];
    const [tile] = tiles.splice(from, 1);
    if (tile) tiles.splice(Math.max(0, Math.min(to, tiles.length)), 0, tile);
    put({ tiles });
  };
  const picked = new Set(folio.picks.map((p) => ('column' in p ? p.column : '')));
  const columns = model.tables.filter((t) => !t.hidden && t.role !== 'fact').flatMap((t) => t.columns.filter((c) => !c.hidden).map((c) => ({ value: `${t.name}.${c.name}`, text: `${t.name} ${c.name.replaceAll('_', ' ')}`, detail: c.dtype })));
  return (
    <div className="folio-bench">
      <FolioHead model={model} folio={folio} put={put}>
        where
        {folio.picks.map((pick, i) => (
          <span key={JSON.stringify(pick)} className="chip">
            <span className="chip-text">{pickText(pick)}</span>
            <button type="button" aria-label={`Take the pick ${pickText(pick)} out`} onClick={() => put({ picks: folio.picks.filter((_, j) => j !== i) })}>✕</button>
          </span>
        ))}
        <Chooser label="+ pick for all" title="Pick from a column, for all tiles" choices={columns.filter((c) => !picked.has(c.value))} onChoose={(v) => put({ picks: [...folio.picks, { column: v, in: [] }] })} />
        <Condition onSay={(where) => put({ picks: [...folio.picks, { where }] })} />
        <AddTile model={model} onAdd={(tile) => put({ tiles: [...folio.tiles, tile] })} />
      </FolioHead>
      <div className="probe-body">
        <Picks model={model} picks={folio.picks} answer={undefined} put={(picks) => put({ picks })} />
        <div className="folio-scroll">
          {folio.tiles.length === 0 && <p className="pad quiet empty-place">Nothing is on this folio yet. “+ tile” brings a saved probe, a number with its comparison, or a text; all of them stand under the picks at the left.</p>}
          <div className="folio-grid">
            {folio.tiles.map((tile, i) => (
              <TileCard
                key={`${i} ${tile.title ?? ''} ${typeof tile.probe === 'string' ? tile.probe : ''}`} model={model} tile={tile} picks={folio.picks} over={dragged !== null && dragged !== i}
                onPut={(next) => putTile(i, next)} onPick={(picks) => put({ picks })} onMove={(by) => move(i, i + by)}
                onDrag={() => setDragged(i)} onDrop={() => { if (dragged !== null) move(dragged, i); setDragged(null); }} onEnd={() => setDragged(null)}
              />
            ))}
          </div>
        </div>
      </div>
    </div>
  );
}

function FolioHead({ model, folio, put, children }: { model: ModelDocument; folio: Folio; put: (change: Partial<Folio>) => void; children: React.ReactNode }) {
  const { edit, busy } = useEdits(model);
  const stored = model.folios.find((f) => f.name === folio.name);
  const changed = JSON.stringify(stored ? asFolio(stored) : null) !== JSON.stringify(folio);
  const save = () => void edit({ kind: 'put_folio', folio: { ...folio, name: folio.name.trim(), picks: folio.picks.filter((p: Pick) => 'where' in p || p.in.length > 0) } });
  return (
    <div className="sentence" role="group" aria-label="The folio">
      <input className="field folio-name" aria-label="Name of the folio" placeholder="name of the folio" value={folio.name} onChange={(e) => put({ name: e.target.value })} />
      {children}
      <span className="row sentence-end">
        <button type="button" className="pill small solid" disabled={busy || !changed || !folio.name.trim()} onClick={save}>Save</button>
        {stored && changed && <button type="button" className="pill small" onClick={() => actions.set({ folio: asFolio(stored) })}>As saved</button>}
        {stored && <button type="button" className="pill small" disabled={busy} onClick={() => { void edit({ kind: 'remove_folio', name: String(stored.name) }); actions.set({ folio: null }); }}>Remove</button>}
      </span>
      {folio.description && <p className="quiet folio-words">{folio.description}</p>}
    </div>
  );
}

function Condition({ onSay }: { onSay: (where: string) => void }) {
  const [text, setText] = useState<string | null>(null);
  if (text === null) return <span className="chip add"><button type="button" onClick={() => setText('')}>+ condition for all</button></span>;
  return (
    <form onSubmit={(e) => { e.preventDefault(); if (text.trim()) onSay(text.trim()); setText(null); }}>
      <input className="field mono" style={{ width: 300 }} ref={(node) => node?.focus()} aria-label="A condition for all tiles" placeholder="Calendar.date >= DATE '2032-01-01'" value={text} onChange={(e) => setText(e.target.value)} onKeyDown={(e) => e.key === 'Escape' && setText(null)} />
    </form>
  );
}

function AddTile({ model, onAdd }: { model: ModelDocument; onAdd: (tile: Tile) => void }) {
  return (
    <Menu shadow="none" position="bottom-start">
      <span className="chip add"><Menu.Target><button type="button">+ tile</button></Menu.Target></span>
      <Menu.Dropdown style={{ maxHeight: 420, overflow: 'auto' }}>
        <Menu.Label>a probe</Menu.Label>
        {model.probes.map((p) => <Menu.Item key={String(p.name)} onClick={() => onAdd({ kind: 'probe', probe: String(p.name), width: 2 })}>{String(p.name)}</Menu.Item>)}
        <Menu.Label>a number</Menu.Label>
        {model.measures.filter((m) => !m.broken).map((m) => <Menu.Item key={m.name} onClick={() => onAdd({ kind: 'number', probe: { rows: [], columns: [], measures: [m.name], picks: [], totals: 'none' }, width: 1 })}>{m.name.replaceAll('_', ' ')}</Menu.Item>)}
        <Menu.Label>words</Menu.Label>
        <Menu.Item onClick={() => onAdd({ kind: 'text', text: '', width: 1 })}>A text</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
