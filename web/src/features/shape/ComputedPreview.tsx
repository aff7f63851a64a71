// The rows that a formula would make, before it is kept.
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { client, problemOf, unwrap, type ModelDocument, type Scalar } from '../../api/client';
import { columnText, counted } from '../../shared/format';

export function useComputed(model: ModelDocument, formula: string, table: string | null, column: string) {
  const [tried] = useDebouncedValue(formula.trim(), 350);
  const query = useQuery({
    queryKey: ['computed', model.id, model.version, tried, table, column],
    enabled: tried !== '',
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/computed', {
          params: { path: { model_id: model.id } },
          body: { formula: tried, table, column: column || 'value' },
          signal,
        }),
      ),
  });
  return { ...query, sound: formula.trim() !== '' && tried === formula.trim() && query.isSuccess && !query.isFetching };
}

export function ComputedPreview({ computed, most = 12 }: { computed: ReturnType<typeof useComputed>; most?: number }) {
  if (computed.isError) {
    const problem = problemOf(computed.error);
    return (
      <p className="signal" role="alert">
        {problem.errors.map((e) => `${e.message} ${e.mend}`.trim()).join(' ') || problem.detail}
      </p>
    );
  }
  if (!computed.data) return null;
  return (
    <>
      <h3>{counted(computed.data.size, 'row')}</h3>
      <PreviewRows label="What it would be" columns={computed.data.columns} rows={computed.data.rows.slice(0, most)} />
    </>
  );
}

interface RowsProps {
  label: string;
  columns: { name: string; dtype: string }[];
  rows: Scalar[][];
}

/** Some rows of a table that is not made yet. */
export function PreviewRows({ label, columns, rows }: RowsProps) {
  return (
    <div className="read-columns" tabIndex={0} role="region" aria-label={label}>
      <table>
        <thead>
          <tr>
            {columns.map((c) => (
              <th key={c.name}>
                <b>{c.name}</b>
                <small>{c.dtype}</small>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            // Rows have no name; their place is what they are.
            <tr key={`${i}`}>
              {row.map((v, j) => (
                <td key={`${j}`}>{columnText(v)}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
