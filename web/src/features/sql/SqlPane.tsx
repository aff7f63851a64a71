// A grid or a cell as SQL, below the bench: the statement, whose dialect it is in, and what PostgreSQL gives for it beside what stands here.
import { useEffect, useMemo, useState } from 'react';
import { Refusal, type ModelDocument, type ProveAnswer, type ValueBeside } from '../../api/client';
import { columnName, columnText, count, measureText, memberText, nameText } from '../../shared/format';
import { askedProbe, useProbe } from '../probe/store';
import { useProve } from '../prove/store';
import { useAnswered, usePlanThere, useStatement, type StatementAsked } from './requests';
import { closeSql, useSql, type SqlAsked } from './store';
import { piecesOf } from './words';
import './sql.css';

export function SqlPane({ model }: { model: ModelDocument }) {
  const asked = useSql((s) => s.sql);
  return asked && <Pane model={model} asked={asked} />;
}

function useAsked(asked: SqlAsked): StatementAsked | null {
  const open = useProbe((s) => s.probe);
  const release = useProve((s) => s.asOf);
  return useMemo(() => {
    const probe = asked.probe ?? (open && askedProbe(open));
    if (!probe || probe.measures.length === 0) return null;
    if (!asked.cell) return { probe, at: null, release };
    return { probe: { ...probe, measures: [asked.cell.measure], sort: [], top: undefined, having: [] }, at: asked.cell.at, release };
  }, [asked, open, release]);
}

function titleOf(asked: StatementAsked): string {
  const { probe, at } = asked;
  const measures = probe.measures.map(nameText).join(', ');
  if (at) return `${measures} at ${at.map((c) => memberText(c.member)).join(', ') || 'the whole'}`;
  const columns = [...(probe.rows ?? []), ...(probe.columns ?? [])].map(columnName);
  return columns.length ? `${measures} by ${columns.join(', ')}` : measures;
}

function Pane({ model, asked }: { model: ModelDocument; asked: SqlAsked }) {
  const wanted = useAsked(asked);
  const dialect = useSql((s) => s.dialect);
  const statement = useStatement(model, wanted, dialect);
  const answered = useAnswered(model);
  const [said, setSaid] = useState('');
  const key = JSON.stringify([wanted, model.version]);
  const plan = usePlanThere(model);
  const { reset } = answered;
  const forgetPlan = plan.reset;
  useEffect(reset, [key, reset]);
  useEffect(forgetPlan, [key, forgetPlan]);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.key === 'Escape' && !event.defaultPrevented && target.closest('.sql-pane')) closeSql();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  });
  const copy = (text: string) => {
    void navigator.clipboard.writeText(text).then(
      () => setSaid('copied'),
      () => setSaid('The browser keeps the clipboard to itself.'),
    );
    setTimeout(() => setSaid(''), 3000);
  };
  return (
    <section className="sql-pane" data-region aria-label="As SQL">
      <header className="row">
        <b className="sql-title">{wanted ? titleOf(wanted) : 'Nothing is asked for'}, as SQL</b>
        {statement.data?.place && <span className="quiet">asked in {statement.data.place}</span>}
        {(statement.data?.dialects.length ?? 0) > 1 && !statement.data?.place && (
          <span className="segment" role="group" aria-label="Whose SQL">
            {(statement.data?.dialects ?? []).map((d) => (
              <button key={d.name} type="button" aria-pressed={d.name === dialect} onClick={() => useSql.setState({ dialect: d.name })}>
                {d.title}
              </button>
            ))}
          </span>
        )}
        <span className="quiet" role="status">
          {said || (statement.data && `written in ${statement.data.milliseconds.toFixed(0)} ms`)}
        </span>
        <span className="grow" />
        <button type="button" className="plain" disabled={!statement.data} onClick={() => copy(statement.data?.text ?? '')}>
          <u>copy</u>
        </button>
        {statement.data?.place && (
          <button type="button" className="plain" disabled={!wanted || plan.isPending} onClick={() => wanted && plan.mutate(wanted)}>
            <u>{plan.isPending ? 'asking…' : 'how it goes about it'}</u>
          </button>
        )}
        <button
          type="button"
          className="pill small solid"
          disabled={!wanted || answered.isPending}
          title={
            statement.data?.place
              ? 'Takes the rows in for this once and holds the numbers of there against theirs'
              : 'Runs it in the PostgreSQL beside the store and holds its numbers against those that stand here'
          }
          onClick={() => wanted && answered.mutate(wanted)}
        >
          {proveWords(statement.data?.place ?? '', answered.isPending)}
        </button>
        <button type="button" className="plain sql-close" aria-label="Close the SQL" title="Close" onClick={closeSql}>
          ×
        </button>
      </header>
      <div className={answered.data || plan.data ? 'sql-body beside' : 'sql-body'}>
        {statement.error ? (
          <div className="pad" role="alert">
            <p className="signal">{statement.error.message}</p>
            {statement.error instanceof Refusal &&
              statement.error.problem.errors.map((e) => (
                <p key={e.code + e.message} className="quiet">
                  {e.mend}
                </p>
              ))}
          </div>
        ) : (
          <Statement text={statement.data?.text ?? ''} />
        )}
        {plan.data && !answered.data && (
          // It scrolls, so it can be reached.
          // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
          <pre className="sql-text mono" tabIndex={0} aria-label="How it is gone about there">
            {plan.data.text}
          </pre>
        )}
        {answered.data && <Beside model={model} answer={answered.data} />}
      </div>
    </section>
  );
}

function proveWords(place: string, busy: boolean): string {
  if (place) return busy ? 'Taking the rows in…' : 'Hold it against its rows';
  return busy ? 'PostgreSQL answers…' : 'Prove it in PostgreSQL';
}

function Statement({ text }: { text: string }) {
  const pieces = useMemo(() => piecesOf(text), [text]);
  return (
    // It scrolls, so it can be reached.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
    <pre className="sql-text mono" tabIndex={0} aria-label="The statement">
      {pieces.map((p, i) =>
        p.kind === 'plain' ? (
          p.text
        ) : (
          // Two pieces may be the same word.
          // oxlint-disable-next-line react/no-array-index-key
          <span key={i} className={`sql-${p.kind}`}>
            {p.text}
          </span>
        ),
      )}
    </pre>
  );
}

const text = (value: unknown): string =>
  value === null || value === undefined
    ? '(empty)'
    : typeof value === 'object'
      ? 'error' in value
        ? `fails: ${String(value.error)}`
        : '(unmatched)'
      : columnText(value as string | number | boolean);

function Beside({ model, answer }: { model: ModelDocument; answer: ProveAnswer }) {
  const look = useProbe((s) => s.probe?.look);
  const format = (name: string) => look?.formats?.[name] ?? model.measures.find((m) => m.name === name)?.format ?? '';
  // What is the same is written as people write it; what differs to its last digit.
  const shown = (v: ValueBeside, value: unknown) =>
    v.same && (typeof value === 'number' || value === null) ? measureText(value, format(v.measure), 'number') || '(empty)' : text(value);
  const { proof, lines } = answer;
  const columns = [...new Set(lines.flatMap((l) => Object.keys(l.at)))];
  const measures = lines[0]?.values.map((v) => v.measure) ?? [];
  return (
    // It scrolls, so it can be reached.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
    <div className="sql-beside" tabIndex={0} role="region" aria-label="Here and there">
      <p>
        <b className={proof.state === 'proven' ? 'fact-ink' : 'signal'}>
          {proof.state === 'proven' ? '✓ ' : proof.state === 'differs' ? '✗ ' : '! '}
          {proof.sentence}
        </b>{' '}
        <span className="quiet">
          {proof.by}, {(proof.milliseconds ?? 0).toFixed(0)} ms
        </span>
      </p>
      <table className="small-grid">
        <thead>
          <tr>
            {columns.map((c) => (
              <th key={c} rowSpan={2} className="member">
                {columnName(c)}
              </th>
            ))}
            {measures.map((m) => (
              <th key={m} colSpan={2} className="side-head">
                {nameText(m)}
              </th>
            ))}
          </tr>
          <tr>
            {measures.flatMap((m) => [
              <th key={`${m} here`} className="side-first quiet">
                here
              </th>,
              <th key={`${m} there`} className="quiet">
                there
              </th>,
            ])}
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <tr key={JSON.stringify(line.at)} className={Object.keys(line.at).length < columns.length ? 'whole' : ''}>
              {columns.map((c) => (
                <td key={c} className="member">
                  {c in line.at ? text(line.at[c]) : 'total'}
                </td>
              ))}
              {line.values.flatMap((v) => [
                <td key={`${v.measure} here`} className="side-first">
                  {shown(v, v.ours)}
                </td>,
                <td key={`${v.measure} there`} className={v.same === false ? 'differs' : v.same === null ? 'quiet' : ''}>
                  {v.same === false && <span aria-label="differs">≠ </span>}
                  {v.same === null ? 'not compared' : shown(v, v.theirs)}
                </td>,
              ])}
            </tr>
          ))}
        </tbody>
      </table>
      {proof.cells > lines.length * Math.max(measures.length, 1) && (
        <p className="quiet">
          The first {count(lines.length)} lines; all {count(proof.cells)} cells were compared.
        </p>
      )}
    </div>
  );
}
