// The picks at the side of the grid: a ruler for each calendar, lists with search and with counts under the other picks.
import { useDebouncedValue } from '@mantine/hooks';
import { useState } from 'react';
import type { GridAnswer, ModelDocument, Pick } from '../../api/client';
import { useMembers } from '../../api/queries';
import { columnName, count, counted, memberText } from '../../shared/format';
import { inPick } from './LineMenu';
import { Ruler, spanOf } from './Ruler';

export type Listed = Extract<Pick, { column: string }>;

interface ListProps {
  model: ModelDocument;
  pick: Listed;
  picks: Pick[];
  /** The table whose rows are counted. */
  rows: string;
  onChange: (pick: Listed) => void;
}

function PickList({ model, pick, picks, rows, onChange }: ListProps) {
  const [search, setSearch] = useState('');
  const [byRows, setByRows] = useState(false);
  const [debounced] = useDebouncedValue(search, 150);
  const others = picks.filter((p) => p !== pick && ('where' in p || p.in.length > 0));
  const members = useMembers(model, pick.column, debounced, others, rows, byRows);
  const chosen = new Set(pick.in.map((v) => JSON.stringify(v)));
  const toggle = (key: string, value: Listed['in'][number]) =>
    onChange({ ...pick, in: chosen.has(key) ? pick.in.filter((v) => JSON.stringify(v) !== key) : [...pick.in, value] });
  const listed = members.data?.members ?? [];
  return (
    <section aria-label={columnName(pick.column)}>
      <h2 style={{ fontSize: 14 }}>{columnName(pick.column)}</h2>
      <input
        className="field"
        style={{ marginTop: 6 }}
        aria-label={`Search ${columnName(pick.column)}`}
        placeholder={`search ${count(members.data?.total ?? 0)}`}
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      <PickTools
        pick={pick}
        listed={listed.map((m) => inPick(m.member))}
        byRows={byRows}
        onChange={(chosen) => onChange({ ...pick, in: chosen })}
        onOrder={() => setByRows(!byRows)}
      />
      <div className="pick-list">
        {listed.map(({ member, rows: n }) => {
          const value = inPick(member);
          const key = JSON.stringify(value);
          return (
            <label key={key} className={n === 0 ? 'none' : ''}>
              <input type="checkbox" checked={chosen.has(key)} onChange={() => toggle(key, value)} />
              <span className="clip">{memberText(member)}</span>
              <span className="end">{count(n)}</span>
            </label>
          );
        })}
        {members.isPending && <p className="wait">Reading the members…</p>}
        {(members.data?.more ?? 0) > 0 && <p className="quiet">{count(members.data?.more ?? 0)} more: search for them</p>}
        {members.data && listed.length === 0 && <p className="quiet">None has these words.</p>}
      </div>
      {members.data && (
        <p className="quiet pick-note">
          rows of {members.data.counted} under the other picks
          {rows && members.data.counted !== rows ? (
            <>
              ; <span className="signal">it does not filter {rows}</span>
            </>
          ) : (
            ''
          )}
        </p>
      )}
    </section>
  );
}

interface ToolProps {
  pick: Listed;
  listed: Listed['in'];
  byRows: boolean;
  onChange: (chosen: Listed['in']) => void;
  onOrder: () => void;
}

/** None, all or the others of what is listed, and the order of the list. */
function PickTools({ pick, listed, byRows, onChange, onOrder }: ToolProps) {
  const chosen = new Set(pick.in.map((v) => JSON.stringify(v)));
  return (
    <div className="row pick-tools">
      <button type="button" className="plain quiet" onClick={() => onChange([])} disabled={pick.in.length === 0}>
        any
      </button>
      <button type="button" className="plain quiet" onClick={() => onChange(listed)} disabled={listed.length === 0}>
        all listed
      </button>
      <button
        type="button"
        className="plain quiet"
        onClick={() => onChange(listed.filter((v) => !chosen.has(JSON.stringify(v))))}
        disabled={listed.length === 0}
      >
        the others
      </button>
      <button
        type="button"
        className="plain quiet"
        aria-pressed={byRows}
        title="Members with most rows first, or in their own order"
        onClick={onOrder}
      >
        {byRows ? 'by count ↓' : 'in order'}
      </button>
    </div>
  );
}

interface Side {
  open: boolean;
  fold: (open: boolean) => void;
}

const KEPT = 'nexorem.picks';
const ROOMY = 1500; // pixels of a window in which they are open by themselves

/** Whether ruler and picks are open, or a rail: as it was left, else by the room; a list that is asked for opens them. */
export function usePickSide(picks: Pick[]): Side {
  const [open, setOpen] = useState(() => (localStorage.getItem(KEPT) ?? (window.innerWidth >= ROOMY ? 'open' : 'rail')) === 'open');
  const lists = picks.filter((p) => 'column' in p).length;
  const [before, setBefore] = useState(lists);
  if (lists !== before) {
    setBefore(lists);
    if (lists > before) setOpen(true);
  }
  const fold = (to: boolean) => {
    localStorage.setItem(KEPT, to ? 'open' : 'rail');
    setOpen(to);
  };
  return { open, fold };
}

interface Props extends Side {
  model: ModelDocument;
  picks: Pick[];
  answer: GridAnswer | undefined;
  put: (picks: Pick[]) => void;
}

/** What is picked, in few words. */
function railWords(picks: Pick[]): string {
  const said = picks.filter((p) => 'where' in p || p.in.length > 0).length;
  return said ? counted(said, 'pick') : 'Ruler and picks';
}

export function Picks({ model, picks, answer, put, open, fold }: Props) {
  if (!open)
    return (
      <aside className="pick-rail" data-region aria-label="Picks">
        <button type="button" aria-expanded={false} title="Open ruler and picks" onClick={() => fold(true)}>
          » <span>{railWords(picks)}</span>
        </button>
      </aside>
    );
  return <OpenPicks {...{ model, picks, answer, put, fold }} />;
}

function OpenPicks({ model, picks, answer, put, fold }: Omit<Props, 'open'>) {
  const lists = picks.filter((p): p is Listed => 'column' in p);
  const scans = answer?.measures.flatMap((m) => m.scans) ?? [];
  const rows = scans[0]?.grain ?? (answer ? '' : (model.matrix.facts[0] ?? ''));
  const reaching = new Set(scans.flatMap((s) => Object.keys(s.tables)));
  const calendars = model.tables.filter((t) => t.calendar && (reaching.size === 0 || reaching.has(t.name)));
  return (
    <aside className="pick-side" data-region aria-label="Picks">
      <button
        type="button"
        className="pick-fold"
        aria-expanded
        title="Fold ruler and picks to a rail"
        aria-label="Fold ruler and picks to a rail"
        onClick={() => fold(false)}
      >
        «
      </button>
      {calendars.map((t) => (
        <Ruler
          key={t.name}
          model={model}
          table={t}
          picks={picks}
          rows={rows || t.name}
          onSpan={(where) => put([...picks.filter((p) => !('where' in p && spanOf(t, p.where))), ...(where ? [{ where }] : [])])}
        />
      ))}
      {lists.length === 0 && (
        <p className="quiet">
          No list yet: “+ pick” in the sentence brings a column here
          {model.tables.length ? `, of ${counted(model.tables.length, 'table')}` : ''}.
        </p>
      )}
      {lists.map((pick) => (
        <PickList
          key={pick.column}
          model={model}
          pick={pick}
          picks={picks}
          rows={rows}
          onChange={(changed) => put(picks.map((p) => (p === pick ? changed : p)))}
        />
      ))}
    </aside>
  );
}
