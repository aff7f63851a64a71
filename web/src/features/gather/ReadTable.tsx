// One table as it was read: its settings, its columns with their types and what did not fit, its first rows. All of it can be corrected.
import { useState } from 'react';
import type { ReadColumn, ReadingItem, ReadsInfo } from '../../api/client';
import { columnText, count } from '../../shared/format';

type Source = Record<string, unknown>;
interface Asked {
  type: string;
  pattern: string;
  decimal: string;
  group: string;
  language: string;
  misfits: string;
}

const TYPES = ['text', 'integer', 'number', 'boolean', 'date', 'datetime'];
const DELIMITERS: [string, string][] = [
  [',', 'comma'],
  [';', 'semicolon'],
  ['\t', 'tab'],
  ['|', 'bar'],
  [':', 'colon'],
];
const ENCODINGS = [
  'utf-8',
  'utf-8-sig',
  'windows-1252',
  'iso-8859-1',
  'iso-8859-15',
  'windows-1250',
  'windows-1251',
  'utf-16',
  'shift_jis',
  'gb18030',
];
const PATTERNS = ['yyyy-MM-dd', 'dd.MM.yyyy', 'd.M.yyyy', 'dd/MM/yyyy', 'MM/dd/yyyy', 'd MMM yyyy', 'yyyyMMdd', 'dd.MM.yy'];

export function ReadTable({ item, onReread }: { item: ReadingItem; onReread: (source: Source) => void }) {
  const [source, setSource] = useState<Source>(item.source);
  const columns = (source.columns ?? {}) as Record<string, Asked>;
  const changed = JSON.stringify(source) !== JSON.stringify(item.source);
  const setColumn = (name: string, asked: Asked | null) => {
    const next = { ...columns };
    if (asked) next[name] = asked;
    else delete next[name];
    setSource({ ...source, columns: next });
  };
  return (
    <div className="read-table">
      <Settings source={source} setSource={setSource} />
      {item.report?.notes.map((n) => (
        <p key={n} className="note">
          {n}
        </p>
      ))}
      {item.report?.broken_rows.map((b) => (
        <p key={b.row} className="note mono">
          {b.message}: {b.text}
        </p>
      ))}
      {item.report && (
        <div className="read-columns" tabIndex={0} role="region" aria-label={`Columns of ${item.name}`}>
          <table>
            <thead>
              <tr>
                {item.report.columns.map((c) => (
                  <th key={c.name}>
                    <ColumnHead
                      column={c}
                      asked={columns[c.name]}
                      onAsk={(a) => setColumn(c.name, a)}
                      typed={source.kind !== 'resource' && source.kind !== 'database'}
                    />
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {item.report.sample.map((row, i) => (
                // The sample is the first rows: their place is what they are.
                <tr key={`${i}`}>
                  {row.map((value, j) => (
                    <td key={`${j}`} className={value === null ? 'quiet' : ''}>
                      {columnText(value)}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {item.report && <Misfits columns={item.report.columns} />}
      <div className="row" style={{ marginTop: 8 }}>
        <button type="button" className={changed ? 'pill solid' : 'pill'} disabled={!changed} onClick={() => onReread(source)}>
          Read again with these settings
        </button>
        {changed && <span className="quiet">The rows above are still those of before.</span>}
      </div>
    </div>
  );
}

function Settings({ source, setSource }: { source: Source; setSource: (s: Source) => void }) {
  const text = (key: string) => (typeof source[key] === 'string' ? (source[key] as string) : '');
  const put = (key: string, value: unknown) => setSource({ ...source, [key]: value });
  const number = (key: string) => (typeof source[key] === 'number' ? String(source[key]) : '');
  const rows = (
    <>
      <label>
        Rows above
        <input
          className="field tiny"
          type="number"
          min={0}
          max={1000}
          value={number('skip')}
          onChange={(e) => put('skip', e.target.value === '' ? null : Number(e.target.value))}
        />
      </label>
      <label>
        Heading rows
        <input
          className="field tiny"
          type="number"
          min={0}
          max={5}
          value={number('header')}
          onChange={(e) => put('header', e.target.value === '' ? null : Number(e.target.value))}
        />
      </label>
    </>
  );
  const missing = (
    <label>
      Means empty
      <input
        className="field"
        value={((source.missing ?? ['']) as string[]).filter(Boolean).join(', ')}
        placeholder="nothing, n/a, -"
        onChange={(e) =>
          put('missing', [
            '',
            ...e.target.value
              .split(',')
              .map((x) => x.trim())
              .filter(Boolean),
          ])
        }
      />
    </label>
  );
  if (source.kind === 'csv')
    return (
      <div className="settings">
        <label>
          Delimiter
          <select className="field" value={text('delimiter')} onChange={(e) => put('delimiter', e.target.value)}>
            {DELIMITERS.map(([value, name]) => (
              <option key={name} value={value}>
                {name}
              </option>
            ))}
          </select>
        </label>
        <label>
          Encoding
          <select className="field" value={text('encoding')} onChange={(e) => put('encoding', e.target.value)}>
            {[...new Set([text('encoding'), ...ENCODINGS])].map((x) => (
              <option key={x} value={x}>
                {x || 'found by itself'}
              </option>
            ))}
          </select>
        </label>
        <label>
          Quote
          <select
            className="field"
            value={text('quote') || (source.quote === undefined ? '"' : '')}
            onChange={(e) => put('quote', e.target.value)}
          >
            <option value={'"'}>double</option>
            <option value="'">single</option>
            <option value="">none</option>
          </select>
        </label>
        {rows}
        <label>
          Broken rows
          <select className="field" value={text('broken_rows') || 'refuse'} onChange={(e) => put('broken_rows', e.target.value)}>
            <option value="refuse">refuse the file</option>
            <option value="leave out">leave them out</option>
          </select>
        </label>
        {missing}
      </div>
    );
  if (source.kind === 'sheet')
    return (
      <div className="settings">
        <label>
          Range
          <input className="field" placeholder="all, or B3:F40" value={text('range')} onChange={(e) => put('range', e.target.value)} />
        </label>
        {rows}
        <label>
          Merged cells
          <select className="field" value={text('merged') || 'first'} onChange={(e) => put('merged', e.target.value)}>
            <option value="first">value in the first</option>
            <option value="all">value in all</option>
          </select>
        </label>
        {Array.isArray(source.sheets) && source.sheets.length > 0 && (
          <label>
            Sheet’s name goes to
            <input
              className="field"
              value={text('sheet_column') || 'sheet'}
              onChange={(e) => put('sheet_column', e.target.value || 'sheet')}
            />
          </label>
        )}
        {missing}
      </div>
    );
  if (source.kind === 'parquet' || source.kind === 'arrow' || source.kind === 'json_lines')
    return (
      <div className="settings">
        <label>
          Lists and structures
          <select className="field" value={text('nested') || 'text'} onChange={(e) => put('nested', e.target.value)}>
            <option value="text">as JSON text</option>
            <option value="leave out">leave them out</option>
          </select>
        </label>
      </div>
    );
  return null;
}

function asAsked(reads: ReadsInfo, misfits: string): Asked {
  return { type: reads.type, pattern: reads.pattern, decimal: reads.decimal, group: reads.group, language: reads.language, misfits };
}

function readsText(reads: ReadsInfo): string {
  const parts = [reads.type as string];
  if (reads.pattern) parts.push(reads.pattern);
  if (reads.decimal === ',') parts.push('decimal comma');
  if (reads.language !== 'en') parts.push(reads.language);
  return parts.join(' ');
}

/** A column's type, what else it could be, and how what does not fit is treated. */
function ColumnHead({
  column,
  asked,
  onAsk,
  typed,
}: {
  column: ReadColumn;
  asked: Asked | undefined;
  onAsk: (a: Asked | null) => void;
  typed: boolean;
}) {
  const now: Asked = asked ?? asAsked(column, 'empty');
  const put = (part: Partial<Asked>) => onAsk({ ...now, ...part });
  return (
    <>
      <b>{column.name}</b>
      {typed ? (
        <select
          className="field"
          aria-label={`Type of ${column.name}`}
          value={now.type}
          onChange={(e) => put({ type: e.target.value, pattern: '', misfits: asked?.misfits ?? 'refuse' })}
        >
          {TYPES.map((t) => (
            <option key={t} value={t}>
              {t}
            </option>
          ))}
        </select>
      ) : (
        <small>{column.type}</small>
      )}
      {typed && (now.type === 'date' || now.type === 'datetime') && (
        <>
          <input
            className="field mono"
            aria-label={`Pattern of ${column.name}`}
            list="date-patterns"
            value={now.pattern}
            placeholder="found by itself"
            onChange={(e) => put({ pattern: e.target.value, misfits: asked?.misfits ?? 'refuse' })}
          />
          <datalist id="date-patterns">
            {PATTERNS.map((p) => (
              <option key={p} value={p} />
            ))}
          </datalist>
        </>
      )}
      {typed && now.type === 'number' && (
        <select
          className="field"
          aria-label={`Decimal mark of ${column.name}`}
          value={`${now.decimal}${now.group}`}
          onChange={(e) => put({ decimal: e.target.value.charAt(0), group: e.target.value.slice(1) })}
        >
          <option value=".">1234.5</option>
          <option value=".,">1,234.5</option>
          <option value=",">1234,5</option>
          <option value=",.">1.234,5</option>
          <option value=", ">1 234,5</option>
        </select>
      )}
      {asked && asked.type !== 'text' && (
        <select
          className="field"
          aria-label={`What does not fit ${column.name}`}
          value={asked.misfits}
          onChange={(e) => put({ misfits: e.target.value })}
        >
          <option value="refuse">refuse misfits</option>
          <option value="empty">misfits become empty</option>
          <option value="text">keep as text if any</option>
        </select>
      )}
      <small className="quiet">{column.empty ? `${count(column.empty)} empty` : 'none empty'}</small>
      {column.note && <small className="signal wrap">{column.note}</small>}
      {typed &&
        !asked &&
        column.others.map((o) => (
          <button
            key={readsText(o)}
            type="button"
            className="plain offer"
            onClick={() => onAsk(asAsked(o, o.misfits.count ? 'empty' : 'refuse'))}
          >
            {readsText(o)}?{o.misfits.count > 0 && ` but for ${count(o.misfits.count)}`}
          </button>
        ))}
    </>
  );
}

function Misfits({ columns }: { columns: ReadColumn[] }) {
  const told = columns.flatMap((c) =>
    [c, ...c.others].filter((x) => x.misfits.count > 0).map((x) => ({ name: c.name, type: x.type, misfits: x.misfits, taken: x === c })),
  );
  if (!told.length) return null;
  return (
    <details className="misfits">
      <summary>What did not fit</summary>
      {told.map((t) => (
        <p key={`${t.name} ${t.type}`}>
          <b>{t.name}</b> as {t.type}: {count(t.misfits.count)} value{t.misfits.count > 1 ? 's' : ''}{' '}
          {t.taken ? 'became empty' : 'would not fit'}:{' '}
          <span className="mono">{t.misfits.rows.map((r) => `row ${r.row}: “${r.text}”`).join(', ')}</span>
          {t.misfits.count > t.misfits.rows.length && ' …'}
        </p>
      ))}
    </details>
  );
}
