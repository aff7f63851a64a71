// What a load changes, before it replaces anything; what it would break, with what would mend that.
import type { Comparison, ErrorItem, ModelDocument, Scalar } from '../../api/client';
import { count, counted, measureText } from '../../shared/format';
import type { Mend } from './requests';
import { ChecksMoved } from '../link/Outcome';

function mendsFor(model: ModelDocument, broken: ErrorItem): { label: string; mend: Mend }[] {
  const link = model.links.find((k) => k.name === broken.in);
  const table = model.tables.find((t) => t.name === (link ? link.to_table : broken.in));
  const key = link ? link.to_columns : (table?.key ?? []);
  const once: { label: string; mend: Mend }[] =
    table && (broken.code === 'repeated_key' || broken.code === 'broken_key')
      ? [
          {
            label: `keep the first of each ${key.join(', ')}`,
            mend: { kind: 'change_table', name: table.name, set: { steps: [...table.steps, { kind: 'remove_repeats', columns: key }] } },
          },
        ]
      : [];
  if (!link)
    return table && broken.code === 'broken_key'
      ? [...once, { label: `give up the key of ${table.name}`, mend: { kind: 'change_table', name: table.name, set: { key: [] } } }]
      : [];
  const mends = [{ label: `remove the link ${link.name}`, mend: { kind: 'remove_link', name: link.name } as Mend }];
  if (broken.code === 'repeated_key')
    mends.unshift({
      label: `make ${link.name} many-to-many`,
      mend: { kind: 'change_link', name: link.name, set: { cardinality: 'many-to-many' } },
    });
  return [...once, ...mends];
}

interface Given {
  model: ModelDocument;
  comparison: Comparison | undefined;
  pending: boolean;
  error: Error | null;
  mends: Mend[];
  onMends: ((m: Mend[]) => void) | null;
}

export function ComparisonView({ model, comparison, pending, error, mends, onMends }: Given) {
  if (error) return <p className="signal">{error.message}</p>;
  if (!comparison) return pending ? <p className="wait">Comparing with what is here…</p> : null;
  const { links, measures, probes, breaks, loosens } = comparison;
  const changes = [links, measures, probes, breaks, loosens, comparison.checks].some((x) => x.length > 0);
  const mend = (broken: ErrorItem) =>
    onMends &&
    mendsFor(model, broken).map((m) => (
      <button key={m.label} type="button" className="pill small" onClick={() => onMends([...mends, m.mend])}>
        take it and {m.label}
      </button>
    ));
  return (
    <div className="comparison" aria-label="What it would change" role="region">
      <h3>What it would change</h3>
      {breaks.length > 0 && (
        <div className="wrong-box">
          <b>This load is held: it would break something. The old rows stay in force.</b>
          {breaks.map((b) => (
            <div key={b.in + b.message} className="row">
              <span>
                {b.message} {b.mend}
              </span>
              {mend(b)}
            </div>
          ))}
        </div>
      )}
      {loosens.map((b) => (
        <div key={b.in + b.message} className="row">
          <span>
            {b.message} The link {b.in} would be loose: nothing is looked up over it. {b.mend}
          </span>
          {mend(b)}
        </div>
      ))}
      {mends.length > 0 && onMends && (
        <p>
          With it: {mends.map((m) => mendText(m)).join(', ')}.{' '}
          <button type="button" className="plain signal" onClick={() => onMends([])}>
            not so
          </button>
        </p>
      )}
      <Changed comparison={comparison} />
      <ChecksMoved moved={comparison.checks} />
      {!changes && <p className="quiet">No link, measure, probe or check changes.</p>}
    </div>
  );
}

/** Tables, links, measures and probes, each with what it was and what it becomes. */
function Changed({ comparison }: { comparison: Comparison }) {
  return (
    <table className="told-table">
      <tbody>
        {comparison.tables.map((t) => (
          <ChangedTable key={t.table} table={t} />
        ))}
        {comparison.links.map((k) => (
          <tr key={k.link}>
            <td className="quiet">link</td>
            <td>{k.link}</td>
            <td>
              {change(k.matched, 'rows match')}, {change(k.orphans, 'without partner')}
            </td>
            <td>{k.firm[0] !== k.firm[1] && <span className="signal">{k.firm[1] ? 'becomes firm' : 'becomes loose'}</span>}</td>
          </tr>
        ))}
        {comparison.measures.map((m) => (
          <tr key={m.measure}>
            <td className="quiet">measure</td>
            <td className="measure-ink">{m.measure}</td>
            <td>
              {shown(m.before, m.format)} › <b>{shown(m.after, m.format)}</b>
            </td>
            <td className="quiet">over everything</td>
          </tr>
        ))}
        {comparison.probes.map((p) => (
          <tr key={p.probe}>
            <td className="quiet">probe</td>
            <td>{p.probe}</td>
            <td>{p.error ? <span className="signal">{p.error}</span> : `${count(p.changed)} of ${count(p.cells)} cells differ`}</td>
            <td />
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function ChangedTable({ table }: { table: Comparison['tables'][number] }) {
  const { gone, new: fresh, retyped } = table.columns;
  const listed: [string, string[]][] = [
    ['gone', gone],
    ['new', fresh.map((c) => `${c.name} (${c.type})`)],
    ['another type', retyped.map((c) => `${c.name} ${c.from} › ${c.to}`)],
  ];
  const broken = table.key.broken[1];
  return (
    <tr>
      <td>
        <b>{table.table}</b>
      </td>
      <td>{change(table.rows, 'rows')}</td>
      <td>
        {listed.map(
          ([words, columns]) =>
            columns.length > 0 && (
              <div key={words}>
                {words}: <span className="mono">{columns.join(', ')}</span>
              </div>
            ),
        )}
        {listed.every(([, columns]) => columns.length === 0) && <span className="quiet">the same columns</span>}
      </td>
      <td>
        {table.key.key.length > 0 &&
          (broken ? <span className="signal">{counted(broken, 'row')} break the key</span> : <span className="quiet">its key holds</span>)}
      </td>
    </tr>
  );
}

function mendText(mend: Mend): string {
  if (mend.kind === 'remove_link') return `the link ${String(mend.name)} goes`;
  if (mend.kind === 'change_link') return `${String(mend.name)} becomes many-to-many`;
  return 'steps' in (mend.set as object)
    ? `a step of ${String(mend.name)} keeps the first of repeated rows`
    : `${String(mend.name)} no longer has a key`;
}

function change([before = 0, after = 0]: number[], words: string) {
  if (before === after) return `${count(after)} ${words}`;
  return (
    <>
      {count(before)} › <b>{count(after)}</b> {words}
    </>
  );
}

function shown(value: Scalar, format: string): string {
  return typeof value === 'string' ? value : measureText(value, format, 'number');
}
