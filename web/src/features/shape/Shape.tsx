// Shape: a table's rows under its columns, its steps at the side; two keys side by side; tables that are made here.
import { useDebouncedValue } from '@mantine/hooks';
import { useState } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { actions, useShown, type ShapeView } from '../../app/shown';
import { RoleMark } from '../../marks/Marks';
import { count } from '../../shared/format';
import { isMade } from '../gather/TableCards';
import { ConsequencesBox, useChange } from './Consequences';
import { KeysBench } from './KeysBench';
import { MakeBench } from './MakeBench';
import { Rows } from './Rows';
import { StepEditor } from './StepEditor';
import { Steps } from './Steps';
import { useSteps, type Step } from './requests';
import { stepKind } from './stepKinds';

const VIEWS: [ShapeView, string][] = [['rows', 'Rows and steps'], ['keys', 'Keys that do not match'], ['make', 'Make a table']];

export function Shape({ model }: { model: ModelDocument }) {
  const chosen = useShown((s) => s.table);
  const view = useShown((s) => s.shapeView);
  const { set } = actions;
  const table = model.tables.find((t) => t.name === chosen) ?? model.tables[0];
  return (
    <div className="shape">
      <div className="shape-top">
        <div className="segment" role="group" aria-label="What the bench shows">
          {VIEWS.map(([v, words]) => (
            <button key={v} type="button" aria-pressed={view === v || (v === 'make' && view === 'remake')} onClick={() => set({ shapeView: v })}>
              {words}
            </button>
          ))}
        </div>
      </div>
      {view === 'rows' && (table ? <TableBench key={table.name} model={model} table={table} /> : <p className="pad empty-place">There is no table yet. Gather some files first, or make a table here.</p>)}
      {view === 'keys' && <KeysBench model={model} />}
      {(view === 'make' || view === 'remake') && <MakeBench model={model} table={view === 'remake' && table && (isMade(table) || table.formula) ? table : null} />}
    </div>
  );
}

function Tables({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const { set, select } = actions;
  return (
    <nav aria-label="Tables" className="side-tables">
      {model.tables.map((t) => (
        <button
          key={t.name}
          type="button"
          className="side-item"
          aria-current={t.name === table.name}
          onClick={() => {
            set({ table: t.name });
            select({ kind: 'table', name: t.name });
          }}
        >
          <RoleMark role={t.role} />
          <span className="clip">{t.name}</span>
          <span className="end">{t.steps.length ? `${t.steps.length} ›` : ''} {count(t.rows)}</span>
        </button>
      ))}
    </nav>
  );
}

function TableBench({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const kept = table.steps as Step[];
  const [draft, setDraft] = useState<Step[] | null>(null);
  const [at, setAt] = useState<number | null>(null);
  const [open, setOpen] = useState(false);
  const selection = useShown((s) => s.selection);
  const { edit, busy } = useEdits(model);
  const change = useChange(model);
  const steps = draft ?? kept;
  const [tried] = useDebouncedValue(steps, 250);
  const shown = at === null ? null : Math.min(at, tried.length);
  const answer = useSteps(model, table.name, tried, shown);
  // What the step being written starts from: the columns before it.
  const before = useSteps(model, table.name, tried, at === null ? 0 : Math.max(at - 1, 0));
  const told = answer.data?.steps ?? [];
  const wrong = told.some((t) => t.state === 'wrong');
  const dirty = draft !== null && JSON.stringify(draft) !== JSON.stringify(kept);
  const current = at ? steps[at - 1] : undefined;
  // As the model has them, computed columns among them, unless steps are looked at one by one.
  const live = Boolean(table.formula) || (draft === null && (at === null || at === steps.length));
  const add = (kind: string) => {
    const start = stepKind(kind);
    if (!start || !answer.data) return;
    const place = at ?? steps.length;
    const column = selection?.kind === 'column' && selection.table === table.name ? selection.name : null;
    const known = answer.data.columns.some((c) => c.name === column) ? column : null;
    setDraft([...steps.slice(0, place), start.start(answer.data.columns, known), ...steps.slice(place)]);
    setAt(place + 1);
    setOpen(true);
  };
  const keep = async () => {
    const done = await change.ask({ kind: 'shape_table', name: table.name, steps });
    if (done) setDraft(null);
  };
  return (
    <>
      <div className="side shape-side">
        <Tables model={model} table={table} />
        {isMade(table) && (
          <p className="made-here">
            Made here. <button type="button" className="plain signal" onClick={() => actions.set({ shapeView: 'remake' })}>Change how it is made</button>
          </p>
        )}
        {table.formula ? (
          <p className="quiet pad">
            {table.name} is computed by a formula. <button type="button" className="plain signal" onClick={() => actions.set({ shapeView: 'remake' })}>Change the formula</button>
          </p>
        ) : (
          <Steps
            steps={steps}
            told={tried === steps ? told : []}
            start={answer.data ? { rows: answer.data.start.rows, columns: answer.data.start.columns.length } : null}
            at={at}
            onAt={(n) => {
              setAt(n);
              setOpen(n !== null && n > 0);
            }}
            onSteps={setDraft}
            onAdd={add}
          />
        )}
        {dirty && (
          <div className="keep-bar">
            <button type="button" className="pill solid" disabled={busy || change.busy || wrong || answer.isFetching || tried !== steps} onClick={() => void keep()}>
              Keep the steps
            </button>
            <button type="button" className="pill" onClick={() => { setDraft(null); setAt(null); setOpen(false); change.clear(); }}>
              Drop the changes
            </button>
          </div>
        )}
      </div>
      <div className="shape-main">
        {change.box && <ConsequencesBox model={model} box={change.box} onMake={(e: Edit) => void edit(e).then((ok) => { if (ok) { change.clear(); setDraft(null); } })} onLeave={change.clear} />}
        {answer.isError && !table.formula && <p className="pad signal">{answer.error.message}</p>}
        {current && open && before.data && (
          <StepEditor model={model} table={table.name} columns={before.data.columns} step={current} told={tried === steps ? told[(at ?? 1) - 1] : undefined} onChange={(step) => setDraft(steps.map((s, i) => (i === (at ?? 1) - 1 ? step : s)))} onClose={() => setOpen(false)} />
        )}
        {live ? (
          <Rows shown={{ model, table: table.name, steps: null, at: null }} columns={table.columns} size={table.rows} />
        ) : (
          answer.data && <Rows shown={{ model, table: table.name, steps: tried, at: shown }} columns={answer.data.columns} size={answer.data.size} />
        )}
        {answer.isPending && !live && <p className="pad wait">Reading the rows…</p>}
      </div>
    </>
  );
}
