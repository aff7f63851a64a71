// The arithmetic of a step with its rows: the first, then all of them page by page, ordered, and out as CSV.
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type ModelDocument, type Scalar, type TraceNode } from '../../api/client';
import { columnText, count, splitReference } from '../../shared/format';
import type { CellAsked } from './LensCell';
import { useProve } from '../prove/store';

const PAGE = 25;

export function Sums({ model, node, cell, value }: { model: ModelDocument; node: TraceNode; cell: CellAsked; value: string }) {
  const [all, setAll] = useState(false);
  const sums = node.arithmetic;
  if (!sums) return null;
  const more = sums.rows_used - sums.rows.length;
  const own = node.kind === 'aggregate' && sums.function !== 'the' && sums.function !== 'single';
  return (
    <>
      <div>
        <code>{node.text}</code> over <b>{count(sums.rows_used)}</b> of {count(sums.rows_total)} rows of {sums.grain}
        {sums.rows_filled !== null && sums.rows_filled !== undefined && sums.rows_filled < sums.rows_used && (
          <>
            , of which <b>{count(sums.rows_filled)}</b> {sums.rows_filled === 1 ? 'has' : 'have'} a value,
          </>
        )}{' '}
        is <b>{value}</b>
        {sums.rows_used < sums.rows_visible && (
          <span className="quiet"> ({count(sums.rows_visible - sums.rows_used)} more are visible and left out by its where)</span>
        )}
      </div>
      {sums.hint && <p>{sums.hint}</p>}
      {all ? (
        <UsedRows model={model} cell={cell} path={node.path} />
      ) : (
        sums.rows.length > 0 && (
          <RowsTable
            columns={sums.columns}
            rows={sums.rows}
            values={sums.columns.length > 2 || !own ? (sums.values ?? null) : null}
            label="The first rows"
          />
        )
      )}
      <span className="row">
        {more > 0 && !all && <span className="quiet">{count(more)} more</span>}
        {own && sums.rows_used > 0 && (
          <button type="button" className="plain" onClick={() => setAll(!all)}>
            <u>{all ? 'only the first rows' : 'page through them'}</u>
          </button>
        )}
      </span>
    </>
  );
}

interface TableProps {
  columns: string[];
  rows: Scalar[][];
  values: Scalar[] | null;
  label: string;
  order?: { by: string; descending: boolean };
  onOrder?: (by: string) => void;
}

function RowsTable({ columns, rows, values, label, order, onOrder }: TableProps) {
  const head = (name: string, text: string) =>
    onOrder ? (
      <button type="button" className="plain" onClick={() => onOrder(name)}>
        {text}
        {order?.by === name ? (order.descending ? ' ↓' : ' ↑') : ''}
      </button>
    ) : (
      text
    );
  return (
    // It scrolls, so it can be reached.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
    <div style={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label={label}>
      <table className="used-rows">
        <thead>
          <tr>
            {columns.map((c) => (
              <th key={c} className="quiet">
                {head(c, (splitReference(c)[1] || c).replaceAll('_', ' '))}
              </th>
            ))}
            {values && <th className="num quiet">{head('each', 'each')}</th>}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            <tr key={JSON.stringify(row) + String(i)}>
              {row.map((v, j) => (
                <td key={columns[j]}>{columnText(v)}</td>
              ))}
              {values && <td className="num">{columnText(values[i])}</td>}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function UsedRows({ model, cell, path }: { model: ModelDocument; cell: CellAsked; path: string }) {
  const [start, setStart] = useState(0);
  const [order, setOrder] = useState({ by: '', descending: false });
  const release = useProve((s) => s.asOf);
  const body = {
    release,
    probe: { ...cell.probe },
    measure: cell.measure,
    at: cell.at,
    into: cell.into,
    path,
    by: order.by,
    descending: order.descending,
  };
  const query = useQuery({
    queryKey: ['used-rows', model.id, model.version, body, start],
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/trace/rows', {
          params: { path: { model_id: model.id } },
          body: { ...body, start, count: PAGE },
          signal,
        }),
      ),
  });
  if (!query.data) return <p className="wait">{query.error ? query.error.message : 'Reading the rows…'}</p>;
  const answer = query.data;
  const turn = (by: string) => {
    setStart(0);
    setOrder(order.by === by ? (order.descending ? { by: '', descending: false } : { by, descending: true }) : { by, descending: false });
  };
  return (
    <div aria-busy={query.isFetching}>
      <RowsTable columns={answer.columns} rows={answer.rows} values={answer.values} label="The rows used" order={order} onOrder={turn} />
      <div className="row pager">
        <button type="button" className="pill small" disabled={start === 0} onClick={() => setStart(Math.max(0, start - PAGE))}>
          before
        </button>
        <span className="quiet">
          {count(answer.start + 1)} to {count(answer.start + answer.rows.length)} of {count(answer.total)}
        </span>
        <button type="button" className="pill small" disabled={start + PAGE >= answer.total} onClick={() => setStart(start + PAGE)}>
          after
        </button>
        <a href={`/api/models/${model.id}/trace/rows.csv?${new URLSearchParams({ rows: JSON.stringify(body) }).toString()}`} download>
          all as CSV
        </a>
      </div>
    </div>
  );
}
