// The measures: who builds on whom, by folder, or by the table they live with; with a search, and patterns to begin from.
import { useQuery } from '@tanstack/react-query';
import { useState, type KeyboardEvent } from 'react';
import { client, unwrap, type MeasureInfo, type ModelDocument, type PatternInfo } from '../../api/client';
import { useGrid } from '../../api/queries';
import { actions } from '../../app/shown';
import { EMPTY_PROBE } from '../probe/store';
import { measureText, nameText } from '../../shared/format';
import { useKeptDrafts } from '../../shared/kept';
import { draftKey } from './drafts';
import { CoverMark } from '../../marks/CoverMark';
import { type Share } from '../prove/coverageModel';
import { useShares } from '../prove/requests';

type Order = 'builds' | 'folder' | 'home';
const ORDERS: [Order, string][] = [
  ['builds', 'Who builds on whom'],
  ['folder', 'By folder'],
  ['home', 'By the table they are kept with'],
];

interface Listed {
  measure: MeasureInfo;
  depth: number;
  group?: string;
}

/** A measure stands under the first one it builds on, a trial under the one it is a variant of. */
function byBuilding(measures: MeasureInfo[]): Listed[] {
  const under = new Map<string, MeasureInfo[]>();
  const names = new Set(measures.map((m) => m.name));
  for (const m of measures) {
    const parent = [m.variant_of, ...m.builds_on].find((n) => n !== m.name && names.has(n)) ?? '';
    under.set(parent, [...(under.get(parent) ?? []), m]);
  }
  const listed: Listed[] = [];
  const seen = new Set<string>();
  const add = (parent: string, depth: number) => {
    for (const m of under.get(parent) ?? []) {
      if (seen.has(m.name)) continue;
      seen.add(m.name);
      listed.push({ measure: m, depth });
      add(m.name, depth + 1);
    }
  };
  add('', 0);
  // Those that build on each other in a ring have no first one.
  for (const m of measures) if (!seen.has(m.name)) listed.push({ measure: m, depth: 0 });
  return listed;
}

function grouped(measures: MeasureInfo[], of: (m: MeasureInfo) => string): Listed[] {
  const groups = new Map<string, MeasureInfo[]>();
  for (const m of measures) groups.set(of(m), [...(groups.get(of(m)) ?? []), m]);
  return [...groups]
    .sort(([a], [b]) => a.localeCompare(b))
    .flatMap(([group, items]) => items.map((measure, i) => ({ measure, depth: 0, group: i === 0 ? group || 'none' : undefined })));
}

/** The measures that have all words, in an order. */
function listedOf(measures: MeasureInfo[], search: string, order: Order): Listed[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const textOf = (m: MeasureInfo) => `${m.name.replaceAll('_', ' ')} ${m.name} ${m.description} ${m.formula} ${m.folder}`.toLowerCase();
  const matching = measures.filter((m) => words.every((w) => textOf(m).includes(w)));
  if (words.length) return matching.map((measure) => ({ measure, depth: 0 }));
  return order === 'builds' ? byBuilding(matching) : grouped(matching, order === 'folder' ? (m) => m.folder : (m) => m.home);
}

/** What each sound measure is over everything, as text. */
function useTotals(model: ModelDocument): (m: MeasureInfo) => string {
  const sound = model.measures.filter((m) => !m.broken);
  const totals = useGrid(model, { ...EMPTY_PROBE, measures: sound.map((m) => m.name), totals: 'none' });
  return (m) => {
    const i = totals.data?.measures.findIndex((x) => x.name === m.name) ?? -1;
    return i < 0 ? '' : measureText(totals.data?.values[i]?.[0]?.[0], m.format, m.dtype ?? 'number');
  };
}

const open = (name: string) => actions.set({ measure: name, selection: { kind: 'measure', name } });

/** Up and down go from measure to measure: the list is one stop of the Tab key. */
function onListKey(event: KeyboardEvent<HTMLElement>): void {
  const items = [...event.currentTarget.querySelectorAll<HTMLElement>('.outline-item')];
  const place = items.indexOf(event.target as HTMLElement);
  const next = { ArrowDown: place + 1, ArrowUp: place - 1, Home: 0, End: items.length - 1 }[event.key];
  if (place < 0 || next === undefined) return;
  items[Math.max(0, Math.min(next, items.length - 1))]?.focus();
  event.preventDefault();
}

interface OutlineGiven {
  model: ModelDocument;
  chosen: string;
  onPattern: (pattern: PatternInfo) => void;
  onText: () => void;
}

export function Outline({ model, chosen, onPattern, onText }: OutlineGiven) {
  const [order, setOrder] = useState<Order>('builds');
  const [search, setSearch] = useState('');
  const drafts = useKeptDrafts((s) => s.drafts);
  const value = useTotals(model);
  const shares = useShares(model);
  const listed = listedOf(model.measures, search, order);
  const stop = listed.some((l) => l.measure.name === chosen) ? chosen : (listed[0]?.measure.name ?? '');
  return (
    <nav className="side outline" data-region aria-label="Measures">
      <div className="row outline-head">
        <select className="field" aria-label="Order of the measures" value={order} onChange={(e) => setOrder(e.target.value as Order)}>
          {ORDERS.map(([key, text]) => (
            <option key={key} value={key}>
              {text}
            </option>
          ))}
        </select>
        <span className="quiet">{model.measures.length}</span>
      </div>
      <input
        className="field"
        aria-label="Search the measures"
        placeholder="search names, formulas, words"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      {/* The list hears the arrows of the measures in it. */}
      {/* oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions */}
      <div className="outline-list" role="group" aria-label="All measures" onKeyDown={onListKey}>
        {listed.map(({ measure: m, depth, group }) => (
          <div key={m.name}>
            {group !== undefined && <h3>{group}</h3>}
            <OutlineItem
              measure={m}
              depth={depth}
              stop={m.name === stop}
              chosen={m.name === chosen}
              drafted={draftKey(model.id, m.name) in drafts}
              value={value(m)}
              share={shares?.get(`measure ${m.name}`)}
            />
          </div>
        ))}
        {listed.length === 0 && (
          <p className="quiet" style={{ padding: 10 }}>
            {search.trim() ? 'No measure has these words.' : 'There are no measures yet: write one, or begin from a pattern.'}
          </p>
        )}
      </div>
      <div className="row outline-foot">
        <button data-needs="try" type="button" className="pill small" onClick={() => actions.set({ measure: '', selection: null })}>
          New measure
        </button>
        <button type="button" className="pill small" onClick={onText}>
          As text
        </button>
      </div>
      <Patterns model={model} measure={chosen} onPattern={onPattern} />
    </nav>
  );
}

interface ItemGiven {
  measure: MeasureInfo;
  depth: number;
  stop: boolean;
  chosen: boolean;
  drafted: boolean;
  value: string;
  share: Share | undefined;
}

function OutlineItem({ measure: m, depth, stop, chosen, drafted, value, share }: ItemGiven) {
  return (
    <button
      type="button"
      className="outline-item"
      tabIndex={stop ? 0 : -1}
      style={{ paddingLeft: 10 + Math.min(depth, 5) * 13 }}
      aria-current={chosen}
      title={m.description || m.formula}
      onClick={() => open(m.name)}
    >
      <span>
        {nameText(m.name)} {m.trial && <i className="quiet">trial</i>}
        {drafted && (
          <span className="signal" title="Not saved yet">
            {' '}
            •
          </span>
        )}
        {m.broken && (
          <span className="signal" title={m.broken}>
            {' '}
            ◆
          </span>
        )}
      </span>
      <span className="end">
        {value} {share && share.of > 0 && <CoverMark share={share} size={12} />}
      </span>
    </button>
  );
}

const FIRST = 4;

function Patterns({ model, measure, onPattern }: { model: ModelDocument; measure: string; onPattern: (pattern: PatternInfo) => void }) {
  const [all, setAll] = useState(false);
  const query = useQuery({
    queryKey: ['patterns', model.id, model.version, measure],
    queryFn: async ({ signal }) =>
      unwrap(await client.GET('/api/models/{model_id}/patterns', { params: { path: { model_id: model.id }, query: { measure } }, signal }))
        .patterns,
  });
  const listed = query.data ?? [];
  return (
    <section className="patterns" aria-label="Patterns">
      <h3>Begin from a pattern</h3>
      {listed.slice(0, all ? undefined : FIRST).map((p) =>
        p.formula ? (
          <button
            data-needs="try"
            key={p.key}
            type="button"
            className="plain"
            title={`${p.teaches}\n\n${p.formula}`}
            onClick={() => onPattern(p)}
          >
            <u>{p.title.toLowerCase()}</u>
          </button>
        ) : (
          <span key={p.key} className="quiet" title={p.teaches}>
            {p.title.toLowerCase()}: lacks {p.lacks}
          </span>
        ),
      )}
      {listed.length > FIRST && (
        <button type="button" className="plain quiet" onClick={() => setAll(!all)}>
          {all ? 'fewer' : `${listed.length - FIRST} more`}
        </button>
      )}
    </section>
  );
}
