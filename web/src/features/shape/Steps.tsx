// The steps of a table: each with rows and columns before › after; switched off, moved, changed. A draft until it is kept.
import { useState } from 'react';
import type { StepTold } from '../../api/client';
import { count, counted } from '../../shared/format';
import type { Step } from './requests';
import { STEP_KINDS } from './stepKinds';

interface Props {
  steps: Step[];
  told: StepTold[];
  start: { rows: number; columns: number } | null;
  at: number | null;
  onAt: (at: number | null) => void;
  onSteps: (steps: Step[]) => void;
  onAdd: (kind: string) => void;
}

export function Steps({ steps, told, start, at, onAt, onSteps, onAdd }: Props) {
  const [adding, setAdding] = useState(false);
  const [search, setSearch] = useState('');
  const shown = at ?? steps.length;
  const move = (from: number, by: number) => {
    const next = [...steps];
    const [step] = next.splice(from, 1);
    if (!step) return;
    next.splice(from + by, 0, step);
    onSteps(next);
    onAt(from + by + 1);
  };
  const add = (kind: string | undefined) => {
    if (!kind) return;
    setAdding(false);
    setSearch('');
    onAdd(kind);
  };
  const found = STEP_KINDS.filter((k) => `${k.label} ${k.group} ${k.help}`.toLowerCase().includes(search.toLowerCase()));
  return (
    <section className="steps" aria-label="Steps">
      <div className="row" style={{ justifyContent: 'space-between', padding: '0 10px' }}>
        <h2>Steps</h2>
        <button type="button" className="pill small" aria-expanded={adding} onClick={() => setAdding(!adding)}>
          + step
        </button>
      </div>
      {adding && (
        <div className="step-kinds">
          {/* Opened to be typed into. */}
          <input
            className="field"
            // oxlint-disable-next-line jsx-a11y/no-autofocus
            autoFocus
            aria-label="Search steps"
            placeholder="what should happen?"
            value={search}
            onChange={(e) => setSearch(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === 'Escape') setAdding(false);
              if (e.key === 'Enter') add(found[0]?.kind);
            }}
          />
          {[...new Set(found.map((k) => k.group))].map((group) => (
            <div key={group}>
              <h3>{group}</h3>
              {found
                .filter((k) => k.group === group)
                .map((k) => (
                  <button key={k.kind} type="button" className="side-item" title={k.help} onClick={() => add(k.kind)}>
                    {k.label}
                  </button>
                ))}
            </div>
          ))}
        </div>
      )}
      <ol>
        <li className={shown === 0 ? 'step shown' : 'step'}>
          <button type="button" className="plain step-words" aria-current={shown === 0} onClick={() => onAt(0)}>
            as loaded
            <small>{start ? `${counted(start.rows, 'row')}, ${counted(start.columns, 'column')}` : '…'}</small>
          </button>
        </li>
        {steps.map((step, i) => {
          const t = told[i];
          return (
            // Steps have no name of their own; their place is what they are.
            <li key={`${i}`} className={`step ${t?.state ?? ''} ${shown === i + 1 ? 'shown' : ''}`}>
              <button type="button" className="plain step-words" aria-current={shown === i + 1} onClick={() => onAt(i + 1)}>
                <span>
                  {i + 1}. {t?.words ?? step.kind}
                </span>
                <small>{t ? counts(t) : '…'}</small>
                {step.note && <small className="step-note">{step.note}</small>}
                {t?.errors.map((e) => (
                  <small key={e.message} className="signal wrap">
                    {e.message}
                  </small>
                ))}
              </button>
              <span className="step-tools">
                <button
                  type="button"
                  className="plain"
                  aria-pressed={!step.off}
                  aria-label={step.off ? `Switch step ${i + 1} on` : `Switch step ${i + 1} off`}
                  title={step.off ? 'switch on' : 'switch off'}
                  onClick={() => onSteps(steps.map((s, j) => (j === i ? { ...s, off: !s.off } : s)))}
                >
                  {step.off ? '○' : '●'}
                </button>
                <button type="button" className="plain" disabled={i === 0} aria-label={`Move step ${i + 1} up`} onClick={() => move(i, -1)}>
                  ↑
                </button>
                <button
                  type="button"
                  className="plain"
                  disabled={i === steps.length - 1}
                  aria-label={`Move step ${i + 1} down`}
                  onClick={() => move(i, 1)}
                >
                  ↓
                </button>
                <button
                  type="button"
                  className="plain"
                  aria-label={`Take step ${i + 1} out`}
                  onClick={() => {
                    onSteps(steps.filter((_, j) => j !== i));
                    onAt(null);
                  }}
                >
                  ×
                </button>
              </span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}

function counts(t: StepTold): string {
  if (t.state === 'off') return 'switched off';
  if (t.state === 'waits') return 'waits for the step before';
  if (t.state === 'wrong') return 'cannot be done';
  const rows =
    t.rows_before === t.rows_after ? `${counted(t.rows_after, 'row')}` : `${count(t.rows_before)} › ${counted(t.rows_after, 'row')}`;
  const columns = t.columns_before === t.columns_after ? `${t.columns_after} columns` : `${t.columns_before} › ${t.columns_after} columns`;
  return `${rows}, ${columns}`;
}
