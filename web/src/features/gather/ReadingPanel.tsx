// A reading: how far it is, what it found, and the choice of what to take. Nothing is taken before.
import { useMemo, useState } from 'react';
import { client, problemOf, unwrap, type ModelDocument, type ReadColumn, type Reading, type ReadingItem } from '../../api/client';
import { queryClient, useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
import { counted } from '../../shared/format';
import { ComparisonView } from './ComparisonView';
import { Asks } from './Asks';
import { ReadTable } from './ReadTable';
import { dropReading, startReading, useComparison, useReading, type Choice, type Mend } from './requests';

interface Wanted {
  take: boolean;
  name: string;
  table: string | null;
}

/** Which table an item would replace: the one it was read for, or one that came from the same source. */
function sameSource(model: ModelDocument, item: ReadingItem): string | null {
  if (item.table) return item.table;
  const keys = ['kind', 'file', 'sheet', 'sheets', 'resource', 'connection', 'table', 'table_schema', 'query'];
  const part = (source: Record<string, unknown>) => JSON.stringify(keys.map((k) => source[k] ?? null));
  return model.tables.find((t) => t.origin.kind !== undefined && part(t.origin) === part(item.source))?.name ?? null;
}

export function ReadingPanel({
  model,
  id,
  onEnd,
  onReading,
}: {
  model: ModelDocument;
  id: string;
  onEnd: () => void;
  onReading: (id: string) => void;
}) {
  const reading = useReading(model.id, id);
  if (reading.isError)
    return (
      <section className="panel" aria-label="Reading">
        <p>{reading.error.message}</p>
        <button type="button" className="pill small" onClick={onEnd}>
          Close
        </button>
      </section>
    );
  if (!reading.data) return <p className="wait">Beginning to read…</p>;
  return <Panel model={model} reading={reading.data} onEnd={onEnd} onReading={onReading} />;
}

/** Which items are wanted, under which name and in whose place. */
function useWanted(model: ModelDocument, reading: Reading) {
  const [wanted, setWanted] = useState<Record<number, Partial<Wanted>>>({});
  const whole = useMemo(
    () => new Set(reading.items.filter((i) => Array.isArray(i.source.sheets) && i.source.sheets.length).map((i) => i.source.file)),
    [reading],
  );
  const plan = reading.items.map((item, place): Wanted => {
    const table = sameSource(model, item);
    // Sheets that are offered as one table are not offered one by one as well, unless asked for.
    const single = whole.has(item.source.file) && !Array.isArray(item.source.sheets);
    return { take: item.state === 'read' && !single, name: item.name, table, ...wanted[place] };
  });
  const chosen: Choice[] = plan.flatMap((w, place) =>
    w.take && reading.items[place]?.state === 'read' ? [{ place, table: w.table, name: w.table ? null : w.name }] : [],
  );
  const want = (place: number, part: Partial<Wanted>) => setWanted({ ...wanted, [place]: { ...wanted[place], ...part } });
  return { plan, chosen, want };
}

interface PanelGiven {
  model: ModelDocument;
  reading: Reading;
  onEnd: () => void;
  onReading: (id: string) => void;
}

/** Taking what is chosen, reading it anew, and ending it. */
function useReadingEnds({ model, reading, onEnd, onReading }: PanelGiven, plan: Wanted[], chosen: Choice[], mends: Mend[]) {
  const [busy, setBusy] = useState(false);
  const { keep } = useEdits(model);
  const end = async () => {
    await dropReading(model.id, reading.id);
    onEnd();
  };
  const take = async () => {
    setBusy(true);
    try {
      const params = { path: { model_id: model.id, reading_id: reading.id } };
      const body = { tables: chosen, base: model.version, mends };
      keep(unwrap(await client.POST('/api/models/{model_id}/readings/{reading_id}/take', { params, body })));
      actions.say(null);
      await end();
    } catch (error) {
      actions.say({ problem: { ...problemOf(error), title: 'Nothing was taken; the model is as it was.' }, retry: null });
      await queryClient.invalidateQueries({ queryKey: ['model', model.id] });
    } finally {
      setBusy(false);
    }
  };
  /** Reads everything anew, with other settings for some tables. */
  const reread = async (sources: Record<number, Record<string, unknown>>) => {
    setBusy(true);
    try {
      const items = reading.items.map((item, i) => ({
        name: plan[i]?.name ?? item.name,
        source: sources[i] ?? item.source,
        table: plan[i]?.table ?? null,
      }));
      const next = await startReading(model.id, { items });
      await dropReading(model.id, reading.id);
      onReading(next.id);
    } catch (error) {
      actions.say({ problem: problemOf(error), retry: null });
      setBusy(false);
    }
  };
  return { busy, end, take, reread };
}

const tablesText = (n: number) => `${n} table${n === 1 ? '' : 's'}`;

function Panel(given: PanelGiven) {
  const { model, reading } = given;
  const [open, setOpen] = useState<number | null>(null);
  const [mends, setMends] = useState<Mend[]>([]);
  const { plan, chosen, want } = useWanted(model, reading);
  const { busy, end, take, reread } = useReadingEnds(given, plan, chosen, mends);
  const running = reading.state === 'running';
  const comparison = useComparison(model, reading.id, running ? [] : chosen, mends);
  const replaced = chosen.some((c) => c.table);
  const held = replaced && (comparison.data?.breaks.length ?? 0) > 0;
  const failed = reading.items.filter((i) => i.state === 'failed').length;
  return (
    <section className="panel" aria-label="Reading">
      <div className="row" style={{ justifyContent: 'space-between' }}>
        <h2 role="status">
          {running || busy
            ? `Reading ${reading.items.length || ''}…`
            : `Read ${tablesText(reading.items.length - failed)} in ${reading.seconds.toFixed(1)} s`}
          {failed > 0 && <span className="signal"> {failed} could not be read</span>}
        </h2>
        <span className="row">
          {!running && (
            <button
              type="button"
              className="pill solid"
              disabled={busy || chosen.length === 0 || held || (replaced && !comparison.data)}
              onClick={() => void take()}
            >
              {`Take ${tablesText(chosen.length)}`}
            </button>
          )}
          <button type="button" className="pill" onClick={() => void end()}>
            {running ? 'Cancel' : 'Take nothing'}
          </button>
        </span>
      </div>
      {!running && !busy && <Asks items={reading.items} onRead={(sources) => void reread(sources)} />}
      {reading.items.map((item, place) => (
        <Item
          // Places are what items are told apart by.
          key={`${place}`}
          model={model}
          item={item}
          wanted={plan[place] as Wanted}
          open={open === place}
          onOpen={() => setOpen(open === place ? null : place)}
          onChange={(part) => {
            setMends([]);
            want(place, part);
          }}
          onReread={(source) => void reread({ [place]: source })}
        />
      ))}
      {replaced && !running && (
        <ComparisonView
          {...{ model, mends }}
          comparison={comparison.data}
          pending={comparison.isFetching}
          error={comparison.error}
          onMends={setMends}
        />
      )}
    </section>
  );
}

interface ItemGiven {
  model: ModelDocument;
  item: ReadingItem;
  wanted: Wanted;
  open: boolean;
  onOpen: () => void;
  onChange: (part: Partial<Wanted>) => void;
  onReread: (source: Record<string, unknown>) => void;
}

function Item({ model, item, wanted, open, onOpen, onChange, onReread }: ItemGiven) {
  return (
    <div className="read-item">
      <div className="row">
        <input
          type="checkbox"
          aria-label={`Take ${wanted.name}`}
          checked={wanted.take && item.state === 'read'}
          disabled={item.state !== 'read'}
          onChange={(e) => onChange({ take: e.target.checked })}
        />
        {wanted.table ? (
          <b>{wanted.table}</b>
        ) : (
          <input
            className="field name-field"
            aria-label={`Name of ${item.name}`}
            value={wanted.name}
            onChange={(e) => onChange({ name: e.target.value })}
          />
        )}
        <span className="quiet clip" style={{ flex: 1 }}>
          {sourceText(item.source)}
        </span>
        <Progress item={item} />
        <Report item={item} onOpen={onOpen} />
        {item.state === 'read' && (
          <select
            className="field target-field"
            aria-label={`Where ${item.name} goes`}
            value={wanted.table ?? ''}
            onChange={(e) => onChange({ table: e.target.value || null })}
          >
            <option value="">a new table</option>
            {model.tables
              .filter((t) => !t.formula)
              .map((t) => (
                <option key={t.name} value={t.name}>
                  in place of {t.name}
                </option>
              ))}
          </select>
        )}
        {(item.report || item.state === 'failed') && (
          <button
            type="button"
            className="pill small"
            aria-expanded={open}
            onClick={onOpen}
            aria-label={`${open ? 'Close' : 'Look at'} ${item.name}`}
          >
            {open ? 'close' : 'look'}
          </button>
        )}
      </div>
      {item.errors.map((e) => (
        <p key={e.message} className="signal" style={{ margin: '4px 0 0 26px' }}>
          {e.message} {e.mend}
        </p>
      ))}
      {open && <ReadTable item={item} onReread={onReread} />}
    </div>
  );
}

/** How far an item is. */
function Progress({ item }: { item: ReadingItem }) {
  if (item.state === 'waiting') return <span className="quiet">waits</span>;
  if (item.state !== 'reading') return null;
  return (
    <span className="row" style={{ width: 300 }}>
      <progress value={item.share} style={{ flex: 1 }} aria-label={`${item.name} is read`} />
      <span className="quiet">
        {counted(item.rows, 'row')}
        {item.seconds_left === null ? '' : `, ${Math.ceil(item.seconds_left)} s left`}
      </span>
    </span>
  );
}

/** What was found in an item that was read. */
function Report({ item, onOpen }: { item: ReadingItem; onOpen: () => void }) {
  const { report } = item;
  if (!report) return null;
  const misfits = report.columns.reduce((n, c) => n + c.misfits.count, 0);
  const isNearly = (c: ReadColumn) => c.others.some((o) => o.misfits.count > 0) && !(c.missing && c.missing.type !== 'text');
  const offers = report.columns.filter(isNearly).length;
  return (
    <span>
      {counted(report.rows, 'row')}, {counted(report.columns.length, 'column')}
      {misfits > 0 && <span className="signal">, {counted(misfits, 'value')} did not fit</span>}
      {offers > 0 && (
        <span className="signal">
          , {offers} column{offers > 1 ? 's' : ''} nearly of another type
        </span>
      )}
      {report.broken > 0 && <span className="signal">, {counted(report.broken, 'row')} left out</span>}
      {report.notes.length > 0 && (
        <button type="button" className="plain quiet" onClick={onOpen} title={report.notes.join('\n')}>
          , {counted(report.notes.length, 'note')}
        </button>
      )}
    </span>
  );
}

/** A source in a few words. */
function sourceText(source: Record<string, unknown>): string {
  const text = (key: string) => (typeof source[key] === 'string' ? (source[key] as string) : '');
  if (Array.isArray(source.sheets) && source.sheets.length) return `${text('file')}, all ${source.sheets.length} sheets as one table`;
  if (source.kind === 'sheet') return `${text('file')}, sheet ${text('sheet')}`;
  if (source.kind === 'resource') return `${text('file')}, resource ${text('resource')}`;
  if (source.kind === 'database')
    return `${text('connection')}: ${text('table') ? `${text('table_schema') || 'public'}.${text('table')}` : 'a SELECT'}`;
  return text('file');
}
