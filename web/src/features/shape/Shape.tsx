// Shape: a table's rows under its columns, its steps at the side; two keys side by side; tables that are made here.
import { useDebouncedValue } from '@mantine/hooks';
import { useMemo, useState } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { useFrame } from '../../app/frame';
import { actions } from '../../app/shown';
import { type ShapeView, useShape } from './store';
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
import { useCoverage } from '../prove/requests';

const VIEWS: [ShapeView, string][] = [
  ['rows', 'Rows and steps'],
  ['keys', 'Keys that do not match'],
  ['make', 'Make a table'],
];

export function Shape({ model }: { model: ModelDocument }) {
  const chosen = useShape((s) => s.table);
  const view = useShape((s) => s.shapeView);
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
          <p className="pad empty-place">There are no tables yet. Gather some files first, or make a table here.</p>
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
  const namesBefore = new Set(before.flatMap(names).map((n) => JSON.stringify(n)));
  const fresh = after.flatMap(names).filter((n) => !namesBefore.has(JSON.stringify(n)));
  const rest = after.flatMap((s) => {
    const left = names(s).filter((n) => namesBefore.has(JSON.stringify(n)));
    return s.kind !== 'rename' || s.off ? [s] : left.length ? [{ ...s, names: Object.fromEntries(left) }] : [];
  });
  return fresh.length === 1 && JSON.stringify(rest) === JSON.stringify(before) ? fresh[0] : undefined;
}

/** The steps as they are being written, where one stands in them, and what they do. */
function useStepBench(model: ModelDocument, table: TableInfo) {
  const kept = table.steps as Step[];
  const written = useKept<Step[]>(model.id, 'steps', table.name, kept);
  const [at, setAt] = useState<number | null>(null);
  const [open, setOpen] = useState(false);
  const steps = written.value;
  const [tried] = useDebouncedValue(steps, 250);
  const shown = at === null ? null : Math.min(at, tried.length);
  const answer = useSteps(model, table.name, tried, shown);
  // What the step being written starts from: the columns before it.
  const before = useSteps(model, table.name, tried, at === null ? 0 : Math.max(at - 1, 0));
  const outcomes = tried === steps ? (answer.data?.steps ?? []) : [];
  const put = (next: Step[]) => written.put(next);
  const goTo = (place: number | null) => {
    setAt(place);
    setOpen(place !== null && place > 0);
  };
  const drop = () => {
    written.drop();
    goTo(null);
  };
  // As the model has them, computed columns among them, unless steps are looked at one by one.
  const live = Boolean(table.formula) || (!written.changed && (at === null || at === steps.length));
  const isSettled = tried === steps && !answer.isFetching && !outcomes.some((t) => t.state === 'wrong');
  return {
    kept,
    written,
    steps,
    put,
    drop,
    at,
    goTo,
    open,
    close: () => setOpen(false),
    tried,
    shown,
    answer,
    before,
    outcomes,
    live,
    isSettled,
  };
}

type StepBench = ReturnType<typeof useStepBench>;

/** Puts a new step where one stands, begun with the column that is chosen. */
function addStep(model: ModelDocument, table: TableInfo, bench: StepBench, kind: string, chosen: string | null): void {
  const start = stepKind(kind);
  const { steps, at, answer } = bench;
  if (!start || !answer.data) return;
  const place = at ?? steps.length;
  const shown = answer.data.columns.some((c) => c.name === chosen) ? chosen : null;
  const looked = model.links.filter((k) => k.to_table === table.name && k.from_table !== table.name);
  bench.put([...steps.slice(0, place), start.start(answer.data.columns, shown, looked), ...steps.slice(place)]);
  bench.goTo(place + 1);
}

/** Keeping the steps, with what follows from them; a name that is meant everywhere is offered as one. */
function useKeepSteps(model: ModelDocument, table: TableInfo, bench: StepBench) {
  const { written, steps, kept } = bench;
  const { edit, busy } = useEdits(model);
  const change = useChange(model);
  const done = (ok: unknown) => {
    if (!ok) return;
    change.clear();
    written.drop();
  };
  const keep = async () => {
    if (await change.ask({ kind: 'shape_table', name: table.name, steps })) written.drop();
  };
  // A step that does nothing but give a column another name: what is meant is the name, in all that has it.
  const named = newName(kept, steps);
  const everywhere = named && {
    words: `Rename ${named[0]} to ${named[1]} everywhere`,
    go: () =>
      void edit({ kind: 'rename', what: 'column', name: `${quotedName(table.name)}.${quotedName(named[0])}`, to: named[1] }).then(done),
  };
  const can = written.changed && !busy && !change.busy && bench.isSettled && !written.theirs;
  useSaver(() => can && void keep(), written.changed);
  return { change, can, keep, everywhere, make: (whole: Edit) => void edit(whole).then(done) };
}

function TableBench({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const bench = useStepBench(model, table);
  const keeping = useKeepSteps(model, table, bench);
  return (
    <>
      <div className="side shape-side" data-region>
        <Tables model={model} table={table} />
        <BenchSide model={model} table={table} bench={bench} />
        {bench.written.changed && (
          <div className="keep-bar">
            <button type="button" className="pill solid" disabled={!keeping.can} title="Ctrl S" onClick={() => void keeping.keep()}>
              Keep the steps
            </button>
            <button
              type="button"
              className="pill"
              onClick={() => {
                bench.drop();
                keeping.change.clear();
              }}
            >
              Drop the changes
            </button>
          </div>
        )}
      </div>
      <BenchMain model={model} table={table} bench={bench} keeping={keeping} />
    </>
  );
}

/** The table's steps, or what makes its rows. */
function BenchSide({ model, table, bench }: { model: ModelDocument; table: TableInfo; bench: StepBench }) {
  const selection = useFrame((s) => s.selection);
  const chosen = selection?.kind === 'column' && selection.table === table.name ? selection.name : null;
  const { steps, answer, outcomes, at, goTo } = bench;
  const coverage = useCoverage(model).data;
  const noticed = useMemo(() => {
    const mine = coverage?.old ? [] : (coverage?.changes ?? []).filter((c) => c.about === `table ${table.name}` && c.step !== null);
    return new Map(mine.map((c) => [c.step ?? 0, c]));
  }, [coverage, table.name]);
  const remake = (words: string) => (
    <button type="button" className="plain signal" onClick={() => actions.set({ shapeView: 'remake' })}>
      {words}
    </button>
  );
  return (
    <>
      {table.stays && (
        <p className="made-here">
          Its {count(table.rows)} rows stay in {table.from_text}. Some of them are shown, and it is these that the headings tell of; the one
          step there is gives columns other names.
        </p>
      )}
      {isMade(table) && <p className="made-here">Made here. {remake('Change how it is made')}</p>}
      {table.formula ? (
        <p className="quiet pad">
          {table.name} is computed by a formula. {remake('Change the formula')}
        </p>
      ) : (
        <Steps
          steps={steps}
          outcomes={outcomes}
          start={answer.data ? { rows: answer.data.start.rows, columns: answer.data.start.columns.length } : null}
          at={at}
          noticed={noticed}
          onAt={goTo}
          onSteps={bench.put}
          onAdd={(kind) => addStep(model, table, bench, kind, chosen)}
        />
      )}
    </>
  );
}

interface MainGiven {
  model: ModelDocument;
  table: TableInfo;
  bench: StepBench;
  keeping: ReturnType<typeof useKeepSteps>;
}

/** The rows, with what has to be known before: another's steps, what follows from a change, the step that is open. */
function BenchMain({ model, table, bench, keeping }: MainGiven) {
  const { written, kept, steps, answer, before, outcomes, at, live, tried, shown } = bench;
  const current = at ? steps[at - 1] : undefined;
  return (
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
      {keeping.change.box && (
        <ConsequencesBox
          model={model}
          box={keeping.change.box}
          instead={keeping.everywhere}
          onMake={keeping.make}
          onLeave={keeping.change.clear}
        />
      )}
      {answer.isError && !table.formula && <p className="pad signal">{answer.error.message}</p>}
      {current && bench.open && before.data && (
        <StepEditor
          model={model}
          table={table.name}
          columns={before.data.columns}
          step={current}
          outcome={outcomes[(at ?? 1) - 1]}
          onChange={(step) => bench.put(steps.map((s, i) => (i === (at ?? 1) - 1 ? step : s)))}
          onClose={bench.close}
        />
      )}
      {live && <Rows shown={{ model, table: table.name, steps: null, at: null }} columns={table.columns} size={table.rows} />}
      {!live && answer.data && (
        <Rows shown={{ model, table: table.name, steps: tried, at: shown }} columns={answer.data.columns} size={answer.data.size} />
      )}
      {answer.isPending && !live && <p className="pad wait">Reading the rows…</p>}
    </div>
  );
}
