// Shape: a table's rows under its columns, each column headed by its profile.
import { useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef } from 'react';
import { client, unwrap, type ModelDocument, type Profile, type TableInfo } from '../../api/client';
import { useProfiles } from '../../api/queries';
import { actions, useShown } from '../../app/shown';
import { RoleMark } from '../../marks/Marks';
import { columnText, count } from '../../shared/format';
import { Histogram } from './Histogram';

const PAGE = 200;
const LINE = 28;
const WIDTH = 132;
const NUMERIC = new Set(['integer', 'number']);

function useRows(model: ModelDocument, table: string, page: number) {
  return useQuery({
    queryKey: ['rows', model.id, table, page],
    queryFn: async () =>
      unwrap(
        await client.GET('/api/models/{model_id}/tables/{table}/rows', {
          params: { path: { model_id: model.id, table }, query: { start: page * PAGE, count: PAGE } },
        }),
      ).rows,
  });
}

/** One line of rows; its page is asked for when it comes into sight, and shared by all lines of the page. */
function Line({ model, table, place, numeric }: { model: ModelDocument; table: TableInfo; place: number; numeric: boolean[] }) {
  const rows = useRows(model, table.name, Math.floor(place / PAGE));
  const row = rows.data?.[place % PAGE];
  return (
    <>
      {table.columns.map((c, i) => (
        <span key={c.name} style={{ width: WIDTH, textAlign: numeric[i] ? 'right' : 'left' }} className={row && row[i] === null ? 'quiet' : ''}>
          {row ? columnText(row[i]) : rows.isError ? '' : '…'}
        </span>
      ))}
    </>
  );
}

function Head({ table, profile, name }: { table: string; profile: Profile | undefined; name: string }) {
  const selection = useShown((s) => s.selection);
  const select = useShown((s) => s.select);
  const chosen = selection?.kind === 'column' && selection.table === table && selection.name === name;
  return (
    <button type="button" style={{ width: WIDTH }} aria-pressed={chosen} onClick={() => select({ kind: 'column', table, name })}>
      <b>{name}</b>
      <small>
        {profile ? `${profile.dtype}, ${count(profile.distinct)} distinct` : 'reading…'}
      </small>
      <small>{profile ? (profile.empty ? `${count(profile.empty)} empty` : 'none empty') : ''}</small>
      <small>{profile ? `${columnText(profile.smallest)} … ${columnText(profile.largest)}` : ''}</small>
      <Histogram counts={profile?.histogram ?? []} width={WIDTH - 22} />
    </button>
  );
}

function Rows({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const profiles = useProfiles(model, table.name);
  const scroll = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({ count: table.rows, getScrollElement: () => scroll.current, estimateSize: () => LINE, overscan: 12 });
  const numeric = table.columns.map((c) => NUMERIC.has(c.dtype));
  const width = table.columns.length * WIDTH;
  return (
    // Scrolled with the keyboard, so it takes the focus.
    <div className="rows-scroll" ref={scroll} tabIndex={0} role="region" aria-label={`Rows of ${table.name}`}>
      <div className="rows-head" style={{ width }}>
        {table.columns.map((c) => (
          <Head key={c.name} table={table.name} name={c.name} profile={profiles.data?.find((p) => p.column === c.name)} />
        ))}
      </div>
      <div style={{ height: virtual.getTotalSize(), width, position: 'relative' }}>
        {virtual.getVirtualItems().map((item) => (
          <div key={item.key} className="rows-line" style={{ top: item.start, height: LINE, width }}>
            <Line model={model} table={table} place={item.index} numeric={numeric} />
          </div>
        ))}
      </div>
      {table.rows === 0 && <p className="pad quiet">This table has no rows.</p>}
    </div>
  );
}

export function Shape({ model }: { model: ModelDocument }) {
  const chosen = useShown((s) => s.table);
  const { set, select } = actions;
  const table = model.tables.find((t) => t.name === chosen) ?? model.tables[0];
  return (
    <div className="shape">
      <nav className="side" aria-label="Tables">
        <h2 style={{ padding: '0 10px 8px' }}>Tables</h2>
        {model.tables.map((t) => (
          <button
            key={t.name}
            type="button"
            className="side-item"
            aria-current={t.name === table?.name}
            onClick={() => {
              set({ table: t.name });
              select({ kind: 'table', name: t.name });
            }}
          >
            <RoleMark role={t.role} />
            {t.name}
            <span className="end">{count(t.rows)}</span>
          </button>
        ))}
      </nav>
      {table ? <Rows key={table.name} model={model} table={table} /> : <p className="pad">There is no table yet. Gather some first.</p>}
    </div>
  );
}
