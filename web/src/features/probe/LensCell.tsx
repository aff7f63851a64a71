// Why a cell shows its number, step by step: what is asked for, each edit, the filters running, what stopped, the sum.
import { RuledBy } from '../people/RuledBy';
import { useQueryClient } from '@tanstack/react-query';
import { useState, type KeyboardEvent, type ReactNode } from 'react';
import {
  Refusal,
  type Coordinate,
  type Into,
  type ModelDocument,
  type Probe,
  type Scalar,
  type TraceAnswer,
  type TraceNode,
  type TruthMark,
} from '../../api/client';
import { useGrid, useTrace } from '../../api/queries';
import { actions } from '../../app/shown';
import { askedProbe, useProbe } from './store';
import { columnName, columnText, measureText, memberText, nameText } from '../../shared/format';
import { OpeningLine } from '../link/OpeningLine';
import { CellsBeside } from './CellsBeside';
import { MARK_WORDS } from './MarkNotes';
import { pickText } from './pickText';
import { Edits, Rows, Runs, Stops } from './TraceSteps';
import { Sums } from './UsedRows';
import './probe.css';
import { useProve } from '../prove/store';
import { fromCells } from '../prove/checkModel';
import { BesideThen, HeldBy } from '../prove/HeldBy';
import { useHold } from '../prove/useHold';
import { AskedNow, Stopped } from '../sql/AskedNow';
import { showSql } from '../sql/store';

interface Step {
  key: string;
  depth: number;
  title: ReactNode;
  body: ReactNode;
}

export interface CellAsked {
  probe: Probe;
  measure: string;
  at: Coordinate[];
  into: Into[];
}

const MANY = 9;

export function LensCell({ model, measure, at }: { model: ModelDocument; measure: string; at: Coordinate[] }) {
  const probe = useProbe((s) => s.probe);
  const other = useProbe((s) => s.other);
  const wanted = probe ? { ...askedProbe(probe), sort: [], top: undefined } : null;
  // A row gone into belongs to one cell of one version; another cell starts at its own root.
  const cell = JSON.stringify([model.version, measure, at, wanted]);
  const [entered, setEntered] = useState<{ cell: string; rows: Into[] }>({ cell, rows: [] });
  const into = entered.cell === cell ? entered.rows : [];
  const setInto = (rows: Into[]) => setEntered({ cell, rows });
  const release = useProve((s) => s.asOf);
  const queries = useQueryClient();
  const trace = useTrace(model, wanted, measure, at, into, release);
  const stays = model.tables.some((t) => t.stays);
  const asked = (
    <AskedNow
      model={model}
      waits={trace.isFetching && stays}
      onStop={() => void queries.cancelQueries({ queryKey: ['trace', model.id] })}
    />
  );
  if (trace.isPending)
    return trace.isFetching ? (
      <>
        <p className="wait">Tracing the cell…</p>
        {asked}
      </>
    ) : (
      <Stopped of="the cell is not traced" onAgain={() => void trace.refetch()} />
    );
  if (trace.error || !wanted)
    return (
      <div role="alert">
        <h2>{nameText(measure)}</h2>
        <p className="signal">It cannot be computed: {trace.error?.message}</p>
        {trace.error instanceof Refusal &&
          trace.error.problem.errors.map((e) => (
            <p key={e.code + e.message} className="quiet">
              {e.mend}
            </p>
          ))}
      </div>
    );
  return (
    <div aria-busy={trace.isFetching}>
      {asked}
      {trace.isPlaceholderData && !trace.isFetching && <Stopped of="this is the cell before" onAgain={() => void trace.refetch()} />}
      <Head model={model} trace={trace.data} measure={measure} at={at} />
      <RuledBy model={model} />
      <CellMarks model={model} measure={measure} at={at} />
      {release === null && probe && <HeldBy model={model} probe={askedProbe(probe)} measure={measure} at={at} />}
      {release !== null && probe && (
        <BesideThen
          model={model}
          probe={askedProbe(probe)}
          measure={measure}
          at={at}
          then={{ release }}
          sides={[`release ${release}`, 'draft']}
        />
      )}
      {trace.data.emptied && (
        <p className="emptied" data-testid="emptied">
          <b>Empty, and here is why:</b> {trace.data.emptied.sentence}
        </p>
      )}
      {trace.data.within?.map((w, i) => (
        <div key={`${w.path}:${w.key}`} className="quiet" style={{ marginBottom: 4 }}>
          in the row <b>{w.row.cells.map(columnText).join(', ')}</b>, worth {columnText(w.row.value)}{' '}
          <button type="button" className="plain" onClick={() => setInto(into.slice(0, i))}>
            <u>leave it</u>
          </button>
        </div>
      ))}
      {other && <CellsBeside model={model} probe={wanted} first={{ measure, at }} second={other} />}
      {trace.data.tree.text && <div className="formula-box">{trace.data.tree.text}</div>}
      <StepList key={cell} model={model} trace={trace.data} cell={{ probe: wanted, measure, at, into }} setInto={setInto} />
      <WhyNot model={model} trace={trace.data} measure={measure} />
    </div>
  );
}

function valueText(value: TraceNode['value'], dtype: string, format = ''): string {
  return value !== null && typeof value === 'object' ? `fails: ${value.message}` : measureText(value, format, dtype) || '(empty)';
}

function useFormat(model: ModelDocument, measure: string): string {
  const look = useProbe((s) => s.probe?.look);
  return look?.formats?.[measure] ?? model.measures.find((m) => m.name === measure)?.format ?? '';
}

function Head({ model, trace, measure, at }: { model: ModelDocument; trace: TraceAnswer; measure: string; at: Coordinate[] }) {
  const format = useFormat(model, measure);
  const [choosing, setChoosing] = useState(false);
  const open = useProbe((s) => s.probe);
  const shown = open && askedProbe(open);
  const { hold } = useHold(model);
  const names = [...new Set([...(shown?.measures ?? []), ...model.measures.map((m) => m.name)])].filter((m) => m !== measure);
  return (
    <>
      <h2>
        {nameText(measure)}
        {at.length ? `, ${at.map((c) => memberText(c.member)).join(', ')}` : ''}
      </h2>
      <div className="row" style={{ justifyContent: 'space-between', marginBottom: 6 }}>
        <b data-testid="trace-value" style={{ fontSize: 16 }}>
          {valueText(trace.value, trace.tree.dtype, format)}
        </b>
        <span className="row">
          {trace.value === null || typeof trace.value !== 'object' ? (
            <button
              type="button"
              className="plain"
              title="Makes a check: this cell stays what it is"
              onClick={() => shown && void hold(fromCells(model, shown, [{ measure, at, value: trace.value as Scalar }]))}
            >
              <u>hold it</u>
            </button>
          ) : null}
          {shown && (
            <button
              type="button"
              className="plain"
              title="This cell as one SQL statement, and what PostgreSQL gives for it"
              onClick={() => showSql(shown, { measure, at })}
            >
              <u>as SQL</u>
            </button>
          )}
          <button type="button" className="plain" aria-expanded={choosing} onClick={() => setChoosing(!choosing)}>
            <u>set beside</u>
          </button>
          <button type="button" className="plain" onClick={() => void navigator.clipboard?.writeText(window.location.href)}>
            <u>copy link</u>
          </button>
        </span>
      </div>
      {choosing && (
        <p className="quiet">
          Another cell: choose it with Shift held. Another measure here:{' '}
          <select
            className="field short"
            aria-label="Another measure beside"
            value=""
            onChange={(e) => {
              actions.set({ other: { measure: e.target.value, at } });
              setChoosing(false);
            }}
          >
            <option value="">choose</option>
            {names.map((m) => (
              <option key={m}>{m}</option>
            ))}
          </select>
        </p>
      )}
    </>
  );
}

/** The marks that this cell carries in the grid. */
function CellMarks({ model, measure, at }: { model: ModelDocument; measure: string; at: Coordinate[] }) {
  const probe = useProbe((s) => s.probe);
  const release = useProve((s) => s.asOf);
  const answer = useGrid(model, probe ? askedProbe(probe) : null, release).data;
  const asMeasure = answer?.measures.find((m) => m.name === measure);
  if (!answer || !asMeasure) return null;
  const fits = (names: string[], line: { kind: string; value?: unknown }[]) =>
    names.every((name, i) => {
      const mine = at.find((c) => c.column === name);
      const member = line[i];
      return (
        member &&
        (mine
          ? JSON.stringify([mine.member.kind, mine.member.value ?? null]) === JSON.stringify([member.kind, member.value ?? null])
          : member.kind === 'total')
      );
    });
  const has = (mark: TruthMark) =>
    mark.cells.length === 0 ||
    mark.cells.some(
      ([r = 0, c = 0]) =>
        fits(answer.rows.columns, answer.rows.lines[r] ?? []) && fits(answer.columns.columns, answer.columns.lines[c] ?? []),
    );
  const marks = asMeasure.marks.filter((m) => (m.kind === 'overridden' ? at.some((c) => m.columns.includes(c.column)) : has(m)));
  if (marks.length === 0) return null;
  return (
    <ul className="plain-list cell-marks">
      {marks.map((m) => (
        <li key={m.kind + m.sentence}>
          <button type="button" className="plain" onClick={() => actions.select({ kind: 'mark', measure, mark: m.kind, at })}>
            <b className="signal">{MARK_WORDS[m.kind]}</b> <span>{m.sentence}</span>
          </button>
        </li>
      ))}
    </ul>
  );
}

interface StepsProps {
  model: ModelDocument;
  trace: TraceAnswer;
  cell: CellAsked;
  setInto: (rows: Into[]) => void;
}

/** The tree of a trace as a list of steps in the order in which they are computed. */
function stepsOf({ model, trace, cell, setInto }: StepsProps): Step[] {
  const { measure, at, into } = cell;
  const steps: Step[] = [
    {
      key: 'asked',
      depth: 0,
      title: 'The cell and the page ask for',
      body: (
        <>
          {at.length === 0 && 'no coordinate: the whole'}
          {at.map((c) => (
            <div key={c.column}>
              {columnName(c.column)} <b>{memberText(c.member)}</b>
            </div>
          ))}
          {cell.probe.picks.map((p) => (
            <div key={JSON.stringify(p)}>{pickText(p)}</div>
          ))}
        </>
      ),
    },
  ];
  const walk = (node: TraceNode, path: string, name: string, depth: number) => {
    const add = (key: string, title: ReactNode, body: ReactNode) => steps.push({ key, depth, title, body });
    if (node.kind === 'given') {
      add(path, <>{nameText(name)} changes the context</>, <Edits node={node} />);
      node.edits.forEach((e, i) => e.children.forEach((child, j) => walk(child, `${path} e${i} ${j}`, child.name ?? name, depth + 1)));
    } else if (node.kind === 'aggregate') {
      add(`${path} run`, 'Filters run', <Runs node={node} />);
      if (node.blocked.length > 0) add(`${path} stop`, 'Stopped', <Stops node={node} model={model} />);
      add(
        `${path} sum`,
        'Arithmetic on what is left',
        <Sums model={model} node={node} cell={cell} value={valueText(node.value, node.dtype)} />,
      );
    } else if (node.kind === 'iteration' || node.kind === 'rank') {
      add(
        `${path} rows`,
        <>Row by row: {valueText(node.value, node.dtype)}</>,
        <Rows rows={node.iteration} formula={node.text} enter={(key) => setInto([...into, { path: node.path, key }])} />,
      );
    } else if (node.kind === 'question') {
      add(path, <>The context is asked: {valueText(node.value, node.dtype)}</>, <div className="formula-box">{node.text}</div>);
    } else if (node.kind !== 'row' && path !== '0') {
      const format = model.measures.find((m) => m.name === node.name)?.format ?? '';
      add(
        path,
        <>
          {nameText(node.name ?? '')} is {valueText(node.value, node.dtype, format)}
        </>,
        <div className="formula-box">{node.text}</div>,
      );
    }
    const below = node.kind === 'aggregate' || path === '0' ? depth : depth + 1;
    node.children.forEach((child, i) => walk(child, `${path} ${i}`, node.name ?? name, below));
  };
  walk(trace.tree, '0', measure, 0);
  return steps;
}

/** Up and down go from step to step, right and left fold out and in. */
function StepList(props: StepsProps) {
  const { model, trace, cell } = props;
  const steps = stepsOf(props);
  const format = useFormat(model, cell.measure);
  const [shut, setShut] = useState<ReadonlySet<string>>(
    () => new Set(steps.length > MANY ? steps.filter((s) => s.depth > 1 && s.key.endsWith('stop')).map((s) => s.key) : []),
  );
  const put = (key: string, open: boolean) => {
    const next = new Set(shut);
    if (open) next.delete(key);
    else next.add(key);
    setShut(next);
  };
  const onKey = (event: KeyboardEvent<HTMLOListElement>) => {
    const head = (event.target as HTMLElement).closest<HTMLElement>('.step-head');
    if (!head) return;
    const heads = [...event.currentTarget.querySelectorAll<HTMLElement>('.step-head')];
    const place = heads.indexOf(head);
    if (event.key === 'ArrowDown') heads[place + 1]?.focus();
    else if (event.key === 'ArrowUp') heads[place - 1]?.focus();
    else if (event.key === 'ArrowRight') put(head.dataset.step ?? '', true);
    else if (event.key === 'ArrowLeft') put(head.dataset.step ?? '', false);
    else return;
    event.preventDefault();
  };
  return (
    // The list hears the arrows of the headings in it.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <ol className="steps" aria-label="Steps" onKeyDown={onKey}>
      {steps.map((step, i) => {
        const open = !shut.has(step.key);
        return (
          <li key={step.key} className="told" style={{ paddingLeft: Math.min(step.depth, 4) * 9 }}>
            <span className="no">{i + 1}</span>
            <div>
              <h3>
                <button
                  type="button"
                  className="plain step-head"
                  data-step={step.key}
                  aria-expanded={open}
                  onClick={() => put(step.key, !open)}
                >
                  {step.title}
                  <span className="quiet" aria-hidden>
                    {open ? '' : ' …'}
                  </span>
                </button>
              </h3>
              {open && step.body}
            </div>
          </li>
        );
      })}
      <li className="told">
        <span className="no">{steps.length + 1}</span>
        <div>
          <span className="big">{valueText(trace.value, trace.tree.dtype, format)}</span>{' '}
          <span className="quiet">
            traced in {trace.milliseconds.toFixed(0)} ms on version {model.version}
          </span>
        </div>
      </li>
    </ol>
  );
}

/** From any table: why a filter on it does not reach what is added up here. */
function WhyNot({ model, trace, measure }: { model: ModelDocument; trace: TraceAnswer; measure: string }) {
  const [from, setFrom] = useState('');
  const scan = firstScan(trace.tree);
  if (!scan) return null;
  const reached = new Set(scan.tables.map((t) => t.table));
  const grain = scan.arithmetic?.grain ?? '';
  const isSaved = model.measures.some((m) => m.name === measure);
  return (
    <div className="why-not">
      <label className="quiet">
        Why does a filter on{' '}
        <select
          className="field short"
          aria-label="A table whose filter does not reach"
          value={from}
          onChange={(e) => setFrom(e.target.value)}
        >
          <option value="">a table</option>
          {model.tables
            .filter((t) => t.name !== grain)
            .map((t) => (
              <option key={t.name} value={t.name}>
                {t.name}
                {reached.has(t.name) ? ' (it reaches)' : ''}
              </option>
            ))}
        </select>{' '}
        not reach {grain}?
      </label>
      {from &&
        (reached.has(from) ? (
          <p>It does here: it is among the filters that run above.</p>
        ) : (
          <OpeningLine model={model} from={from} to={grain} measure={isSaved ? measure : null} />
        ))}
    </div>
  );
}

function firstScan(node: TraceNode): TraceNode | null {
  if (node.kind === 'aggregate' && node.arithmetic) return node;
  for (const child of node.children) {
    const scan = firstScan(child);
    if (scan) return scan;
  }
  return null;
}
