// Tables that are made here: calendars, bands, lists, parameters, and tables by formula; made, and changed later.
import { useDebouncedValue } from '@mantine/hooks';
import { useMemo } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { actions } from '../../app/shown';
import { counted, quotedName } from '../../shared/format';
import { focusSoon } from '../../shared/focus';
import { useKept } from '../../shared/kept';
import { useSaver } from '../../shared/saver';
import { CalendarForm } from './CalendarForm';
import { ComputedPreview, PreviewRows, useComputed } from './ComputedPreview';
import { ConsequencesBox, useChange } from './Consequences';
import { BandsForm, ListForm, ParameterForm } from './makeForms';
import { useMade, type Origin } from './requests';

type Kind = 'calendar' | 'bands' | 'list' | 'parameter' | 'formula';

const KINDS: [Kind, string, string][] = [
  ['calendar', 'Calendar', 'every day of the dates in the data, or of a span'],
  ['bands', 'Bands', 'values in classes, several sizes in one table'],
  ['list', 'List', 'rows typed or pasted'],
  ['parameter', 'Parameter', 'a range of numbers to choose from'],
  ['formula', 'By a formula', 'rows computed from the whole model'],
];

function blank(kind: Kind, model: ModelDocument): Origin {
  switch (kind) {
    case 'calendar':
      return {
        kind,
        dates: model.tables
          .filter((t) => !t.formula && t.role === 'fact')
          .flatMap((t) => t.columns.filter((c) => c.dtype === 'date').map((c) => `${quotedName(t.name)}.${quotedName(c.name)}`))
          .slice(0, 8),
        columns: ['date', 'year', 'quarter', 'month', 'month_of_year', 'month_name', 'week', 'day_of_week', 'day_name', 'season'],
      };
    case 'bands':
      return { kind, sizes: [{ name: 'medium', start: 0, end: 100, step: 25, open_above: true }] };
    case 'list':
      return { kind, columns: [{ name: 'name', type: '' }], rows: [] };
    case 'parameter':
      return { kind, column: 'value', start: 0, end: 50, step: 5 };
    default:
      return { kind };
  }
}

export function MakeBench({ model, table }: { model: ModelDocument; table: TableInfo | null }) {
  const made = model.tables.filter((t) => ['calendar', 'bands', 'list', 'parameter'].includes(String(t.origin.kind)) || t.formula);
  return (
    <div className="shape-wide pad" data-region>
      <div className="row" style={{ marginBottom: 12 }}>
        <button type="button" className={table ? 'pill' : 'pill solid'} onClick={() => actions.set({ shapeView: 'make' })}>
          A new table
        </button>
        {made.length > 0 && <span className="quiet">or change</span>}
        {made.map((t) => (
          <button
            key={t.name}
            type="button"
            className={table?.name === t.name ? 'pill small solid' : 'pill small'}
            onClick={() => actions.set({ table: t.name, shapeView: 'remake' })}
          >
            {t.name}
          </button>
        ))}
      </div>
      <Maker key={table?.name ?? 'new'} model={model} table={table} />
    </div>
  );
}

interface Begun {
  kind: Kind;
  name: string;
  origin: Origin;
  formula: string;
}

/** What is being made, kept until it is made or thrown away, and what it would be. */
function useMaking(model: ModelDocument, table: TableInfo | null) {
  const first = (table ? (table.formula ? 'formula' : table.origin.kind) : 'calendar') as Kind;
  const begun = useMemo<Begun>(
    () => ({
      kind: first,
      name: table?.name ?? 'Calendar',
      origin: (table && !table.formula ? table.origin : blank(first, model)) as Origin,
      formula: table?.formula ?? '',
    }),
    [first, table, model],
  );
  const kept = useKept(model.id, 'made', `table ${table?.name ?? ''}`, begun);
  const { kind, origin, formula } = kept.value;
  const [tried] = useDebouncedValue(origin, 300);
  const rows = useMade(model, kind === 'formula' ? null : tried);
  const computed = useComputed(model, kind === 'formula' ? formula : '', null, '');
  const write = (part: Partial<Begun>) => kept.put({ ...kept.value, ...part });
  return { kept, write, rows, computed, sound: kind === 'formula' ? computed.sound : !rows.isError && Boolean(rows.data) };
}

type Making = ReturnType<typeof useMaking>;

/** Making it, changing how it is made, and removing it. */
function useMaker(model: ModelDocument, table: TableInfo | null, { kept, sound }: Making) {
  const { kind, name, origin, formula } = kept.value;
  const { edit, busy } = useEdits(model);
  const change = useChange(model);
  const taken = !table && model.tables.some((t) => t.name.toLowerCase() === name.trim().toLowerCase());
  const can = !busy && !change.busy && !taken && name.trim() !== '' && sound;
  const save = async () => {
    const how = kind === 'formula' ? { formula } : { origin };
    if (table) {
      if (await change.ask({ kind: 'remake_table', name: table.name, ...how })) kept.drop();
      return;
    }
    if (!(await edit({ kind: 'make_table', table: { name: name.trim(), ...how } }))) return;
    kept.drop();
    actions.set({ table: name.trim(), shapeView: 'rows', selection: { kind: 'table', name: name.trim() } });
    focusSoon('.side-tables [aria-current="true"]');
  };
  const make = async (whole: Edit) => {
    if (!(await edit(whole))) return;
    kept.drop();
    change.clear();
  };
  useSaver(() => can && void save(), kept.changed);
  return { busy, can, taken, change, save, make, remove: () => table && void change.ask({ kind: 'drop_table', name: table.name }) };
}

function Maker({ model, table }: { model: ModelDocument; table: TableInfo | null }) {
  const making = useMaking(model, table);
  const maker = useMaker(model, table, making);
  const { kept, write, rows, computed } = making;
  const { kind, name } = kept.value;
  return (
    <>
      {maker.change.box && (
        <ConsequencesBox model={model} box={maker.change.box} onMake={(e) => void maker.make(e)} onLeave={maker.change.clear} />
      )}
      {!table && (
        <div className="cards" style={{ marginBottom: 14 }}>
          {KINDS.map(([k, words, help]) => (
            <button
              key={k}
              type="button"
              className="card"
              aria-pressed={kind === k}
              onClick={() => write({ kind: k, origin: blank(k, model), name: words })}
            >
              <b>{words}</b>
              <span className="quiet">{help}</span>
            </button>
          ))}
        </div>
      )}
      <div className="make">
        <div>
          {table ? (
            <h2>{table.name}</h2>
          ) : (
            <label>
              Name
              <input className="field" value={name} onChange={(e) => write({ name: e.target.value })} />
            </label>
          )}
          {maker.taken && <p className="signal">There is a table of this name already.</p>}
          <KindForm model={model} {...kept.value} write={write} />
          <div className="row" style={{ marginTop: 12 }}>
            <button type="button" className="pill solid" disabled={!maker.can} title="Ctrl S" onClick={() => void maker.save()}>
              {table ? 'Keep the change' : `Make ${name.trim() || 'it'}`}
            </button>
            {table && (
              <button type="button" className="pill" disabled={maker.busy} onClick={maker.remove}>
                Remove {table.name}
              </button>
            )}
            {kept.changed && (
              <button type="button" className="pill" onClick={kept.drop}>
                {table ? 'As it was' : 'Throw it away'}
              </button>
            )}
          </div>
        </div>
        <div>{kind === 'formula' ? <ComputedPreview computed={computed} most={40} /> : <MadeRows made={rows} />}</div>
      </div>
    </>
  );
}

function KindForm({ model, kind, origin, formula, write }: Begun & { model: ModelDocument; write: (part: Partial<Begun>) => void }) {
  const onChange = (next: Origin) => write({ origin: next });
  switch (kind) {
    case 'calendar':
      return <CalendarForm model={model} origin={origin} onChange={onChange} />;
    case 'bands':
      return <BandsForm origin={origin} onChange={onChange} />;
    case 'list':
      return <ListForm origin={origin} onChange={onChange} />;
    case 'parameter':
      return <ParameterForm origin={origin} onChange={onChange} />;
    default:
      return (
        <label>
          Formula of its rows
          <textarea
            className="field mono"
            rows={4}
            spellCheck={false}
            value={formula}
            placeholder="every Table where measure > 1000"
            onChange={(e) => write({ formula: e.target.value })}
          />
          <span className="quiet">
            It follows the model: every load and every step computes it again. Link it by a key, or leave it as a list to choose from.
          </span>
        </label>
      );
  }
}

/** The rows that a table would have, or what keeps it from being made. */
function MadeRows({ made }: { made: ReturnType<typeof useMade> }) {
  if (made.isError)
    return (
      <p className="signal" role="alert">
        {made.error.message}
      </p>
    );
  if (!made.data) return null;
  return (
    <>
      <h3>{counted(made.data.size, 'row')}</h3>
      <p className="quiet">{made.data.means}</p>
      <PreviewRows label="Its rows" columns={made.data.columns} rows={made.data.rows} />
    </>
  );
}
