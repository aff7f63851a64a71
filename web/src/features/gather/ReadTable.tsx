// One table as it was read: its settings, its columns with their types and what did not fit, its first rows. All of it can be corrected.
import { useState } from 'react';
import type { ReadingItem } from '../../api/client';
import type { Asked } from './asColumn';
import { ColumnHead, Misfits } from './ReadColumns';
import { columnText } from '../../shared/format';

type Source = Record<string, unknown>;

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

export function ReadTable({ item, onReread }: { item: ReadingItem; onReread: (source: Source) => void }) {
  const [source, setSource] = useState<Source>(item.source);
  const columns = (source.columns ?? {}) as Record<string, Asked>;
  const changed = JSON.stringify(source) !== JSON.stringify(item.source);
  const setColumn = (name: string, reads: Asked | null) => {
    const next = { ...columns };
    if (reads) next[name] = reads;
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
                      chosen={columns[c.name]}
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

interface SettingsGiven {
  source: Source;
  text: (key: string) => string;
  put: (key: string, value: unknown) => void;
}

/** How a source is read, by what it is. */
function Settings({ source, setSource }: { source: Source; setSource: (s: Source) => void }) {
  const given: SettingsGiven = {
    source,
    text: (key) => (typeof source[key] === 'string' ? (source[key] as string) : ''),
    put: (key, value) => setSource({ ...source, [key]: value }),
  };
  switch (source.kind) {
    case 'csv':
      return <CsvSettings {...given} />;
    case 'sheet':
      return <SheetSettings {...given} />;
    case 'parquet':
    case 'arrow':
    case 'json_lines':
      return (
        <div className="settings">
          <Choice {...given} label="Lists and structures" name="nested" first="text" options={NESTED} />
        </div>
      );
    default:
      return null;
  }
}

const NESTED: [string, string][] = [
  ['text', 'as JSON text'],
  ['leave out', 'leave them out'],
];
const BROKEN_ROWS: [string, string][] = [
  ['refuse', 'refuse the file'],
  ['leave out', 'leave them out'],
];
const MERGED: [string, string][] = [
  ['first', 'value in the first'],
  ['all', 'value in all'],
];
const QUOTES: [string, string][] = [
  ['"', 'double'],
  ["'", 'single'],
  ['', 'none'],
];

interface ChoiceGiven extends SettingsGiven {
  label: string;
  name: string;
  /** What stands where nothing is said. */
  first?: string;
  options: readonly (readonly [string, string])[];
}

function Choice({ source, text, put, label, name, first = '', options }: ChoiceGiven) {
  return (
    <label>
      {label}
      <select className="field" value={text(name) || (source[name] === '' ? '' : first)} onChange={(e) => put(name, e.target.value)}>
        {options.map(([value, words]) => (
          <option key={words} value={value}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}

function CsvSettings(given: SettingsGiven) {
  const encodings = [...new Set([given.text('encoding'), ...ENCODINGS])].map((x): [string, string] => [x, x || 'found by itself']);
  return (
    <div className="settings">
      <Choice {...given} label="Delimiter" name="delimiter" options={DELIMITERS} />
      <Choice {...given} label="Encoding" name="encoding" options={encodings} />
      <Choice {...given} label="Quote" name="quote" first={'"'} options={QUOTES} />
      <HeadingRows {...given} />
      <Choice {...given} label="Broken rows" name="broken_rows" first="refuse" options={BROKEN_ROWS} />
      <MeansEmpty {...given} />
    </div>
  );
}

function SheetSettings(given: SettingsGiven) {
  const { source, text, put } = given;
  return (
    <div className="settings">
      <label>
        Range
        <input className="field" placeholder="all, or B3:F40" value={text('range')} onChange={(e) => put('range', e.target.value)} />
      </label>
      <HeadingRows {...given} />
      <Choice {...given} label="Merged cells" name="merged" first="first" options={MERGED} />
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
      <MeansEmpty {...given} />
    </div>
  );
}

/** How many rows stand above the heading, and how many the heading has. */
function HeadingRows({ source, put }: SettingsGiven) {
  const field = (label: string, key: string, most: number) => (
    <label>
      {label}
      <input
        className="field tiny"
        type="number"
        min={0}
        max={most}
        value={typeof source[key] === 'number' ? String(source[key]) : ''}
        onChange={(e) => put(key, e.target.value === '' ? null : Number(e.target.value))}
      />
    </label>
  );
  return (
    <>
      {field('Rows above', 'skip', 1000)}
      {field('Heading rows', 'header', 5)}
    </>
  );
}

function MeansEmpty({ source, put }: SettingsGiven) {
  const words = (text: string) =>
    text
      .split(',')
      .map((x) => x.trim())
      .filter(Boolean);
  return (
    <label>
      Means empty
      <input
        className="field"
        value={((source.missing ?? ['']) as string[]).filter(Boolean).join(', ')}
        placeholder="nothing, n/a, -"
        onChange={(e) => put('missing', ['', ...words(e.target.value)])}
      />
    </label>
  );
}
