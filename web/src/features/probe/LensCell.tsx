// Why a cell shows its number, step by step: what is asked for, each edit, the filters running, what stopped, the sum.
import { useState, type ReactNode } from 'react';
import { Refusal, type EditTold, type Into, type Member, type ModelDocument, type RowsTold, type Stop, type TraceNode } from '../../api/client';
import { useTrace } from '../../api/queries';
import { askedProbe, useShown } from '../../app/shown';
import { ChangeMark } from '../../marks/Marks';
import { allowedText, columnName, columnText, count, measureText, memberText, nameText } from '../../shared/format';
import { stopWords } from '../link/LensTable';
import { pickText } from './Sentence';
import { SmallStar } from './SmallStar';

interface Step {
  key: string;
  title: ReactNode;
  body: ReactNode;
}

export function LensCell({ model, measure, at }: { model: ModelDocument; measure: string; at: { column: string; member: Member }[] }) {
  const probe = useShown((s) => s.probe);
  const asked = probe ? { ...askedProbe(probe), sort: [] } : null;
  // A row gone into belongs to one cell of one version; another cell starts at its own root.
  const cell = JSON.stringify([model.version, measure, at, asked]);
  const [entered, setEntered] = useState<{ cell: string; rows: Into[] }>({ cell, rows: [] });
  const into = entered.cell === cell ? entered.rows : [];
  const setInto = (rows: Into[]) => setEntered({ cell, rows });
  const trace = useTrace(model, asked, measure, at, into);
  const known = model.measures.find((m) => m.name === measure);
  if (trace.isPending) return <p className="wait">Tracing the cell…</p>;
  if (trace.error)
    return (
      <div role="alert">
        <h2>{nameText(measure)}</h2>
        <p className="signal">It cannot be computed: {trace.error.message}</p>
        {trace.error instanceof Refusal && trace.error.problem.errors.map((e) => <p key={e.code + e.message} className="quiet">{e.mend}</p>)}
      </div>
    );
  const told = trace.data;
  const text = (value: TraceNode['value'], dtype: string, format = '') =>
    value !== null && typeof value === 'object' ? `fails: ${value.message}` : measureText(value, format, dtype) || '(empty)';
  const steps: Step[] = [];
  const where = at.map((c) => memberText(c.member)).join(', ');
  steps.push({
    key: 'asked',
    title: 'The cell and the page ask for',
    body: (
      <>
        {at.length === 0 && 'no coordinate: the whole'}
        {at.map((c) => (
          <div key={c.column}>
            {columnName(c.column)} <b>{memberText(c.member)}</b>
          </div>
        ))}
        {asked?.picks.map((p) => <div key={JSON.stringify(p)}>{pickText(p)}</div>)}
      </>
    ),
  });
  const walk = (node: TraceNode, path: string, name: string) => {
    if (node.kind === 'given') {
      steps.push({ key: path, title: <>{nameText(name)} changes the context</>, body: <Edits node={node} /> });
      node.edits.forEach((e, i) => e.children.forEach((child, j) => walk(child, `${path} e${i} ${j}`, child.name ?? name)));
    } else if (node.kind === 'aggregate') {
      steps.push({ key: `${path} run`, title: 'Filters run', body: <Runs node={node} /> });
      if (node.blocked.length > 0) steps.push({ key: `${path} stop`, title: 'Stopped', body: <Stops node={node} model={model} /> });
      steps.push({ key: `${path} sum`, title: 'Arithmetic on what is left', body: <Sums node={node} value={text(node.value, node.dtype)} /> });
    } else if (node.kind === 'iteration' || node.kind === 'rank') {
      steps.push({
        key: `${path} rows`,
        title: <>Row by row: {text(node.value, node.dtype)}</>,
        body: <Rows told={node.iteration} formula={node.text} enter={(key) => setInto([...into, { path: node.path, key }])} />,
      });
    } else if (node.kind === 'question') {
      steps.push({ key: path, title: <>The context is asked: {text(node.value, node.dtype)}</>, body: <div className="formula-box">{node.text}</div> });
    } else if (node.kind !== 'row' && path !== '0') {
      const format = model.measures.find((m) => m.name === node.name)?.format ?? '';
      steps.push({ key: path, title: <>{nameText(node.name ?? '')} is {text(node.value, node.dtype, format)}</>, body: <div className="formula-box">{node.text}</div> });
    }
    node.children.forEach((child, i) => walk(child, `${path} ${i}`, node.name ?? name));
  };
  walk(told.tree, '0', measure);
  return (
    <div aria-busy={trace.isFetching}>
      <h2>
        {nameText(measure)}
        {where ? `, ${where}` : ''}
      </h2>
      <div className="row" style={{ justifyContent: 'space-between', marginBottom: 6 }}>
        <b data-testid="trace-value" style={{ fontSize: 16 }}>{text(told.value, told.tree.dtype, known?.format)}</b>
        <button type="button" className="plain" onClick={() => void navigator.clipboard?.writeText(window.location.href)}>
          <u>copy link</u>
        </button>
      </div>
      {told.within?.map((w, i) => (
        <div key={`${w.path}:${w.key}`} className="quiet" style={{ marginBottom: 4 }}>
          in the row <b>{w.row.cells.map(columnText).join(', ')}</b>, worth {columnText(w.row.value)}{' '}
          <button type="button" className="plain" onClick={() => setInto(into.slice(0, i))}><u>leave it</u></button>
        </div>
      ))}
      {told.tree.text && <div className="formula-box">{told.tree.text}</div>}
      <ol style={{ listStyle: 'none', padding: 0, margin: 0 }}>
        {steps.map((step, i) => (
          <li key={step.key} className="told">
            <span className="no">{i + 1}</span>
            <div>
              <h3>{step.title}</h3>
              {step.body}
            </div>
          </li>
        ))}
        <li className="told">
          <span className="no">{steps.length + 1}</span>
          <div>
            <span className="big">{text(told.value, told.tree.dtype, known?.format)}</span>{' '}
            <span className="quiet">traced in {told.milliseconds.toFixed(0)} ms on version {model.version}</span>
          </div>
        </li>
      </ol>
    </div>
  );
}

function Edits({ node }: { node: TraceNode }) {
  const kept = node.filters.filter((f) => !node.edits.some((e) => e.changes.some((c) => c.column.startsWith(`${f.table}.`))));
  return (
    <>
      {node.edits.map((edit) => (
        <div key={edit.text} style={{ marginBottom: 6 }}>
          <code className="measure-ink">{edit.text}</code>
          {edit.kind === 'via' || edit.kind === 'flow' || edit.kind === 'match' ? <LinkEdit edit={edit} /> : <Changes edit={edit} />}
          {edit.rows && <Rows told={edit.rows} formula={edit.rows.over} />}
        </div>
      ))}
      {kept.length > 0 && (
        <div className="changes">
          {kept.flatMap((f) => f.columns).map((c) => [
            <ChangeMark key={`${c.column} m`} kind="kept" />, <span key={`${c.column} n`}>{columnName(c.column)}</span>,
            <span key={`${c.column} b`} className="quiet">{allowedText(c)}</span>, <span key={`${c.column} a`}>kept</span>,
          ])}
        </div>
      )}
    </>
  );
}

function LinkEdit({ edit }: { edit: EditTold }) {
  if (edit.kind === 'match')
    return <div className="quiet">Filters on <b>{edit.from}</b> run to <b>{edit.to}</b> here, as over a loose link.</div>;
  if (edit.kind === 'flow') {
    const way = edit.way === 'off' ? 'carries no filter' : edit.way === 'two-way' ? 'carries filters both ways' : `carries filters to ${edit.way}`;
    return <div className="quiet">The link <b>{edit.link}</b> {way} here.</div>;
  }
  return (
    <div className="quiet">
      The link <b>{edit.link}</b> is on here{edit.instead_of?.length ? `, ${edit.instead_of.join(' and ')} off` : ''}.
    </div>
  );
}

/** The rows run over: the first, the largest and the smallest; each can be gone into. */
function Rows({ told, formula, enter }: { told: RowsTold | null | undefined; formula: string; enter?: (key: number) => void }) {
  if (!told) return <div className="formula-box">{formula}</div>;
  const valued = told.rows.some((r) => r.value !== null);
  const more = told.rows_total - told.rows.length;
  return (
    <>
      <div><code>{formula}</code> over <b>{count(told.rows_total)}</b> rows</div>
      {told.rows.length > 0 && (
        <div style={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label="The rows run over">
          <table>
            <thead>
              <tr>
                {told.columns.map((c) => <th key={c} className="quiet">{columnName(c)}</th>)}
                {valued && <th className="num quiet">each</th>}
                {enter && <th />}
              </tr>
            </thead>
            <tbody>
              {told.rows.map((row) => (
                <tr key={row.key}>
                  {row.cells.map((v, j) => <td key={told.columns[j]}>{columnText(v)}</td>)}
                  {valued && <td className="num">{columnText(row.value)}</td>}
                  {enter && <td><button type="button" className="plain" onClick={() => enter(row.key)}><u>why</u></button></td>}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {more > 0 && <div className="quiet">and {count(more)} more</div>}
    </>
  );
}

function Changes({ edit }: { edit: EditTold }) {
  if (edit.changes.length === 0) return <div className="quiet">It meets no filter here, and changes nothing.</div>;
  return (
    <div className="changes">
      {edit.changes.map((c) => [
        <ChangeMark key={`${c.column} m`} kind={c.kind} />, <span key={`${c.column} n`}>{columnName(c.column)}</span>,
        <span key={`${c.column} b`} className="quiet">{allowedText(c.before)}</span>, <b key={`${c.column} a`}>{allowedText(c.after)}</b>,
      ])}
    </div>
  );
}

function Runs({ node }: { node: TraceNode }) {
  return (
    <>
      <SmallStar node={node} />
      {node.flows.length === 0 && <p className="quiet">No filter of another table comes here.</p>}
      {node.flows.length > 0 && (
        <table>
          <tbody>
            {node.flows.map((f) => (
              <tr key={f.link}>
                <td>
                  over <b>{f.link}</b> <span className="quiet">to {f.to}{f.how === 'loose' ? ', loosely' : f.how === 'up' ? ', upwards' : ''}</span>
                </td>
                <td className="num">{count(f.rows_before)} › {count(f.rows_after)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

/** What a filter did not reach the scanned table for comes first; the links beside it that simply run another way fold away. */
function Stops({ node, model }: { node: TraceNode; model: ModelDocument }) {
  const select = useShown((s) => s.select);
  const line = (stop: Stop) => (
    <span key={`${stop.link}${stop.from}`} style={{ display: 'block', color: 'var(--ink)' }}>
      {stop.to ? <>before <b>{stop.to}</b>, coming from {stop.from}: </> : <>at <b>{stop.from}</b>: </>}
      {stop.link && model.links.some((k) => k.name === stop.link) ? (
        <button type="button" className="plain" onClick={() => select({ kind: 'link', name: stop.link ?? '' })}><u>{stop.link}</u></button>
      ) : null}{' '}
      <span className="quiet">{stopWords(stop)}</span>
    </span>
  );
  // Links with a filtered table on one side that simply lead elsewhere fold away.
  const near = node.blocked.filter((b) => b.reason !== 'one-way' && (b.to === node.arithmetic?.grain || b.reason === 'no link'));
  const rest = node.blocked.filter((b) => !near.includes(b));
  return (
    <>
      {node.unreached?.map((u) => (
        <p key={u.table} className="signal" style={{ marginBottom: 4 }}>
          The filter on <b>{u.table}</b> does not reach {node.arithmetic?.grain}. {u.stops.length ? '' : 'Nothing leads there.'}
          {u.stops.map((s) => (
            <span key={`${s.link}${s.to}`} style={{ display: 'block' }}>{line(s)}</span>
          ))}
          {(u.mends?.length ?? 0) > 0 && <span style={{ display: 'block', color: 'var(--ink)' }}>It would with <code>given ({u.mends?.join(', ')})</code></span>}
        </p>
      ))}
      {near.filter((b) => !node.unreached?.some((u) => u.stops.some((s) => s.link === b.link))).map(line)}
      {rest.length > 0 && (
        <details>
          <summary className="quiet">
            {near.length || node.unreached?.length ? 'and ' : ''}
            {rest.length} link{rest.length > 1 ? 's' : ''} that lead elsewhere
          </summary>
          {rest.map(line)}
        </details>
      )}
    </>
  );
}

function Sums({ node, value }: { node: TraceNode; value: string }) {
  const sums = node.arithmetic;
  if (!sums) return null;
  const more = sums.rows_used - sums.rows.length;
  return (
    <>
      <div>
        <code>{node.text}</code> over <b>{count(sums.rows_used)}</b> of {count(sums.rows_total)} rows of {sums.grain} is <b>{value}</b>
        {sums.rows_used < sums.rows_visible && <span className="quiet"> ({count(sums.rows_visible - sums.rows_used)} more are visible and left out by its where)</span>}
      </div>
      {sums.rows.length > 0 && (
        <div style={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label="The first rows">
          <table>
            <thead>
              <tr>
                {sums.columns.map((c) => <th key={c} className="quiet">{c.split('.')[1]}</th>)}
                {sums.values && sums.columns.length > 2 && <th className="num quiet">each</th>}
              </tr>
            </thead>
            <tbody>
              {sums.rows.map((row, i) => (
                <tr key={JSON.stringify(row) + String(i)}>
                  {row.map((v, j) => <td key={sums.columns[j]}>{columnText(v)}</td>)}
                  {sums.values && sums.columns.length > 2 && <td className="num">{columnText(sums.values[i])}</td>}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {more > 0 && <span className="quiet">{count(more)} more</span>}
    </>
  );
}
