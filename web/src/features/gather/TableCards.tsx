// The tables of a model as cards: what each is, where it comes from, and loading it again.
import { problemOf, type ModelDocument, type TableInfo } from '../../api/client';
import { useFrame } from '../../app/frame';
import { actions } from '../../app/shown';
import { RoleMark } from '../../marks/Marks';
import { counted } from '../../shared/format';
import { startReading, useLoads, useStaying } from './requests';

const MADE = new Set(['calendar', 'bands', 'list', 'parameter', 'role']);

/** Whether a table names a source that can be read again. */
export function canReload(table: TableInfo): boolean {
  const kind = table.origin.kind as string | undefined;
  return Boolean(kind) && kind !== 'past' && !MADE.has(kind ?? '') && !table.formula;
}

export function isMade(table: TableInfo): boolean {
  return MADE.has(String(table.origin.kind));
}

export function TableCards({ model, onReading }: { model: ModelDocument; onReading: (id: string) => void }) {
  const loads = useLoads(model);
  const say = actions.say;
  const again = async (tables: string[]) => {
    try {
      onReading((await startReading(model.id, { tables })).id);
    } catch (error) {
      say({ problem: problemOf(error), retry: null });
    }
  };
  const staying = useStaying(model);
  const reloadable = model.tables.filter((t) => canReload(t) && !t.stays).map((t) => t.name);
  if (model.tables.length === 0)
    return (
      <p className="empty-place">
        No table yet. Drop the files you have: facts such as bookings or orders, and the lists they name, such as products and customers.
      </p>
    );
  return (
    <>
      <div className="row" style={{ justifyContent: 'space-between', marginBottom: 10 }}>
        <h2>
          {counted(model.tables.length, 'table')},{' '}
          {counted(
            model.tables.reduce((n, t) => n + t.rows, 0),
            'row',
          )}
        </h2>
        {reloadable.length > 0 && (
          <button type="button" className="pill small" onClick={() => void again(reloadable)}>
            Load all again
          </button>
        )}
      </div>
      <div className="cards">
        {model.tables.map((t) => (
          <TableCard
            key={t.name}
            table={t}
            loaded={loads.data?.find((x) => x.table === t.name && x.live)?.loaded_at}
            again={() => void again([t.name])}
            staying={staying}
          />
        ))}
      </div>
    </>
  );
}

function when(text: string | undefined): string {
  if (!text) return '';
  return new Date(text).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });
}

interface CardProps {
  table: TableInfo;
  loaded: string | undefined;
  again: () => void;
  staying: ReturnType<typeof useStaying>;
}

function TableCard({ table, loaded, again, staying }: CardProps) {
  const selection = useFrame((s) => s.selection);
  const { select, set } = actions;
  const chosen = selection?.kind === 'table' && selection.name === table.name;
  const steps = table.steps.filter((s) => !s.off).length;
  return (
    <div className={chosen ? 'card chosen' : 'card'}>
      <button
        type="button"
        className="plain card-main"
        aria-pressed={chosen}
        onClick={() => {
          select({ kind: 'table', name: table.name });
          set({ table: table.name });
        }}
      >
        <span className="row">
          <RoleMark role={table.role} />
          <b>{table.name}</b>
        </span>
        <span>
          {counted(table.rows, 'row')}, {counted(table.columns.length, 'column')}
          {steps > 0 && `, ${counted(steps, 'step')}`}
        </span>
        <span className="quiet clip" title={table.from_text}>
          {table.formula ? 'computed' : isMade(table) ? table.from_text : `${table.stays ? 'stays in' : 'from'} ${table.from_text}`}
        </span>
        <span className="quiet clip">
          {table.key.length ? (
            <>
              key <span className="mono">{table.key.join(', ')}</span>
            </>
          ) : table.candidate_keys?.length ? (
            <>
              could be keyed by <span className="mono">{table.candidate_keys.slice(0, 2).join(', ')}</span>
            </>
          ) : (
            table.candidate_keys && 'no column alone is a key'
          )}
        </span>
      </button>
      <span className="row quiet card-foot">
        {loaded ? (table.stays ? `looked at ${when(loaded)}` : when(loaded)) : ''}
        <CardActions table={table} again={again} staying={staying} />
      </span>
    </div>
  );
}

/** Loading again and leaving there; of a table that stays, looking again and taking its rows in. */
function CardActions({ table, again, staying }: Omit<CardProps, 'loaded'>) {
  if (staying.busy === table.name) return <span role="status">asking there…</span>;
  if (table.stays)
    return (
      <span className="row">
        <button type="button" className="plain" onClick={() => staying.look(table)} aria-label={`Look at ${table.name} again`}>
          look again
        </button>
        <button type="button" className="plain" onClick={() => staying.takeIn(table)} aria-label={`Take the rows of ${table.name} in`}>
          take its rows in
        </button>
      </span>
    );
  if (!canReload(table)) return null;
  return (
    <span className="row">
      <button type="button" className="plain" onClick={again} aria-label={`Load ${table.name} again`}>
        load again
      </button>
      {table.origin.kind === 'database' && Boolean(table.origin.table) && (
        <button type="button" className="plain" onClick={() => staying.leave(table)} aria-label={`Leave ${table.name} where it is`}>
          leave it there
        </button>
      )}
    </span>
  );
}
