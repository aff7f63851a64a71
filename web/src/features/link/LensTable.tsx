import { useState, type ReactNode } from 'react';
import type { Counting, LinkInfo, ModelDocument, Profile, Stop, TableInfo } from '../../api/client';
import { useCounting, useProfiles } from '../../api/queries';
import { actions } from '../../app/shown';
import { useLink } from './store';
import { LinkMark, RoleMark } from '../../marks/Marks';
import { typedText, count, counted, nameText, quotedName } from '../../shared/format';
import { Note } from '../../shared/Note';
import { askNew } from './edits';
import { LensFact } from './LensFact';
import { stopWords } from './stops';
import { ReachView } from './ReachView';
import { TableShape } from './TableShape';
import { Uses } from '../lineage/Uses';
import { StoryView } from '../lineage/StoryView';
import { Histogram } from '../shape/Histogram';
import { ColumnTools, TableTools } from '../shape/TableTools';

function LinkRow({ link, table }: { link: LinkInfo; table: string }) {
  const select = actions.select;
  const other = link.from_table === table ? link.to_table : link.from_table;
  return (
    <tr>
      <td>
        <button type="button" className="plain" onClick={() => select({ kind: 'link', name: link.name })}>
          <b>{link.name}</b> <span className="quiet">{other}</span>
        </button>
      </td>
      <td className="num">
        <LinkMark link={link} width={48} />
      </td>
    </tr>
  );
}

function LinkRows({ links, table }: { links: LinkInfo[]; table: string }) {
  return (
    <table>
      <tbody>
        {links.map((link) => (
          <LinkRow key={link.name} link={link} table={table} />
        ))}
      </tbody>
    </table>
  );
}

interface Props {
  model: ModelDocument;
  table: TableInfo;
  storyFirst: boolean;
  first?: ReactNode;
}

/** A table; where rows are gathered and shaped, its story comes before its filters. */
export function LensTable({ model, table, storyFirst, first }: Props) {
  const reach = useLink((s) => s.reach);
  const links = model.links.filter((k) => k.from_table === table.name || k.to_table === table.name);
  const measures = model.measures.filter((m) => m.home === table.name);
  const isFact = model.matrix.facts.includes(table.name);
  return (
    <>
      <h2>
        <RoleMark role={table.role} /> {table.name}
      </h2>
      <p className="quiet">
        {table.role === 'disconnected' ? 'linked to nothing' : table.role}, {counted(table.rows, 'row')},{' '}
        {counted(table.columns.length, 'column')}
        {table.source ? `, from ${table.source}` : ''}
        {table.unmatched ? ', with an (unmatched) member' : ''}
      </p>
      <Note text={table.description} />
      {first}
      {storyFirst && <StoryView model={model} kind="table" name={table.name} />}
      {storyFirst && <h3>Filters</h3>}
      {reach && !storyFirst ? (
        <ReachView model={model} subject={{ table: table.name }} />
      ) : (
        <>
          {isFact && !storyFirst && <LensFact model={model} table={table} />}
          {isFact && !storyFirst && <h3>What it filters</h3>}
          <FilterOf current={model.currents.find((c) => c.table === table.name)} />
        </>
      )}
      <h3>Links</h3>
      <LinkRows links={links} table={table.name} />
      <p style={{ marginTop: 8 }}>
        <button type="button" className="pill small" onClick={() => askNew([`${quotedName(table.name)}.`])}>
          New link from here
        </button>
      </p>
      {!storyFirst && <TableShape model={model} table={table} />}
      <h3>Columns</h3>
      <Columns table={table} />
      {measures.length > 0 && (
        <>
          <h3>Measures kept with it</h3>
          <p>{measures.map((m) => nameText(m.name)).join(', ')}</p>
        </>
      )}
      <Uses model={model} kind="table" name={table.name} />
      {!storyFirst && <StoryView model={model} kind="table" name={table.name} />}
      <TableTools key={table.name} model={model} table={table} />
    </>
  );
}

type Current = ModelDocument['currents'][number];

/** Where a filter on the table runs, and before what it stops: a line, and each link where somebody wants to know. */
function FilterOf({ current }: { current: Current | undefined }) {
  if (!current) return <p>A filter here stays here: no active link carries it on.</p>;
  return (
    <>
      {current.runs.length > 0 ? (
        <p>
          A filter here runs to{' '}
          {current.runs.map((run, i) => (
            <span key={run.link + run.to}>
              {i > 0 && (i === current.runs.length - 1 ? ' and to ' : ', to ')}
              <b>{run.to}</b> over <b>{run.link}</b>
            </span>
          ))}
          .
        </p>
      ) : (
        <p>A filter here stays here: no active link carries it on.</p>
      )}
      <Stops stops={current.stops.filter((s) => s.to)} />
    </>
  );
}

const SHORT: Record<string, string> = { inactive: 'inactive', off: 'switched off', 'one-way': 'one-way' };

/** The tables that do not take its filters, by why not. */
function Stops({ stops }: { stops: Stop[] }) {
  if (stops.length === 0) return null;
  const reasons = [...new Set(stops.map((s) => s.reason))];
  const tables = (reason: string) => new Set(stops.filter((s) => s.reason === reason).map((s) => s.to)).size;
  return (
    <details className="stops">
      <summary>
        {reasons
          .map((r) => `${counted(tables(r), 'table')} ${tables(r) === 1 ? 'does' : 'do'} not take its filters: ${SHORT[r] ?? r}`)
          .join('; ')}
      </summary>
      <table>
        <tbody>
          {stops.map((stop) => (
            <tr key={`${stop.link}${stop.to}`}>
              <td>
                <b>{stop.to}</b>
              </td>
              <td className="quiet">
                {stop.link ? `${stop.link}: ` : ''}
                {stopWords(stop)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}

function Columns({ table }: { table: TableInfo }) {
  const select = actions.select;
  const [all, setAll] = useState(false);
  const shown = all ? table.columns : table.columns.slice(0, 8);
  return (
    <>
      <table>
        <tbody>
          {shown.map((c) => (
            <tr key={c.name}>
              <td>
                <button type="button" className="plain" onClick={() => select({ kind: 'column', table: table.name, name: c.name })}>
                  {c.name}
                </button>
              </td>
              <td className="quiet">
                {c.dtype}
                {table.candidate_keys?.includes(c.name) ? ', unique' : ''}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!all && table.columns.length > shown.length && (
        <button type="button" className="plain quiet" onClick={() => setAll(true)}>
          {table.columns.length - shown.length} more
        </button>
      )}
    </>
  );
}

/** `first` is what its stage has to say of it. */
export function LensColumn({ model, table, column, first }: { model: ModelDocument; table: TableInfo; column: string; first?: ReactNode }) {
  const select = actions.select;
  const reach = useLink((s) => s.reach);
  const info = table.columns.find((c) => c.name === column);
  const profiles = useProfiles(model, table.name);
  const profile = profiles.data?.profiles.find((p) => p.column === column);
  const links = model.links.filter(
    (k) => (k.from_table === table.name && k.from_columns.includes(column)) || (k.to_table === table.name && k.to_columns.includes(column)),
  );
  return (
    <>
      <h2>
        {table.name}.{column}
      </h2>
      <p className="quiet">
        a column of{' '}
        <button type="button" className="plain" onClick={() => select({ kind: 'table', name: table.name })}>
          <u>{table.name}</u>
        </button>
      </p>
      {reach && <ReachView model={model} subject={{ table: table.name }} />}
      {first}
      <Note text={info?.description} />
      {info?.hidden && <p className="quiet">Hidden: lists leave it out.</p>}
      {profiles.isPending && <p className="wait">Reading the column…</p>}
      {table.columns.find((c) => c.name === column)?.formula && (
        <div className="formula-box">{table.columns.find((c) => c.name === column)?.formula}</div>
      )}
      {profile && <ColumnFacts profile={profile} />}
      {profiles.data && (profile?.rough || profiles.data.counting.running) && (
        <CountExactly model={model} table={table.name} counting={profiles.data.counting} />
      )}
      {links.length > 0 && (
        <>
          <h3>A key of</h3>
          <LinkRows links={links} table={table.name} />
        </>
      )}
      {info && <Uses model={model} kind="column" name={`${table.name}.${column}`} />}
      {table.columns.some((c) => c.name === column) && (
        <StoryView model={model} kind="column" name={`${quotedName(table.name)}.${quotedName(column)}`} />
      )}
      <ColumnTools key={`${table.name}.${column}`} model={model} table={table} column={column} />
    </>
  );
}

/** The count of all columns that only a sample tells of. */
function CountExactly({ model, table, counting }: { model: ModelDocument; table: string; counting: Counting }) {
  const { run, stop, busy } = useCounting(model, table);
  if (counting.running)
    return (
      <p className="row" role="status">
        <progress max={counting.total || 1} value={counting.done} aria-label="Columns that are counted" />
        <span className="quiet">
          {counting.words ? `counting ${counting.words}, ` : ''}
          {counting.done} of {counted(counting.total, 'column')}
        </span>
        <button type="button" className="pill small" onClick={stop}>
          Stop
        </button>
      </p>
    );
  return (
    <p className="row">
      <button type="button" className="pill small" disabled={busy} onClick={run}>
        Count every row
      </button>
      <span className="quiet">{counting.words || 'a statement a column, where it stays'}</span>
    </p>
  );
}

function ColumnFacts({ profile }: { profile: Profile }) {
  return (
    <>
      <Histogram counts={profile.histogram} width={320} height={54} />
      <table>
        <tbody>
          <tr>
            <td className="quiet">type</td>
            <td>{profile.dtype}</td>
          </tr>
          <tr>
            <td className="quiet">distinct</td>
            <td>
              {profile.rough ? 'in the sample ' : ''}
              {count(profile.distinct)}
              {profile.unique ? ', every row its own: a key' : ''}
            </td>
          </tr>
          <tr>
            <td className="quiet">empty</td>
            <td>
              {profile.rough
                ? `in the sample ${count(profile.empty)} of ${count(profile.sample)}`
                : `${count(profile.empty)} of ${count(profile.rows)}`}
            </td>
          </tr>
          <tr>
            <td className="quiet">smallest</td>
            <td>{typedText(profile.smallest, profile.dtype)}</td>
          </tr>
          <tr>
            <td className="quiet">largest</td>
            <td>{typedText(profile.largest, profile.dtype)}</td>
          </tr>
        </tbody>
      </table>
      <h3>Commonest</h3>
      {profile.sample > 0 && <p className="quiet">Of a sample of {count(profile.sample)} rows: the table stays where it is.</p>}
      <table>
        <tbody>
          {profile.commonest.map((c) => (
            <tr key={String(c.value)}>
              <td>{typedText(c.value, profile.dtype)}</td>
              <td className="num">{count(c.count)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
