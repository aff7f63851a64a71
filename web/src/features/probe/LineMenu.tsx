// What can be done with a line: go down and up a hierarchy, into any column, pick it, keep it in sight.
import { Menu } from '@mantine/core';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { GridAnswer, Member, Pick, Probe, Scalar } from '../../api/client';
import { useModel } from '../../api/queries';
import { useShown } from '../../app/shown';
import { columnName, memberText, referenceText } from '../../shared/format';
import { lineKey, type ShownLine } from './axes';

export function inPick(member: Member): Scalar | { unmatched: true } {
  return member.kind === 'unmatched' ? { unmatched: true } : member.kind === 'empty' ? null : (member.value ?? null);
}

/** The picks with one column's replaced. */
export function withPick(picks: Pick[], column: string, values: (Scalar | { unmatched: true })[]): Pick[] {
  const others = picks.filter((p) => !('column' in p && p.column === column));
  return values.length ? [...others, { column, in: values }] : others;
}

export function LineMenu({ answer, probe, line, at, close }: { answer: GridAnswer; probe: Probe; line: ShownLine; at: DOMRect; close: () => void }) {
  const put = useShown((s) => s.setProbe);
  const { id = '' } = useParams();
  const model = useModel(Number(id)).data;
  const [search, setSearch] = useState('');
  if (!model) return null;
  const axis = answer.rows.columns;
  const column = axis[line.level - 1];
  const member = line.members[line.level - 1];
  const look = probe.look ?? {};
  const key = lineKey(line);
  const pinned = look.pinned?.includes(key) ?? false;
  const levels = model.hierarchies.map((h) => (h.levels as string[]) ?? []);
  const below = column ? levels.map((l) => l[l.indexOf(column) + 1]).find((next, i) => next && levels[i]?.includes(column)) : undefined;
  const above = column ? levels.map((l) => l[l.indexOf(column) - 1]).find((next, i) => next && (levels[i]?.indexOf(column) ?? -1) > 0) : undefined;
  /** The picks that stand for this line: its own member and those of the totals it is under. */
  const standing = () => line.members.slice(0, line.level).reduce((picks, m, i) => withPick(picks, axis[i] ?? '', [inPick(m)]), probe.picks);
  const into = (next: string) => {
    const rows = axis.filter((c) => c !== next).map((c) => (c === column ? next : c));
    put({ rows: rows.includes(next) ? rows : [...rows, next], picks: standing(), sort: [] });
    close();
  };
  const upTo = (next: string) => {
    const gone = new Set(line.members.slice(0, line.level).map((_, i) => axis[i] ?? ''));
    put({ rows: axis.map((c) => (c === column ? next : c)).filter((c, i, all) => all.indexOf(c) === i), picks: probe.picks.filter((p) => !('column' in p && gone.has(p.column))), sort: [] });
    close();
  };
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const others = search
    ? model.tables.filter((t) => !t.hidden).flatMap((t) => t.columns.filter((c) => !c.hidden).map((c) => referenceText(t.name, c.name))).filter((c) => !axis.includes(c) && words.every((w) => c.toLowerCase().replaceAll('_', ' ').includes(w))).slice(0, 7)
    : [];
  return (
    <Menu opened onChange={(open) => !open && close()} shadow="none" position="bottom-start" width={270} trapFocus>
      <Menu.Target>
        <span style={{ position: 'fixed', left: at.left, top: at.top, width: at.width, height: at.height, pointerEvents: 'none' }} />
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Label>{line.isGrand ? 'All' : line.members.slice(0, line.level).map(memberText).join(' › ')}</Menu.Label>
        {column && member && below && <Menu.Item onClick={() => into(below)}>Down to {columnName(below)}</Menu.Item>}
        {column && above && <Menu.Item onClick={() => upTo(above)}>Up to {columnName(above)}</Menu.Item>}
        {column && (
          <>
            <input className="field" style={{ margin: '4px 0' }} aria-label="Into a column" placeholder="into any column: type its name" value={search} onChange={(e) => setSearch(e.target.value)} />
            {others.map((c) => <Menu.Item key={c} onClick={() => into(c)}>Into {columnName(c)}</Menu.Item>)}
            <Menu.Divider />
            <Menu.Item onClick={() => { put({ picks: standing() }); close(); }}>Pick only it</Menu.Item>
          </>
        )}
        {line.isTotal && !line.isGrand && (
          <Menu.Item onClick={() => { put({ look: { ...look, folded: look.folded?.includes(key) ? look.folded.filter((k) => k !== key) : [...(look.folded ?? []), key] } }); close(); }}>
            {look.folded?.includes(key) ? 'Unfold its parts' : 'Fold its parts away'}
          </Menu.Item>
        )}
        <Menu.Item onClick={() => { put({ look: { ...look, pinned: pinned ? look.pinned?.filter((k) => k !== key) : [...(look.pinned ?? []), key] } }); close(); }}>
          {pinned ? 'Let it go with the others' : 'Keep it in sight'}
        </Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
