// Shape: a table's rows under its columns, its steps at the side; two keys side by side; tables that are made here.
import { useDebouncedValue } from '@mantine/hooks';
import { useState } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { actions, useShown, type ShapeView } from '../../app/shown';
import { RoleMark } from '../../marks/Marks';
import { count, quotedName } from '../../shared/format';
import { draftNames, useKept, useKeptDrafts } from '../../shared/kept';
import { useSaver } from '../../shared/saver';
import { isMade } from '../gather/TableCards';
import { stepWords } from '../lineage/StoryView';
import { Meanwhile } from '../measure/Meanwhile';
import { ConsequencesBox, useChange } from './Consequences';
import { KeysBench } from './KeysBench';
import { MakeBench } from './MakeBench';
import { Rows } from './Rows';
import { StepEditor } from './StepEditor';
import { Steps } from './Steps';
import { useSteps, type Step } from './requests';
import { stepKind } from './stepKinds';

const VIEWS: [ShapeView, string][] = [
  ['rows', 'Rows and steps'],
  ['keys', 'Keys that do not match'],
  ['make', 'Make a table'],
];

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
            <button
              key={v}
              type="button"
              aria-pressed={view === v || (v === 'make' && view === 'remake')}
              onClick={() => set({ shapeView: v })}
            >
              {words}
            </button>
          ))}
        </div>
      </div>
      {view === 'rows' &&
        (table ? (
          <TableBench key={table.name} model={model} table={table} />
        ) : (
          <p className="pad empty-place">There is no table yet. Gather some files first, or make a table here.</p>
        ))}
      {view === 'keys' && <KeysBench model={model} />}
      {(view === 'make' || view === 'remake') && (
        <MakeBench model={model} table={view === 'remake' && table && (isMade(table) || table.formula) ? table : null} />
      )}
    </div>
  );
}

function Tables({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const { set, select } = actions;
  const drafts = new Set(
    draftNames(
      useKeptDrafts((s) => s.drafts),
      model.id,
      'steps',
    ),
  );
  return (
    <nav aria-label="Tables" className="side-tables" data-region>
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
          <span className="clip">
            {t.name}
            {drafts.has(t.name) && (
              <span className="signal" title="Steps that are not kept yet">
                {' '}
                •
              </span>
            )}
          </span>
          <span className="end">
            {t.steps.length ? `${t.steps.length} ›` : ''} {count(t.rows)}
          </span>
        </button>
      ))}
    </nav>
  );
}

function StepList({ steps }: { steps: Step[] }) {
  // Steps have no name of their own; their place is what they are.
  return steps.length ? (
    <ol className="step-list">
      {steps.map((s, i) => (
        <li key={`${i}`}>
          {stepWords(s)}
          {s.off ? ' (off)' : ''}
        </li>
      ))}
    </ol>
  ) : (
    <p className="quiet">no steps</p>
  );
}

/** The one name that steps give beyond those they gave before, where that is all that is new in them. */
function newName(before: Step[], after: Step[]): [string, string] | undefined {
  const names = (s: Step) => (s.kind === 'rename' && !s.off ? Object.entries((s.names ?? {}) as Record<string, string>) : []);
  const known = new Set(before.flatMap(names).map((n) => JSON.stringify(n)));
  const fresh = after.flatMap(names).filter((n) => !known.has(JSON.stringify(n)));
  const rest = after.flatMap((s) => {
    const left = names(s).filter((n) => known.has(JSON.stringify(n)));
    return s.kind !== 'rename' || s.off ? [s] : left.length ? [{ ...s, names: Object.fromEntries(left) }] : [];
  });
  return fresh.length === 1 && JSON.stringify(rest) === JSON.stringify(before) ? fresh[0] : undefined;
}

function TableBench({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const kept = table.steps as Step[];
  const written = useKept<Step[]>(model.id, 'steps', table.name, kept);
  const draft = written.changed ? written.value : null;
  const setDraft = (next: Step[] | null) => (next ? written.put(next) : written.drop());
  const [at, setAt] = useState<number | null>(null);
  const [open, setOpen] = useState(false);
  const selection = useShown((s) => s.selection);
  const { edit, busy } = useEdits(model);
  const change = useChange(model);
  const steps = written.value;
  const [tried] = useDebouncedValue(steps, 250);
  const shown = at === null ? null : Math.min(at, tried.length);
  const answer = useSteps(model, table.name, tried, shown);
  // What the step being written starts from: the columns before it.
  const before = useSteps(model, table.name, tried, at === null ? 0 : Math.max(at - 1, 0));
  const told = answer.data?.steps ?? [];
  const wrong = told.some((t) => t.state === 'wrong');
  const dirty = written.changed;
  const current = at ? steps[at - 1] : undefined;
  // As the model has them, computed columns among them, unless steps are looked at one by one.
  const live = Boolean(table.formula) || (draft === null && (at === null || at === steps.length));
  const add = (kind: string) => {
    const start = stepKind(kind);
    if (!start || !answer.data) return;
    const place = at ?? steps.length;
    const column = selection?.kind === 'column' && selection.table === table.name ? selection.name : null;
    const known = answer.data.columns.some((c) => c.name === column) ? column : null;
    setDraft([
      ...steps.slice(0, place),
      start.start(
        answer.data.columns,
        known,
        model.links.filter((k) => k.to_table === table.name && k.from_table !== table.name),
      ),
      ...steps.slice(place),
    ]);
    setAt(place + 1);
    setOpen(true);
  };
  const keep = async () => {
    const done = await change.ask({ kind: 'shape_table', name: table.name, steps });
    if (done) setDraft(null);
  };
  // A step that does nothing but give a column another name: what is meant is the name, in all that has it.
  const named = newName(kept, steps);
  const everywhere = named && {
    words: `Rename ${named[0]} to ${named[1]} everywhere`,
    go: () =>
      void edit({ kind: 'rename', what: 'column', name: `${quotedName(table.name)}.${quotedName(named[0])}`, to: named[1] }).then((ok) => {
        if (!ok) return;
        change.clear();
        setDraft(null);
      }),
  };
  const can = dirty && !busy && !change.busy && !wrong && !answer.isFetching && tried === steps && !written.theirs;
  useSaver(() => can && void keep(), dirty);
  return (
    <>
      <div className="side shape-side" data-region>
        <Tables model={model} table={table} />
        {isMade(table) && (
          <p className="made-here">
            Made here.{' '}
            <button type="button" className="plain signal" onClick={() => actions.set({ shapeView: 'remake' })}>
              Change how it is made
            </button>
          </p>
        )}
        {table.formula ? (
          <p className="quiet pad">
            {table.name} is computed by a formula.{' '}
            <button type="button" className="plain signal" onClick={() => actions.set({ shapeView: 'remake' })}>
              Change the formula
            </button>
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
            <button type="button" className="pill solid" disabled={!can} title="Ctrl S" onClick={() => void keep()}>
              Keep the steps
            </button>
            <button
              type="button"
              className="pill"
              onClick={() => {
                setDraft(null);
                setAt(null);
                setOpen(false);
                change.clear();
              }}
            >
              Drop the changes
            </button>
          </div>
        )}
      </div>
      <div className="shape-main" data-region>
        {written.theirs && (
          <Meanwhile
            model={model}
            name={table.name}
            theirs={<StepList steps={kept} />}
            mine={<StepList steps={steps} />}
            onTheirs={written.drop}
            onMine={written.rebase}
          />
        )}
        {change.box && (
          <ConsequencesBox
            model={model}
            box={change.box}
            instead={everywhere}
            onMake={(e: Edit) =>
              void edit(e).then((ok) => {
                if (ok) {
                  change.clear();
                  setDraft(null);
                }
              })
            }
            onLeave={change.clear}
          />
        )}
        {answer.isError && !table.formula && <p className="pad signal">{answer.error.message}</p>}
        {current && open && before.data && (
          <StepEditor
            model={model}
            table={table.name}
            columns={before.data.columns}
            step={current}
            told={tried === steps ? told[(at ?? 1) - 1] : undefined}
            onChange={(step) => setDraft(steps.map((s, i) => (i === (at ?? 1) - 1 ? step : s)))}
            onClose={() => setOpen(false)}
          />
        )}
        {live ? (
          <Rows shown={{ model, table: table.name, steps: null, at: null }} columns={table.columns} size={table.rows} />
        ) : (
          answer.data && (
            <Rows shown={{ model, table: table.name, steps: tried, at: shown }} columns={answer.data.columns} size={answer.data.size} />
          )
        )}
        {answer.isPending && !live && <p className="pad wait">Reading the rows…</p>}
      </div>
    </>
  );
}
