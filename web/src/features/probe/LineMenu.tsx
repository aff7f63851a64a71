// What can be done with a line: go down and up a hierarchy, into any column, pick it, keep it in sight.
import { Menu } from '@mantine/core';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { GridAnswer, Member, ModelDocument, Pick, Probe, Scalar } from '../../api/client';
import { useEdits, useModel } from '../../api/queries';
import { actions, useShown } from '../../app/shown';
import { columnName, memberText, referenceText, splitReference } from '../../shared/format';
import { ranked } from '../../shared/rank';
import { lineKey, type ShownLine } from './axes';

export function inPick(member: Member): Scalar | { unmatched: true } {
  return member.kind === 'unmatched' ? { unmatched: true } : member.kind === 'empty' ? null : (member.value ?? null);
}

/** The picks with one column's replaced. */
export function withPick(picks: Pick[], column: string, values: (Scalar | { unmatched: true })[]): Pick[] {
  const others = picks.filter((p) => !('column' in p && p.column === column));
  return values.length ? [...others, { column, in: values }] : others;
}

interface Props {
  answer: GridAnswer;
  probe: Probe;
  line: ShownLine;
  at: DOMRect;
  close: () => void;
}

/** A name that no hierarchy has. */
function freeHierarchy(model: ModelDocument, name: string): string {
  const taken = new Set(model.hierarchies.map((h) => String(h.name).toLowerCase()));
  let found = name;
  for (let n = 2; taken.has(found.toLowerCase()); n += 1) found = `${name} ${n}`;
  return found;
}

export function LineMenu(props: Props) {
  const { id = '' } = useParams();
  const model = useModel(Number(id)).data;
  return model ? <Opened {...props} model={model} /> : null;
}

function Opened({ model, answer, probe, line, at, close }: Props & { model: ModelDocument }) {
  const put = useShown((s) => s.setProbe);
  const { edit } = useEdits(model);
  const [search, setSearch] = useState('');
  const axis = answer.rows.columns;
  const column = axis[line.level - 1];
  const member = line.members[line.level - 1];
  const look = probe.look ?? {};
  const key = lineKey(line);
  const pinned = look.pinned?.includes(key) ?? false;
  const levels = model.hierarchies.map((h) => (h.levels as string[]) ?? []);
  const below = column ? levels.map((l) => l[l.indexOf(column) + 1]).find((next, i) => next && levels[i]?.includes(column)) : undefined;
  const above = column
    ? levels.map((l) => l[l.indexOf(column) - 1]).find((next, i) => next && (levels[i]?.indexOf(column) ?? -1) > 0)
    : undefined;
  /** The picks that stand for this line: its own member and those of the totals it is under. */
  const standing = () =>
    line.members.slice(0, line.level).reduce((picks, m, i) => withPick(picks, axis[i] ?? '', [inPick(m)]), probe.picks);
  const into = (next: string) => {
    const rows = axis.filter((c) => c !== next).map((c) => (c === column ? next : c));
    put({ rows: rows.includes(next) ? rows : [...rows, next], picks: standing(), sort: [] });
    const before = useShown.getState().drilled;
    actions.set({ drilled: column ? [...(before?.at(-1) === column ? before : [column]), next] : null });
    close();
  };
  const upTo = (next: string) => {
    const gone = new Set(line.members.slice(0, line.level).map((_, i) => axis[i] ?? ''));
    put({
      rows: axis.map((c) => (c === column ? next : c)).filter((c, i, all) => all.indexOf(c) === i),
      picks: probe.picks.filter((p) => !('column' in p && gone.has(p.column))),
      sort: [],
    });
    close();
  };
  // First what the line's own table has and can look up, which is what filters it; then everything.
  const home = column ? splitReference(column)[0] : '';
  const near = new Set([home, ...model.currents.filter((c) => c.runs.some((r) => r.to === home)).map((c) => c.table)]);
  const columnsOf = (mine: boolean) =>
    model.tables
      .filter((t) => !t.hidden && near.has(t.name) === mine)
      .toSorted((a, b) => Number(b.name === home) - Number(a.name === home))
      .flatMap((t) => t.columns.filter((c) => !c.hidden).map((c) => referenceText(t.name, c.name)));
  const free = [...columnsOf(true), ...(search ? columnsOf(false) : [])].filter((c) => !axis.includes(c) && c !== below);
  const others = ranked(free, search, (c) => [columnName(c), c]).slice(0, 7);
  const drilled = useShown((s) => s.drilled);
  const path = drilled && column === drilled.at(-1) && !levels.some((l) => JSON.stringify(l) === JSON.stringify(drilled)) ? drilled : null;
  const keepPath = () => {
    if (path)
      void edit({ kind: 'put_hierarchy', hierarchy: { name: freeHierarchy(model, path.map(columnName).join(' to ')), levels: path } });
    close();
  };
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
            <input
              className="field"
              style={{ margin: '4px 0' }}
              aria-label="Into a column"
              placeholder="into any column: type its name"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
            {others.map((c) => (
              <Menu.Item key={c} onClick={() => into(c)}>
                Into {columnName(c)}
              </Menu.Item>
            ))}
            <Menu.Divider />
            {path && <Menu.Item onClick={keepPath}>Keep the way {path.map(columnName).join(' › ')} as a hierarchy</Menu.Item>}
            <Menu.Item
              onClick={() => {
                put({ picks: standing() });
                close();
              }}
            >
              Pick only it
            </Menu.Item>
          </>
        )}
        {line.isTotal && !line.isGrand && (
          <Menu.Item
            onClick={() => {
              put({
                look: {
                  ...look,
                  folded: look.folded?.includes(key) ? look.folded.filter((k) => k !== key) : [...(look.folded ?? []), key],
                },
              });
              close();
            }}
          >
            {look.folded?.includes(key) ? 'Unfold its parts' : 'Fold its parts away'}
          </Menu.Item>
        )}
        <Menu.Item
          onClick={() => {
            put({ look: { ...look, pinned: pinned ? look.pinned?.filter((k) => k !== key) : [...(look.pinned ?? []), key] } });
            close();
          }}
        >
          {pinned ? 'Let it go with the others' : 'Keep it in sight'}
        </Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
