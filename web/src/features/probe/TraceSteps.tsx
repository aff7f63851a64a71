// The bodies of a trace's steps: edits with their ledger, rows run over, filters running, stops.
import type { TracedEdit, ModelDocument, TracedRows, Stop, TraceNode } from '../../api/client';
import { actions } from '../../app/shown';
import { ChangeMark } from '../../marks/Marks';
import { allowedText, columnName, columnText, count } from '../../shared/format';
import { stopWords } from '../link/stops';
import { SmallStar, stoppedOf } from './SmallStar';

export function Edits({ node }: { node: TraceNode }) {
  const kept = node.filters.filter((f) => !node.edits.some((e) => e.changes.some((c) => c.column.startsWith(`${f.table}.`))));
  return (
    <>
      {node.edits.map((edit) => (
        <div key={edit.text} style={{ marginBottom: 6 }}>
          <code className="measure-ink">{edit.text}</code>
          {edit.kind === 'via' || edit.kind === 'flow' || edit.kind === 'match' ? <LinkEdit edit={edit} /> : <Changes edit={edit} />}
          {edit.cut && (
            <div className="quiet">
              {edit.cut.rows_before === edit.cut.rows_after
                ? `It takes no row of ${edit.cut.table} away`
                : `It takes ${count(edit.cut.rows_before - edit.cut.rows_after)} of ${count(edit.cut.rows_before)} rows of ${edit.cut.table} away`}
              .
            </div>
          )}
          {edit.rows && <Rows rows={edit.rows} formula={edit.rows.over} />}
        </div>
      ))}
      {kept.length > 0 && (
        <div className="changes">
          {kept
            .flatMap((f) => f.columns)
            .map((c) => [
              <ChangeMark key={`${c.column} m`} kind="kept" />,
              <span key={`${c.column} n`}>{columnName(c.column)}</span>,
              <span key={`${c.column} b`} className="quiet">
                {allowedText(c)}
              </span>,
              <span key={`${c.column} a`}>kept</span>,
            ])}
        </div>
      )}
    </>
  );
}

function LinkEdit({ edit }: { edit: TracedEdit }) {
  if (edit.kind === 'match')
    return (
      <div className="quiet">
        Filters on <b>{edit.from}</b> run to <b>{edit.to}</b> here, as over a loose link.
      </div>
    );
  if (edit.kind === 'flow') {
    const way =
      edit.way === 'off' ? 'carries no filter' : edit.way === 'two-way' ? 'carries filters both ways' : `carries filters to ${edit.way}`;
    return (
      <div className="quiet">
        The link <b>{edit.link}</b> {way} here.
      </div>
    );
  }
  return (
    <div className="quiet">
      The link <b>{edit.link}</b> is on here{edit.instead_of?.length ? `, ${edit.instead_of.join(' and ')} off` : ''}.
    </div>
  );
}

/** The rows run over: the first, the largest and the smallest; each can be gone into. */
export function Rows({ rows, formula, enter }: { rows: TracedRows | null | undefined; formula: string; enter?: (key: number) => void }) {
  if (!rows) return <div className="formula-box">{formula}</div>;
  const valued = rows.rows.some((r) => r.value !== null);
  const more = rows.rows_total - rows.rows.length;
  return (
    <>
      <div>
        <code>{formula}</code> over <b>{count(rows.rows_total)}</b> rows
      </div>
      {rows.rows.length > 0 && (
        <div style={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label="The rows run over">
          <table>
            <thead>
              <tr>
                {rows.columns.map((c) => (
                  <th key={c} className="quiet">
                    {columnName(c)}
                  </th>
                ))}
                {valued && <th className="num quiet">each</th>}
                {enter && <th />}
              </tr>
            </thead>
            <tbody>
              {rows.rows.map((row) => (
                <tr key={row.key}>
                  {row.cells.map((v, j) => (
                    <td key={rows.columns[j]}>{columnText(v)}</td>
                  ))}
                  {valued && <td className="num">{columnText(row.value)}</td>}
                  {enter && (
                    <td>
                      <button type="button" className="plain" onClick={() => enter(row.key)}>
                        <u>why</u>
                      </button>
                    </td>
                  )}
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

function Changes({ edit }: { edit: TracedEdit }) {
  if (edit.changes.length === 0) return <div className="quiet">It meets no filter here, and changes nothing.</div>;
  return (
    <div className="changes">
      {edit.changes.map((c) => [
        <ChangeMark key={`${c.column} m`} kind={c.kind} />,
        <span key={`${c.column} n`}>{columnName(c.column)}</span>,
        <span key={`${c.column} b`} className="quiet">
          {allowedText(c.before)}
        </span>,
        <b key={`${c.column} a`}>{allowedText(c.after)}</b>,
      ])}
    </div>
  );
}

export function Runs({ node }: { node: TraceNode }) {
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
                  over <b>{f.link}</b>{' '}
                  <span className="quiet">
                    to {f.to}
                    {f.how === 'loose' ? ', loosely' : f.how === 'up' ? ', upwards' : ''}
                  </span>
                </td>
                <td className="num">
                  {count(f.rows_before)} › {count(f.rows_after)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

/** What a filter did not reach the scanned table for comes first; the links beside it that simply run another way fold away. */
export function Stops({ node, model }: { node: TraceNode; model: ModelDocument }) {
  const select = actions.select;
  const line = (stop: Stop) => (
    <span key={`${stop.link}${stop.from}`} style={{ display: 'block', color: 'var(--ink)' }}>
      {stop.to ? (
        <>
          before <b>{stop.to}</b>, coming from {stop.from}:{' '}
        </>
      ) : (
        <>
          at <b>{stop.from}</b>:{' '}
        </>
      )}
      {stop.link && model.links.some((k) => k.name === stop.link) ? (
        <button type="button" className="plain" onClick={() => select({ kind: 'link', name: stop.link ?? '' })}>
          <u>{stop.link}</u>
        </button>
      ) : null}{' '}
      <span className="quiet">{stopWords(stop)}</span>
    </span>
  );
  const nearest = stoppedOf(node);
  // Links with a filtered table on one side that simply lead elsewhere fold away.
  const near = node.blocked.filter(
    (b) =>
      b.reason !== 'one-way' &&
      (b.to === node.arithmetic?.grain || b.reason === 'no link') &&
      !nearest.some((s) => s.stop?.link === b.link),
  );
  const rest = node.blocked.filter((b) => !near.includes(b) && !nearest.some((s) => s.stop?.link === b.link));
  return (
    <>
      {node.unreached?.map((u) => (
        <p key={u.table} className="signal" style={{ marginBottom: 4 }}>
          The filter on <b>{u.table}</b> does not reach {node.arithmetic?.grain}. {u.stops.length ? '' : 'Nothing leads there.'}
          {nearest.filter((s) => s.table === u.table && s.stop).map((s) => s.stop && line(s.stop))}
          {(u.mends?.length ?? 0) > 0 && (
            <span style={{ display: 'block', color: 'var(--ink)' }}>
              It would with <code>given ({u.mends?.join(', ')})</code>
            </span>
          )}
        </p>
      ))}
      {near.map(line)}
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
