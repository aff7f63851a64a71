// The picks at the side of the grid: lists with search and counts.
import { useState } from 'react';
import type { Member, ModelDocument, Pick, Scalar } from '../../api/client';
import { useMembers } from '../../api/queries';
import { useShown } from '../../app/shown';
import { columnName, count, memberText } from '../../shared/format';

type Listed = Extract<Pick, { column: string }>;

function inPick(member: Member): Scalar | { unmatched: true } {
  return member.kind === 'unmatched' ? { unmatched: true } : member.kind === 'empty' ? null : (member.value ?? null);
}

function PickList({ model, pick, onChange }: { model: ModelDocument; pick: Listed; onChange: (pick: Listed) => void }) {
  const [search, setSearch] = useState('');
  const members = useMembers(model, pick.column, search);
  const chosen = new Set(pick.in.map((v) => JSON.stringify(v)));
  const toggle = (member: Member) => {
    const value = inPick(member);
    const key = JSON.stringify(value);
    onChange({ ...pick, in: chosen.has(key) ? pick.in.filter((v) => JSON.stringify(v) !== key) : [...pick.in, value] });
  };
  return (
    <section aria-label={columnName(pick.column)}>
      <h2 style={{ fontSize: 14 }}>{columnName(pick.column)}</h2>
      <input className="field" style={{ marginTop: 6 }} aria-label={`Search ${columnName(pick.column)}`} placeholder={`search ${count(members.data?.total ?? 0)}`} value={search} onChange={(e) => setSearch(e.target.value)} />
      <div className="pick-list">
        {members.data?.members.map(({ member, rows }) => (
          <label key={JSON.stringify(member)}>
            <input type="checkbox" checked={chosen.has(JSON.stringify(inPick(member)))} onChange={() => toggle(member)} />
            {memberText(member)}
            {member.kind !== 'unmatched' && <span className="end">{count(rows)}</span>}
          </label>
        ))}
        {members.isPending && <p className="wait">Reading the members…</p>}
        {(members.data?.more ?? 0) > 0 && <p className="quiet">{count(members.data?.more ?? 0)} more: search for them</p>}
      </div>
    </section>
  );
}

export function Picks({ model, picks }: { model: ModelDocument; picks: Pick[] }) {
  const put = useShown((s) => s.setProbe);
  const lists = picks.filter((p): p is Listed => 'column' in p);
  return (
    <aside className="pick-side" aria-label="Picks">
      {lists.length === 0 && <p className="quiet">No pick yet. “+ pick” in the sentence above brings a column here.</p>}
      {lists.map((pick) => (
        <PickList key={pick.column} model={model} pick={pick} onChange={(changed) => put({ picks: picks.map((p) => (p === pick ? changed : p)) })} />
      ))}
    </aside>
  );
}
