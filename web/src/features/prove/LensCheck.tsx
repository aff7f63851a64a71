// A check: what must hold, what came of it, each place where it fails, what it stands on, and since which edit it does not hold.
import { Note } from '../../shared/Note';
import { useState } from 'react';
import type { Check, CheckRow, Failure, ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
import { count, counted, memberText, nameText, whenText } from '../../shared/format';
import { aboutWords, mustWords, placeOf } from './checkModel';
import { useChecks } from './requests';
import { useOutcome } from './proving';
import { ChangeCheck, Relist } from './ChangeCheck';
import { withoutNothing } from './checkForm';
import { StateMark, stateWords } from './StateMark';
import { useShowCell } from './useShowCell';
import { Since } from './WrongNow';

const MOST = 40;

export function LensCheck({ model, name }: { model: ModelDocument; name: string }) {
  const check = model.checks.find((c) => c.name === name);
  const row = useChecks(model).data?.checks.find((c) => c.name === name);
  if (!check) return <p className="quiet">The check {name} is no longer in the model.</p>;
  return (
    <div data-testid="lens-check">
      <h2>
        <StateMark row={row} /> {name}
      </h2>
      <p className="quiet">
        {stateWords(row)}
        {check.folder ? `, in ${check.folder}` : ''}
        {row?.made_at ? `, computed ${whenText(row.made_at)}` : ''}
      </p>
      <Note text={check.description} />
      <p>
        <span className="mono">{mustWords(check)}</span>
        <br />
        <span className="quiet">of {aboutWords(check)}</span>
      </p>
      {row && row.state !== 'not run' && <Came model={model} check={check} row={row} />}
      {row && (row.state === 'fails' || row.state === 'cannot') && <Since model={model} name={name} />}
      {row && <Stands row={row} />}
      <Keeping model={model} check={check} fails={row?.state === 'fails'} />
    </div>
  );
}

/** What came of it, each place leading to its cell. */
function Came({ model, check, row }: { model: ModelDocument; check: Check; row: CheckRow }) {
  const outcome = useOutcome(model, row.name);
  const showCell = useShowCell(model);
  if (!outcome.data) return <p className="wait">{outcome.error?.message ?? 'Looking…'}</p>;
  const { sentence, failures = [], failed = 0, problems = [] } = outcome.data;
  return (
    <>
      <p>{sentence}</p>
      {problems.map((p) => (
        <p key={p.code + p.message} className="signal">
          {p.message} <span className="quiet">{p.mend}</span>
        </p>
      ))}
      {failures.length > 1 && (
        <Failures failures={failures.slice(0, MOST)} show={check.probe ? (f) => showCell(check, measureOf(f), f.at ?? {}) : null} />
      )}
      {failed > MOST && <p className="quiet">and {count(failed - MOST)} more</p>}
    </>
  );
}

interface FailuresGiven {
  failures: Failure[];
  /** To the cell of a failure. */
  show: ((failure: Failure) => void) | null;
}

const MEANT: Partial<Record<Failure['why'], string>> = { surplus: 'not listed', apart: 'its parts' };

/** Where it fails, the worst first: what is there, and what was meant. */
function Failures({ failures, show }: FailuresGiven) {
  if (!show || failures.some((f) => Object.keys(f.values ?? {}).length === 0))
    return (
      <ul className="failures">
        {failures.map((f, i) => (
          <li key={`${f.sentence} ${i}`}>{f.sentence}</li>
        ))}
      </ul>
    );
  const measures = [...new Set(failures.flatMap((f) => Object.keys(f.values ?? {})))];
  const meant = failures.some((f) => f.expected !== null && f.expected !== undefined);
  return (
    <table className="beside-held">
      <thead>
        <tr>
          <th>where</th>
          {measures.map((m) => (
            <th key={m} className="number">
              {nameText(m)}
            </th>
          ))}
          {meant && <th className="number">{MEANT[failures[0]?.why ?? 'differs'] ?? 'meant'}</th>}
        </tr>
      </thead>
      <tbody>
        {failures.map((f, i) => (
          <tr key={`${f.sentence} ${i}`}>
            <td>
              <button type="button" className="plain" title={f.sentence} onClick={() => show(f)}>
                <u>{placeWords(f)}</u>
              </button>
            </td>
            {measures.map((m) => (
              <td key={m} className="number">
                {m in (f.values ?? {}) ? shown(f.values?.[m]) : ''}
              </td>
            ))}
            {meant && <td className="number">{f.why === 'surplus' ? '' : shown(f.expected)}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const placeWords = (f: Failure): string =>
  placeOf(f.at ?? {})
    .map((c) => memberText(c.member))
    .join(', ') || 'the whole';

function shown(value: unknown): string {
  if (value === null || value === undefined) return '(empty)';
  if (typeof value === 'number') return Number.isInteger(value) ? count(value) : String(Number(value.toPrecision(8)));
  return typeof value === 'object' ? String((value as { error?: string }).error) : String(value as string | boolean);
}

const measureOf = (failure: Failure): string => failure.measure || (Object.keys(failure.values ?? {})[0] ?? '');

/** What its numbers are made from. */
function Stands({ row }: { row: CheckRow }) {
  const parts: ['table' | 'link' | 'measure', string[]][] = [
    ['table', row.tables],
    ['link', row.links],
    ['measure', row.measures],
  ];
  if (parts.every(([, names]) => names.length === 0)) return null;
  return (
    <details>
      <summary>
        It stands on {counted(row.tables.length, 'table')}, {counted(row.links.length, 'link')} and{' '}
        {counted(row.measures.length, 'measure')}
      </summary>
      {parts.map(([kind, names]) => (
        <p key={kind} className="quiet">
          {names.map((n) => (
            <button key={n} type="button" className="plain stands" onClick={() => actions.select({ kind, name: n })}>
              <u>{n}</u>
            </button>
          ))}
        </p>
      ))}
    </details>
  );
}

type Guard = 'loads' | 'releases';

/** What it guards, whether it is silenced, its name and folder, and taking it away. */
function Keeping({ model, check, fails }: { model: ModelDocument; check: Check; fails: boolean }) {
  const { edit, busy } = useEdits(model);
  const [silencing, setSilencing] = useState(false);
  const [changing, setChanging] = useState(false);
  const guards = (check.guards ?? []) as Guard[];
  const put = (part: Partial<Check>) => void edit({ kind: 'put_check', check: withoutNothing({ ...check, ...part }) });
  const flip = (guard: Guard) => put({ guards: guards.includes(guard) ? guards.filter((g) => g !== guard) : [...guards, guard] });
  return (
    <section aria-label="Keeping it" className="check-keeping">
      {(['loads', 'releases'] as const).map((guard) => (
        <label key={guard} className="row">
          <input type="checkbox" checked={guards.includes(guard)} disabled={busy} onChange={() => flip(guard)} />
          guards {guard}
          <span className="quiet">{guard === 'loads' ? 'one that breaks it is held' : 'while it fails, say why'}</span>
        </label>
      ))}
      {changing ? (
        <ChangeCheck model={model} check={check} close={() => setChanging(false)} />
      ) : (
        <button type="button" className="pill small" onClick={() => setChanging(true)}>
          Change it…
        </button>
      )}{' '}
      {fails && 'table' in check.must && <Relist model={model} check={check} put={put} />}
      {check.silenced ? (
        <p>
          Silenced until {check.silenced.until}: {check.silenced.reason}{' '}
          <button type="button" className="pill small" disabled={busy} onClick={() => put({ silenced: null })}>
            Hear it again
          </button>
        </p>
      ) : silencing ? (
        <Silence put={put} close={() => setSilencing(false)} />
      ) : (
        <button type="button" className="pill small" onClick={() => setSilencing(true)}>
          Silence it…
        </button>
      )}{' '}
      <button
        data-needs="try"
        type="button"
        className="pill small"
        disabled={busy}
        onClick={() => {
          actions.select(null);
          void edit({ kind: 'remove_check', name: check.name });
        }}
      >
        Remove it
      </button>
    </section>
  );
}

function Silence({ put, close }: { put: (part: Partial<Check>) => void; close: () => void }) {
  const [until, setUntil] = useState('');
  const [reason, setReason] = useState('');
  const send = (event: React.FormEvent) => {
    event.preventDefault();
    if (until && reason.trim()) {
      put({ silenced: { until, reason: reason.trim() } });
      close();
    }
  };
  return (
    <form onSubmit={send} className="check-named" onKeyDown={(e) => e.key === 'Escape' && close()}>
      <label>
        until{' '}
        <input type="date" className="field short" aria-label="Silenced until" value={until} onChange={(e) => setUntil(e.target.value)} />
      </label>
      <input
        className="field"
        aria-label="Why it is silenced"
        placeholder="why"
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
      <button type="submit" className="pill small solid" disabled={!until || !reason.trim()}>
        Silence
      </button>{' '}
      <button type="button" className="pill small" onClick={close}>
        Leave it
      </button>
    </form>
  );
}
