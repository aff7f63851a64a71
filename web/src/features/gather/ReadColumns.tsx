// The columns of a table that was read: the type of each, what else it could be, and what did not fit.
import type { ReadColumn, ReadsInfo } from '../../api/client';
import { count } from '../../shared/format';
import { asAsked, type Asked } from './asColumn';

const TYPES = ['text', 'integer', 'number', 'boolean', 'date', 'datetime'];
const PATTERNS = ['yyyy-MM-dd', 'dd.MM.yyyy', 'd.M.yyyy', 'dd/MM/yyyy', 'MM/dd/yyyy', 'd MMM yyyy', 'yyyyMMdd', 'dd.MM.yy'];

function readsText(reads: ReadsInfo): string {
  const parts = [reads.type as string];
  if (reads.pattern) parts.push(reads.pattern);
  if (reads.decimal === ',') parts.push('decimal comma');
  if (reads.language !== 'en') parts.push(reads.language);
  return parts.join(' ');
}

interface HeadProps {
  column: ReadColumn;
  chosen: Asked | undefined;
  onAsk: (a: Asked | null) => void;
  typed: boolean;
}

/** A column's type, what else it could be, and how what does not fit is treated. */
export function ColumnHead({ column, chosen, onAsk, typed }: HeadProps) {
  const now: Asked = chosen ?? asAsked(column, 'empty');
  const put = (part: Partial<Asked>) => onAsk({ ...now, ...part });
  const misfits = chosen?.misfits ?? 'refuse';
  return (
    <>
      <b>{column.name}</b>
      {typed ? (
        <Pick
          label={`Type of ${column.name}`}
          value={now.type}
          choices={TYPES.map((t) => [t, t])}
          onPick={(type) => put({ type, pattern: '', misfits })}
        />
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
            onChange={(e) => put({ pattern: e.target.value, misfits })}
          />
          <datalist id="date-patterns">
            {PATTERNS.map((p) => (
              <option key={p} value={p} />
            ))}
          </datalist>
        </>
      )}
      {typed && now.type === 'number' && (
        <Pick
          label={`Decimal mark of ${column.name}`}
          value={`${now.decimal}${now.group}`}
          choices={MARKS_OF_NUMBERS}
          onPick={(marks) => put({ decimal: marks.charAt(0), group: marks.slice(1) })}
        />
      )}
      {chosen && chosen.type !== 'text' && (
        <Pick
          label={`What does not fit ${column.name}`}
          value={chosen.misfits}
          choices={TREATMENTS}
          onPick={(chosen) => put({ misfits: chosen })}
        />
      )}
      <small className="quiet">{column.empty ? `${count(column.empty)} empty` : 'none empty'}</small>
      {column.note && <small className="signal wrap">{column.note}</small>}
      {typed && !chosen && <Others column={column} onAsk={onAsk} />}
    </>
  );
}

type Choices = [value: string, words: string][];

// The decimal mark, then the mark between thousands.
const MARKS_OF_NUMBERS: Choices = [
  ['.', '1234.5'],
  ['.,', '1,234.5'],
  [',', '1234,5'],
  [',.', '1.234,5'],
  [', ', '1 234,5'],
];
const TREATMENTS: Choices = [
  ['refuse', 'refuse misfits'],
  ['empty', 'misfits become empty'],
  ['text', 'keep as text if any'],
];

interface PickProps {
  label: string;
  value: string;
  choices: Choices;
  onPick: (value: string) => void;
}

function Pick({ label, value, choices, onPick }: PickProps) {
  return (
    <select className="field" aria-label={label} value={value} onChange={(e) => onPick(e.target.value)}>
      {choices.map(([v, words]) => (
        <option key={v} value={v}>
          {words}
        </option>
      ))}
    </select>
  );
}

/** What else the column could be read as, with how much would not fit. */
function Others({ column, onAsk }: { column: ReadColumn; onAsk: (a: Asked) => void }) {
  return column.others.map((o) => (
    <button
      key={readsText(o)}
      type="button"
      className="plain offer"
      onClick={() => onAsk(asAsked(o, o.misfits.count ? 'empty' : 'refuse'))}
    >
      {readsText(o)}?{o.misfits.count > 0 && ` but for ${count(o.misfits.count)}`}
    </button>
  ));
}

export function Misfits({ columns }: { columns: ReadColumn[] }) {
  const misfits = columns.flatMap((c) =>
    [c, ...c.others].filter((x) => x.misfits.count > 0).map((x) => ({ name: c.name, type: x.type, misfits: x.misfits, taken: x === c })),
  );
  if (!misfits.length) return null;
  return (
    <details className="misfits">
      <summary>What did not fit</summary>
      {misfits.map((t) => (
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
