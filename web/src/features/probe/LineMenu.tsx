// What can be done with a line: go down and up a hierarchy, into any column, pick it, keep it in sight.
import { Menu } from '@mantine/core';
import { useState } from 'react';
import { useParams } from 'react-router';
import type { GridAnswer, Member, ModelDocument, Pick, Probe, Scalar } from '../../api/client';
import { useEdits, useModel } from '../../api/queries';
import { actions, onScreen } from '../../app/shown';
import { useProbe } from './store';
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
  let column = name;
  for (let n = 2; taken.has(column.toLowerCase()); n += 1) column = `${name} ${n}`;
  return column;
}

export function LineMenu(props: Props) {
  const { id = '' } = useParams();
  const model = useModel(Number(id)).data;
  return model ? <Opened {...props} model={model} /> : null;
}

interface Line extends Props {
  model: ModelDocument;
}

const put = actions.setProbe;

/** Where a line's column stands in hierarchies: the one below it, the one above. */
function neighbours(model: ModelDocument, column: string | undefined): { below?: string; above?: string } {
  const bounds: { below?: string; above?: string } = {};
  for (const { levels } of model.hierarchies) {
    const place = column ? levels.indexOf(column) : -1;
    if (place < 0) continue;
    bounds.below ??= levels[place + 1];
    bounds.above ??= levels[place - 1];
  }
  return bounds;
}

/** The picks that stand for a line: its own member and those of the totals it is under. */
const standing = ({ answer, probe, line }: Props) =>
  line.members.slice(0, line.level).reduce((picks, m, i) => withPick(picks, answer.rows.columns[i] ?? '', [inPick(m)]), probe.picks);

/** Goes from a line into a column: it takes the place of the line's own. */
function into(given: Props, next: string): void {
  const axis = given.answer.rows.columns;
  const column = axis[given.line.level - 1];
  const rows = axis.filter((c) => c !== next).map((c) => (c === column ? next : c));
  put({ rows: rows.includes(next) ? rows : [...rows, next], picks: standing(given), sort: [] });
  const before = onScreen().drilled;
  actions.set({ drilled: column ? [...(before?.at(-1) === column ? before : [column]), next] : null });
}

/** Goes up from a line: without the picks that it stands for. */
function upTo({ answer, probe, line }: Props, next: string): void {
  const axis = answer.rows.columns;
  const gone = new Set(line.members.slice(0, line.level).map((_, i) => axis[i] ?? ''));
  const rows = axis.map((c) => (c === axis[line.level - 1] ? next : c)).filter((c, i, all) => all.indexOf(c) === i);
  put({ rows, picks: probe.picks.filter((p) => !('column' in p && gone.has(p.column))), sort: [] });
}

/** Columns to go into: first what the line's own table has and can look up, which is what filters it; with a search, then everything. */
function columnsToGo(model: ModelDocument, column: string | undefined, search: string): string[] {
  const home = column ? splitReference(column)[0] : '';
  const near = new Set([home, ...model.currents.filter((c) => c.runs.some((r) => r.to === home)).map((c) => c.table)]);
  const columnsOf = (mine: boolean) =>
    model.tables
      .filter((t) => !t.hidden && near.has(t.name) === mine)
      .toSorted((a, b) => Number(b.name === home) - Number(a.name === home))
      .flatMap((t) => t.columns.filter((c) => !c.hidden).map((c) => referenceText(t.name, c.name)));
  return [...columnsOf(true), ...(search ? columnsOf(false) : [])];
}

const toggled = (names: string[] | undefined, name: string) =>
  names?.includes(name) ? names.filter((k) => k !== name) : [...(names ?? []), name];

function Opened(given: Line) {
  const { model, answer, probe, line, at, close } = given;
  const column = answer.rows.columns[line.level - 1];
  const look = probe.look ?? {};
  const key = lineKey(line);
  const { below, above } = neighbours(model, column);
  const item = (words: string, act: () => void) => (
    <Menu.Item
      onClick={() => {
        act();
        close();
      }}
    >
      {words}
    </Menu.Item>
  );
  return (
    <Menu opened onChange={(open) => !open && close()} shadow="none" position="bottom-start" width={270} trapFocus>
      <Menu.Target>
        <span style={{ position: 'fixed', left: at.left, top: at.top, width: at.width, height: at.height, pointerEvents: 'none' }} />
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Label>{line.isGrand ? 'All' : line.members.slice(0, line.level).map(memberText).join(' › ')}</Menu.Label>
        {below && item(`Down to ${columnName(below)}`, () => into(given, below))}
        {above && item(`Up to ${columnName(above)}`, () => upTo(given, above))}
        {column && <IntoColumns {...given} column={column} below={below} />}
        {column && item('Pick only it', () => put({ picks: standing(given) }))}
        {line.isTotal &&
          !line.isGrand &&
          item(look.folded?.includes(key) ? 'Unfold its parts' : 'Fold its parts away', () =>
            put({ look: { ...look, folded: toggled(look.folded, key) } }),
          )}
        {item(look.pinned?.includes(key) ? 'Let it go with the others' : 'Keep it in sight', () =>
          put({ look: { ...look, pinned: toggled(look.pinned, key) } }),
        )}
      </Menu.Dropdown>
    </Menu>
  );
}

/** Any column to go into, by its name; and the way that was gone, to be kept as a hierarchy. */
function IntoColumns({ column, below, ...given }: Line & { column: string; below: string | undefined }) {
  const { model, answer, close } = given;
  const { edit } = useEdits(model);
  const [search, setSearch] = useState('');
  const free = columnsToGo(model, column, search).filter((c) => !answer.rows.columns.includes(c) && c !== below);
  const others = ranked(free, search, (c) => [columnName(c), c]).slice(0, 7);
  const drilled = useProbe((s) => s.drilled);
  const isNew = !model.hierarchies.some((h) => JSON.stringify(h.levels) === JSON.stringify(drilled));
  const path = drilled && column === drilled.at(-1) && isNew ? drilled : null;
  const keepPath = (levels: string[]) => {
    void edit({ kind: 'put_hierarchy', hierarchy: { name: freeHierarchy(model, levels.map(columnName).join(' to ')), levels } });
    close();
  };
  return (
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
        <Menu.Item
          key={c}
          onClick={() => {
            into(given, c);
            close();
          }}
        >
          Into {columnName(c)}
        </Menu.Item>
      ))}
      <Menu.Divider />
      {path && <Menu.Item onClick={() => keepPath(path)}>Keep the way {path.map(columnName).join(' › ')} as a hierarchy</Menu.Item>}
    </>
  );
}
