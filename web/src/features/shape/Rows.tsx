// Rows under their columns, each headed by its profile; only what is in sight is asked for.
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef } from 'react';
import type { ModelDocument, Profile, ShapeColumn } from '../../api/client';
import { useFrame } from '../../app/frame';
import { actions } from '../../app/shown';
import { columnText, typedText, count } from '../../shared/format';
import { Histogram } from './Histogram';
import { useStepProfiles, useStepRows, type Step } from './requests';

const PAGE = 200;
const LINE = 28;
const WIDTH = 132;
// A browser lays out no more than some 33 million pixels: beyond that many rows, lines stand for a share of the height.
const MOST_HEIGHT = 15_000_000;
const NUMERIC = new Set(['integer', 'number']);

interface Shown {
  model: ModelDocument;
  table: string;
  /** Steps that are tried; null shows the model as it is. */
  steps: Step[] | null;
  at: number | null;
}

/** One line of rows; its page is asked for when it comes into sight, and shared by all lines of the page. */
function Line({ shown, place, columns }: { shown: Shown; place: number; columns: ShapeColumn[] }) {
  const rows = useStepRows(shown.model, shown.table, shown.steps, shown.at, Math.floor(place / PAGE), PAGE);
  const row = rows.data?.[place % PAGE];
  return (
    <>
      {columns.map((c, i) => (
        <span
          key={c.name}
          style={{ width: WIDTH, textAlign: NUMERIC.has(c.dtype) ? 'right' : 'left' }}
          className={row && row[i] === null ? 'quiet' : ''}
        >
          {row ? columnText(row[i]) : rows.isError ? '' : '…'}
        </span>
      ))}
    </>
  );
}

function Head({ table, profile, column }: { table: string; profile: Profile | undefined; column: ShapeColumn }) {
  const selection = useFrame((s) => s.selection);
  const select = actions.select;
  const chosen = selection?.kind === 'column' && selection.table === table && selection.name === column.name;
  const common = profile?.commonest[0];
  return (
    <button
      type="button"
      style={{ width: WIDTH }}
      aria-pressed={chosen}
      onClick={() => select({ kind: 'column', table, name: column.name })}
    >
      <b title={column.name}>{column.name}</b>
      <small>{profile ? `${profile.dtype}, ${count(profile.distinct)} distinct` : `${column.dtype}…`}</small>
      <small>{profile ? (profile.empty ? `${count(profile.empty)} empty` : 'none empty') : ''}</small>
      <small title={profile ? `from ${typedText(profile.smallest, profile.dtype)} to ${typedText(profile.largest, profile.dtype)}` : ''}>
        {profile ? `${typedText(profile.smallest, profile.dtype)} … ${typedText(profile.largest, profile.dtype)}` : ''}
      </small>
      <small title={profile?.commonest.map((c) => `${typedText(c.value, profile.dtype)}: ${count(c.count)}`).join('\n')}>
        {common && common.count > 1
          ? `${count(common.count)} × ${typedText(common.value, column.dtype)}`
          : profile && profile.distinct > 0
            ? 'no repeats'
            : ''}
      </small>
      <Histogram counts={profile?.histogram ?? []} width={WIDTH - 22} />
    </button>
  );
}

export function Rows({ shown, columns, size }: { shown: Shown; columns: ShapeColumn[]; size: number }) {
  const profiles = useStepProfiles(shown.model, shown.table, shown.steps, shown.at);
  const scroll = useRef<HTMLDivElement>(null);
  const lines = Math.min(size, Math.floor(MOST_HEIGHT / LINE));
  const virtual = useVirtualizer({ count: lines, getScrollElement: () => scroll.current, estimateSize: () => LINE, overscan: 12 });
  const width = columns.length * WIDTH;
  const items = virtual.getVirtualItems();
  // With more rows than lines, the first line in sight stands for its share of the rows; those below follow one by one.
  const first = items[0]?.index ?? 0;
  const behind = lines < size && lines > items.length ? Math.round((first / (lines - items.length)) * (size - items.length)) : first;
  return (
    // Scrolled with the keyboard, so it takes the focus.
    <div className="rows-scroll" ref={scroll} tabIndex={0} role="region" aria-label={`Rows of ${shown.table}`}>
      <div className="rows-head" style={{ width }}>
        {columns.map((c) => (
          <Head key={c.name} table={shown.table} column={c} profile={profiles.data?.find((p) => p.column === c.name)} />
        ))}
      </div>
      <div style={{ height: virtual.getTotalSize(), width, position: 'relative' }}>
        {items.map((item) => {
          const place = Math.min(behind + item.index - first, size - 1);
          return (
            <div key={item.key} className="rows-line" style={{ top: item.start, height: LINE, width }}>
              <Line shown={shown} place={place} columns={columns} />
            </div>
          );
        })}
      </div>
      {size === 0 && <p className="pad quiet">There are no rows here.</p>}
    </div>
  );
}
