// A tile of a folio: it answers under the shared picks it has not opted out of, says which those are, and opens in Probe.
import { Menu } from '@mantine/core';
import { Suspense, lazy, useState, type KeyboardEvent } from 'react';
import type { ComparisonInfo, ModelDocument, Pick, Picture, Probe, Tile } from '../../api/client';
import { useGrid } from '../../api/queries';
import { actions } from '../../app/shown';
import { askedProbe } from '../probe/store';
import { ownProbe, pickKey, tileProbe } from './tileProbe';
import { showSql } from '../sql/store';
import { columnName, measureText, nameText, reachWords } from '../../shared/format';
import { useComparisons } from '../probe/Compare';
import { GridTable } from '../probe/GridTable';
import { Wrong } from '../probe/ProbeStage';
import { pickText } from '../probe/pickText';
import { useProve } from '../prove/store';
import { fromCells, fromTile } from '../prove/checkModel';
import { BesideDraft } from '../prove/AsOf';
import { useHold } from '../prove/useHold';

const PictureView = lazy(() => import('../probe/PictureView').then((m) => ({ default: m.PictureView })));
const PICTURES: Picture[] = ['grid', 'bars', 'lines', 'columns', 'stacked', 'dots', 'heat', 'multiples'];

interface Props {
  model: ModelDocument;
  tile: Tile;
  picks: Pick[];
  over: boolean;
  onPut: (tile: Tile | null) => void;
  onPick: (picks: Pick[]) => void;
  onMove: (by: number) => void;
  onDrag: () => void;
  onDrop: () => void;
  onEnd: () => void;
  /** The folio's name and the tile's place in it, where the model has both as they are shown; null for one that is not saved so. */
  saved: { folio: string; place: number } | null;
}

export function TileCard({ model, tile, picks, over, onPut, onPick, onMove, onDrag, onDrop, onEnd, saved }: Props) {
  const probe = tile.kind === 'text' ? null : tileProbe(model, tile, picks);
  const out = picks.filter((p) => tile.without?.includes(pickKey(p)));
  const title =
    tile.title ?? (typeof tile.probe === 'string' ? tile.probe : tile.kind === 'number' ? nameText(probe?.measures[0] ?? '') : '');
  const size = { gridColumn: `span ${tile.width ?? 2}`, gridRow: `span ${tile.height ?? (tile.kind === 'probe' ? 3 : 1)}` };
  const open = () => {
    if (!probe) return;
    actions.openFolio(null);
    actions.takeProbe(probe);
  };
  return (
    <section
      className={`tile ${tile.kind} ${over ? 'over' : ''}`}
      style={size}
      aria-label={title || tile.kind}
      onDragEnter={(e) => e.preventDefault()}
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        onDrop();
      }}
    >
      <header
        draggable
        onDragStart={(e) => {
          e.dataTransfer.setData('text/plain', title);
          onDrag();
        }}
        onDragEnd={onEnd}
      >
        <h3>{title}</h3>
        {out.length > 0 && (
          <span className="signal tile-out" title="This tile opts out of the shared pick">
            without {out.map((p) => ('column' in p ? columnName(p.column) : 'the page’s condition')).join(', ')}
          </span>
        )}
        <span style={{ flex: 1 }} />
        {probe && (
          <button
            type="button"
            className="plain quiet"
            aria-label={`Open ${title} in Probe`}
            title="Open it in Probe, under these picks"
            onClick={open}
          >
            ↗
          </button>
        )}
        <TileMenu
          model={model}
          tile={tile}
          picks={picks}
          onPut={onPut}
          onMove={onMove}
          own={ownProbe(model, tile)}
          asked={probe && askedProbe(probe)}
        />
      </header>
      {tile.kind === 'text' ? (
        <TileText tile={tile} onPut={onPut} />
      ) : probe ? (
        <Answered model={model} tile={tile} probe={probe} picks={picks} onPick={onPick} saved={saved} />
      ) : (
        <p className="signal">The probe {String(tile.probe)} is no longer in the model.</p>
      )}
    </section>
  );
}

function Answered({
  model,
  tile,
  probe,
  picks,
  onPick,
  saved,
}: {
  saved: Props['saved'];
  model: ModelDocument;
  tile: Tile;
  probe: Probe;
  picks: Pick[];
  onPick: (picks: Pick[]) => void;
}) {
  const { hold } = useHold(model);
  const release = useProve((s) => s.asOf);
  const besideDraft = useProve((s) => s.asOfBeside);
  const grid = useGrid(model, askedProbe(probe), release);
  if (grid.error) return <Wrong error={grid.error} />;
  if (!grid.data) return <p className="wait">Computing…</p>;
  const answer = grid.data;
  if (release !== null && besideDraft)
    return (
      <div className="tile-beside">
        <BesideDraft model={model} release={release} probe={probe} number={tile.kind === 'number'} />
      </div>
    );
  if (tile.kind === 'number') {
    // What a number is compared with reads as the number does, where it has no format of its own.
    const text = (i: number) => {
      const m = answer.measures[i];
      return m
        ? measureText(
            answer.values[i]?.[0]?.[0],
            (probe.look?.formats?.[m.name] ?? m.format) || (answer.measures[0]?.format ?? ''),
            m.dtype,
          ) || '(empty)'
        : '';
    };
    const other = tile.against ? answer.measures.findIndex((m) => m.name === tile.against) : -1;
    const [mine, theirs] = [answer.values[0]?.[0]?.[0], other >= 0 ? answer.values[other]?.[0]?.[0] : null];
    const ask = (measure: string) => {
      actions.takeProbe(probe);
      actions.set({ selection: { kind: 'cell', measure, at: [] }, other: null, lensOpen: true });
    };
    const change = typeof mine === 'number' && typeof theirs === 'number' && theirs !== 0 ? (mine - theirs) / Math.abs(theirs) : null;
    return (
      <div className="tile-number" aria-live="polite">
        <button
          type="button"
          className={`plain tile-value ${answer.measures.some((m) => m.unreached.length) ? 'hatched' : ''}`}
          title="Why does it show this?"
          onClick={() => ask(probe.measures[0] ?? '')}
        >
          {text(0)}
        </button>
        <button
          type="button"
          className="plain quiet hold-number"
          title="Makes a check: this number stays what it is"
          onClick={() => {
            const measure = probe.measures[0] ?? '';
            const value = answer.values[0]?.[0]?.[0] ?? null;
            const check = saved
              ? fromTile(model, saved.folio, saved.place, tile, measure, value)
              : fromCells(model, askedProbe(probe), [{ measure, at: [], value }]);
            void hold(check);
          }}
        >
          <u>hold it</u>
        </button>
        {other >= 0 && (
          <span className="quiet">
            {againstText(probe.measures[0] ?? '', tile.against ?? '')} {text(other)}
            {change !== null && (
              <>
                {' '}
                ·{' '}
                <b className="tile-change">
                  {change >= 0 ? '▲' : '▼'} {measureText(Math.abs(change), '0.0%', 'number')}
                </b>
              </>
            )}
          </span>
        )}
        {answer.measures
          .filter((m) => reachWords(m))
          .map((m) => (
            <span key={m.name} className="signal">
              {answer.measures.length > 1 ? `${nameText(m.name)} ` : ''}
              {reachWords(m)}
            </span>
          ))}
      </div>
    );
  }
  if ((probe.look?.picture ?? 'grid') === 'grid') return <GridTable answer={answer} probe={probe} still />;
  return (
    <Suspense fallback={<p className="wait">Drawing…</p>}>
      <PictureView answer={answer} probe={probe} picks={picks} onPick={onPick} still />
    </Suspense>
  );
}

function TileText({ tile, onPut }: { tile: Tile; onPut: (tile: Tile) => void }) {
  const [writing, setWriting] = useState(!tile.text);
  if (writing)
    return (
      <textarea
        className="field"
        aria-label="Text of the tile"
        rows={4}
        value={tile.text ?? ''}
        placeholder="What a reader should know"
        onChange={(e) => onPut({ ...tile, text: e.target.value })}
        onBlur={() => tile.text && setWriting(false)}
      />
    );
  return (
    <button type="button" className="plain tile-text" onClick={() => setWriting(true)}>
      {tile.text}
    </button>
  );
}

interface MenuProps {
  model: ModelDocument;
  tile: Tile;
  picks: Pick[];
  own: Probe | null;
  /** What it asks for under the picks that it takes. */
  asked: Probe | null;
  onPut: (tile: Tile | null) => void;
  onMove: (by: number) => void;
}

function TileMenu({ model, tile, picks, own, asked, onPut, onMove }: MenuProps) {
  const shown = own?.look?.picture ?? 'grid';
  const as = (picture: Picture) =>
    own &&
    onPut({
      ...tile,
      title: tile.title ?? (typeof tile.probe === 'string' ? tile.probe : undefined),
      probe: { ...own, name: undefined, look: { ...own.look, picture } },
    });
  const onKey = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 }[event.key];
    if (!event.altKey || by === undefined) return;
    event.preventDefault();
    onMove(by);
  };
  const flip = (key: string) =>
    onPut({ ...tile, without: tile.without?.includes(key) ? tile.without.filter((k) => k !== key) : [...(tile.without ?? []), key] });
  return (
    <Menu shadow="none" position="bottom-end" width={230}>
      <Menu.Target>
        <button
          type="button"
          className="head-menu tile-menu"
          title="What to do with it; Alt and an arrow move it"
          aria-label={`What to do with the tile ${tile.title ?? ''}`}
          onKeyDown={onKey}
        >
          ⋯
        </button>
      </Menu.Target>
      <Menu.Dropdown style={{ maxHeight: 430, overflow: 'auto' }}>
        {picks.length > 0 && tile.kind !== 'text' && <Menu.Label>shared picks</Menu.Label>}
        {tile.kind !== 'text' &&
          picks.map((p) => (
            <Menu.Item key={pickKey(p)} onClick={() => flip(pickKey(p))}>
              {tile.without?.includes(pickKey(p)) ? 'Take' : 'Opt out of'} {pickText(p)}
            </Menu.Item>
          ))}
        {tile.kind === 'probe' && <Menu.Label>shown as</Menu.Label>}
        {tile.kind === 'probe' &&
          PICTURES.map((p) => (
            <Menu.Item key={p} onClick={() => as(p)}>
              {p === 'multiples' ? 'small multiples' : p}
              {shown === p ? ' ✓' : ''}
            </Menu.Item>
          ))}
        {tile.kind === 'number' && own && <Menu.Label>compared with</Menu.Label>}
        {tile.kind === 'number' && own && <NumberAgainst model={model} tile={tile} own={own} onPut={onPut} />}
        <Menu.Label>place and size</Menu.Label>
        <Menu.Item onClick={() => onMove(-1)}>Earlier</Menu.Item>
        <Menu.Item onClick={() => onMove(1)}>Later</Menu.Item>
        <Menu.Item onClick={() => onPut({ ...tile, width: Math.min(4, (tile.width ?? 2) + 1) })}>Wider</Menu.Item>
        <Menu.Item onClick={() => onPut({ ...tile, width: Math.max(1, (tile.width ?? 2) - 1) })}>Narrower</Menu.Item>
        <Menu.Item onClick={() => onPut({ ...tile, height: Math.min(8, (tile.height ?? (tile.kind === 'probe' ? 3 : 1)) + 1) })}>
          Taller
        </Menu.Item>
        <Menu.Item onClick={() => onPut({ ...tile, height: Math.max(1, (tile.height ?? (tile.kind === 'probe' ? 3 : 1)) - 1) })}>
          Lower
        </Menu.Item>
        <Menu.Divider />
        {tile.kind !== 'text' && asked && <Menu.Item onClick={() => showSql(asked)}>Show it as SQL</Menu.Item>}
        <Menu.Item onClick={() => onPut(null)}>Take it off the folio</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}

/** What a number is held against, without saying its own name again. */
const againstText = (base: string, name: string) =>
  nameText(name.startsWith(`${base}, `) ? name.slice(base.length + 2) : name).toLowerCase();

/** What a number stands against: itself earlier, another measure, or nothing; its formula is one of the tile's own. */
function NumberAgainst({ model, tile, own, onPut }: { model: ModelDocument; tile: Tile; own: Probe; onPut: (tile: Tile) => void }) {
  const base = own.measures[0] ?? '';
  const offered = useComparisons(model, base).filter((c) => c.key !== 'page');
  const hold = (chosen: ComparisonInfo) => {
    const { name = '', formula = '' } = chosen.adds[0] ?? {};
    onPut({ ...tile, against: name, probe: { ...own, measures: [base, name], define: formula ? { [name]: formula } : undefined } });
  };
  const measures = offered.filter((c) => c.key === 'measure');
  return (
    <>
      {offered
        .filter((c) => c.key === 'earlier')
        .map((c) => (
          <Menu.Item key={c.adds[0]?.name} onClick={() => hold(c)}>
            {againstText(base, c.adds[0]?.name ?? '')}
          </Menu.Item>
        ))}
      {measures.length > 0 && (
        <select
          className="field"
          aria-label="Compared with another measure"
          value={measures.some((c) => c.label === tile.against) ? tile.against : ''}
          onKeyDown={(e) => e.stopPropagation()}
          onChange={(e) => {
            const chosen = measures.find((c) => c.label === e.target.value);
            if (chosen) hold(chosen);
          }}
        >
          <option value="">another measure…</option>
          {measures.map((c) => (
            <option key={c.label} value={c.label}>
              {nameText(c.label)}
            </option>
          ))}
        </select>
      )}
      <Menu.Item onClick={() => onPut({ ...tile, against: undefined, probe: { ...own, measures: [base], define: undefined } })}>
        Nothing
      </Menu.Item>
    </>
  );
}
