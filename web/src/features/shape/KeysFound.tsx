// What two keys have in common: matched, lost on either side, near matches with the step that mends them.
import { useState } from 'react';
import type { Mismatch, ModelDocument, NearMatch, Scalar } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
import { columnText, count, counted } from '../../shared/format';
import type { Keys, Step } from './requests';

/** Spaces that would not be seen, or seen as one: each as a sign of its own. */
function shownSpaces(text: string): string {
  return text
    .replaceAll('\t', '⇥')
    .replaceAll('\n', '↵')
    .replace(/^\s+|\s+$|\s{2,}/g, (s) => '␣'.repeat(s.length));
}

function keyText(key: Scalar[]): string {
  return key
    .map((x) => (typeof x === 'string' && (x !== x.trim() || /\s{2}|[^\S ]/.test(x)) ? `“${shownSpaces(x)}”` : columnText(x)))
    .join(', ');
}

function amountText(value: number | null): string {
  return value === null ? '' : value.toLocaleString('en-GB', { maximumFractionDigits: 2 });
}

export function KeysFound({ model, keys, mismatch }: { model: ModelDocument; keys: Keys; mismatch: Mismatch }) {
  const share = mismatch.rows_left ? mismatch.matched.rows / mismatch.rows_left : 0;
  const lost = mismatch.only_left.rows;
  return (
    <>
      <div className="keys-bar" role="img" aria-label={`${Math.round(share * 100)} % of the rows match`}>
        <span style={{ flexGrow: mismatch.matched.rows }} className="matched" />
        {lost > 0 && <span style={{ flexGrow: lost }} className="lost" />}
        <span style={{ flexGrow: mismatch.empty_left }} className="blank" />
      </div>
      <table className="told-table keys-table">
        <thead>
          <tr>
            <th />
            <th className="num">keys</th>
            <th className="num">rows</th>
            {keys.amount && <th className="num">{keys.amount}</th>}
            <th />
          </tr>
        </thead>
        <tbody>
          <tr>
            <td>match</td>
            <td className="num">{count(mismatch.matched.keys)}</td>
            <td className="num">{count(mismatch.matched.rows)}</td>
            {keys.amount && <td className="num">{amountText(mismatch.amount_matched)}</td>}
            <td className="quiet">
              of {count(mismatch.rows_left)} rows of {keys.left.table}
            </td>
          </tr>
          <tr>
            <td className={lost ? 'signal' : ''}>only in {keys.left.table}</td>
            <td className="num">{count(mismatch.only_left.keys)}</td>
            <td className="num">{count(lost)}</td>
            {keys.amount && <td className="num">{amountText(mismatch.only_left.amount)}</td>}
            <td className="quiet">{lost ? 'rows that name nothing' : 'every row that names something finds it'}</td>
          </tr>
          <tr>
            <td>empty there</td>
            <td />
            <td className="num">{count(mismatch.empty_left)}</td>
            {keys.amount && <td />}
            <td className="quiet">rows that name nothing on purpose</td>
          </tr>
          <tr>
            <td>only in {keys.right.table}</td>
            <td className="num">{count(mismatch.only_right.keys)}</td>
            <td className="num">{count(mismatch.only_right.rows)}</td>
            {keys.amount && <td />}
            <td className="quiet">that no row names</td>
          </tr>
          {mismatch.repeated_right > 0 && (
            <tr>
              <td className="signal">repeated in {keys.right.table}</td>
              <td className="num">{count(mismatch.repeated_right)}</td>
              <td />
              {keys.amount && <td />}
              <td className="quiet">no key of a one side</td>
            </tr>
          )}
        </tbody>
      </table>
      <Near model={model} keys={keys} mismatch={mismatch} />
      <div className="keys-lists">
        <Listed title={`Only in ${keys.left.table}`} keys={mismatch.only_left} />
        <Listed title={`Only in ${keys.right.table}`} keys={mismatch.only_right} />
        <Listed
          title={`Several times in ${keys.right.table}`}
          keys={{ keys: mismatch.repeated_right, rows: 0, amount: null, listed: mismatch.repeated }}
        />
      </div>
    </>
  );
}

function Listed({ title, keys }: { title: string; keys: Mismatch['only_left'] }) {
  if (keys.keys === 0) return null;
  return (
    <section aria-label={title}>
      <h3>{title}</h3>
      <ul className="key-list">
        {keys.listed.map((k) => (
          <li key={JSON.stringify(k.key)}>
            <span className="mono">{keyText(k.key)}</span>
            <span className="quiet">
              {count(k.rows)} row{k.rows > 1 ? 's' : ''}, first {count(k.first_row)}
            </span>
          </li>
        ))}
      </ul>
      {keys.keys > keys.listed.length && <p className="quiet">and {count(keys.keys - keys.listed.length)} more</p>}
    </section>
  );
}

const nearId = (n: NearMatch) => JSON.stringify(n.left);

/** Keys that nearly match: those ticked become one step of replacements. */
function Near({ model, keys, mismatch }: { model: ModelDocument; keys: Keys; mismatch: Mismatch }) {
  const sure = (n: NearMatch) => n.choices === 1 && n.reason !== 'one letter';
  const [off, setOff] = useState<Record<string, boolean>>({});
  const { edit, busy } = useEdits(model);
  const isTaken = (n: NearMatch) => off[nearId(n)] ?? sure(n);
  const taken = mismatch.near.filter(isTaken);
  const table = model.tables.find((t) => t.name === keys.left.table);
  const make = async () => {
    const step: Step = {
      kind: 'replace',
      columns: keys.left.columns,
      pairs: taken.map((n) => ({ from: n.left, to: n.right })),
      note: `nearly ${keys.right.table}: ${[...new Set(taken.map((n) => n.reason))].join(', ')}`,
    };
    const done = await edit({
      kind: 'shape_table',
      name: keys.left.table,
      steps: [...((table?.steps ?? []) as Step[]), step],
      title: `mend ${taken.length} key${taken.length > 1 ? 's' : ''} of ${keys.left.table}`,
    });
    if (done) actions.set({ table: keys.left.table });
  };
  if (!mismatch.near.length)
    return mismatch.only_left.keys ? (
      <p className="quiet">
        None of the lost keys is near one of {keys.right.table}
        {mismatch.near_skipped ? '; there are too many to compare them letter by letter' : ''}.
      </p>
    ) : null;
  return (
    <section aria-label="Near matches" className="near">
      <div className="row" style={{ justifyContent: 'space-between' }}>
        <h3>
          {count(mismatch.near_keys)} nearly match: {counted(mismatch.near_rows, 'row')} would find their partner
        </h3>
        <button
          type="button"
          className="pill solid"
          disabled={busy || taken.length === 0 || !table || Boolean(table.formula)}
          onClick={() => void make()}
        >
          Make a step of {taken.length}
        </button>
      </div>
      <NearTable keys={keys} mismatch={mismatch} isTaken={isTaken} onTake={(n, on) => setOff({ ...off, [nearId(n)]: on })} />
      {mismatch.near_skipped && <p className="quiet">The others are too many to be compared letter by letter.</p>}
    </section>
  );
}

interface NearProps {
  keys: Keys;
  mismatch: Mismatch;
  isTaken: (near: NearMatch) => boolean;
  onTake: (near: NearMatch, on: boolean) => void;
}

function NearTable({ keys, mismatch, isTaken, onTake }: NearProps) {
  return (
    <table className="told-table">
      <thead>
        <tr>
          <th />
          <th>{keys.left.table} says</th>
          <th>{keys.right.table} has</th>
          <th>what differs</th>
          <th className="num">rows</th>
          {keys.amount && <th className="num">{keys.amount}</th>}
        </tr>
      </thead>
      <tbody>
        {mismatch.near.map((n) => (
          <tr key={nearId(n)}>
            <td>
              <input
                type="checkbox"
                aria-label={`Mend ${keyText(n.left)}`}
                checked={isTaken(n)}
                onChange={(e) => onTake(n, e.target.checked)}
              />
            </td>
            <td className="mono">{keyText(n.left)}</td>
            <td className="mono">{keyText(n.right)}</td>
            <td>
              {n.reason}
              {n.choices > 1 && <span className="signal">, {n.choices} would do</span>}
            </td>
            <td className="num">{count(n.rows)}</td>
            {keys.amount && <td className="num">{amountText(n.amount)}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
