// The steps of a table: each with rows and columns before › after; switched off, moved, changed. A draft until it is kept.
import { useState } from 'react';
import type { Covered, StepOutcome } from '../../api/client';
import { count, counted } from '../../shared/format';
import type { Step } from './requests';
import { STEP_KINDS } from './stepKinds';
import { CoverMark } from '../../marks/CoverMark';
import { shareOf } from '../prove/coverageModel';

interface Props {
  steps: Step[];
  outcomes: StepOutcome[];
  start: { rows: number; columns: number } | null;
  at: number | null;
  onAt: (at: number | null) => void;
  onSteps: (steps: Step[]) => void;
  /** What coverage says of each step, by its place. */
  noticed: Map<number, Covered>;
  onAdd: (kind: string) => void;
}

export function Steps({ steps, outcomes, start, at, noticed, onAt, onSteps, onAdd }: Props) {
  const [adding, setAdding] = useState(false);
  const shown = at ?? steps.length;
  const move = (from: number, by: number) => {
    const next = [...steps];
    const [step] = next.splice(from, 1);
    if (!step) return;
    next.splice(from + by, 0, step);
    onSteps(next);
    onAt(from + by + 1);
  };
  const remove = (place: number) => {
    onSteps(steps.filter((_, j) => j !== place));
    onAt(null);
  };
  const add = (kind: string) => {
    setAdding(false);
    onAdd(kind);
  };
  return (
    <section className="steps" aria-label="Steps">
      <div className="row" style={{ justifyContent: 'space-between', padding: '0 10px' }}>
        <h2>Steps</h2>
        <button type="button" className="pill small" aria-expanded={adding} onClick={() => setAdding(!adding)}>
          + step
        </button>
      </div>
      {adding && <StepKinds onAdd={add} close={() => setAdding(false)} />}
      <ol>
        <li className={shown === 0 ? 'step shown' : 'step'}>
          <button type="button" className="plain step-words" aria-current={shown === 0} onClick={() => onAt(0)}>
            as loaded
            <small>{start ? `${counted(start.rows, 'row')}, ${counted(start.columns, 'column')}` : '…'}</small>
          </button>
        </li>
        {steps.map((step, i) => (
          <StepLine
            // Steps have no name of their own; their place is what they are.
            key={`${i}`}
            step={step}
            outcome={outcomes[i]}
            covered={noticed.get(i)}
            place={i}
            last={i === steps.length - 1}
            shown={shown === i + 1}
            onShow={() => onAt(i + 1)}
            onSwitch={() => onSteps(steps.map((x, j) => (j === i ? { ...x, off: !x.off } : x)))}
            onMove={(by) => move(i, by)}
            onRemove={() => remove(i)}
          />
        ))}
      </ol>
    </section>
  );
}

/** The kinds of step there are, to be searched by what should happen. */
function StepKinds({ onAdd, close }: { onAdd: (kind: string) => void; close: () => void }) {
  const [search, setSearch] = useState('');
  const kinds = STEP_KINDS.filter((k) => `${k.label} ${k.group} ${k.help}`.toLowerCase().includes(search.toLowerCase()));
  return (
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
          if (e.key === 'Escape') close();
          if (e.key === 'Enter' && kinds[0]) onAdd(kinds[0].kind);
        }}
      />
      {[...new Set(kinds.map((k) => k.group))].map((group) => (
        <div key={group}>
          <h3>{group}</h3>
          {kinds
            .filter((k) => k.group === group)
            .map((k) => (
              <button key={k.kind} type="button" className="side-item" title={k.help} onClick={() => onAdd(k.kind)}>
                {k.label}
              </button>
            ))}
        </div>
      ))}
    </div>
  );
}

interface LineGiven {
  step: Step;
  outcome: StepOutcome | undefined;
  covered: Covered | undefined;
  place: number;
  last: boolean;
  shown: boolean;
  onShow: () => void;
  onSwitch: () => void;
  onMove: (by: 1 | -1) => void;
  onRemove: () => void;
}

/** A step with what it does to rows and columns, and what can be done with it. */
function StepLine({ step, outcome, covered, place, last, shown, onShow, onSwitch, onMove, onRemove }: LineGiven) {
  const name = `step ${place + 1}`;
  return (
    <li className={`step ${outcome?.state ?? ''} ${shown ? 'shown' : ''}`}>
      <button type="button" className="plain step-words" aria-current={shown} onClick={onShow}>
        <span>
          {place + 1}. {outcome?.words ?? step.kind}
        </span>
        <small>
          {outcome ? counts(outcome) : '…'} {covered && <CoverMark share={shareOf([covered])} size={12} />}
        </small>
        {step.note && <small className="step-note">{step.note}</small>}
        {outcome?.errors.map((e) => (
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
          aria-label={step.off ? `Switch ${name} on` : `Switch ${name} off`}
          title={step.off ? 'switch on' : 'switch off'}
          onClick={onSwitch}
        >
          {step.off ? '○' : '●'}
        </button>
        <button type="button" className="plain" disabled={place === 0} aria-label={`Move ${name} up`} onClick={() => onMove(-1)}>
          ↑
        </button>
        <button type="button" className="plain" disabled={last} aria-label={`Move ${name} down`} onClick={() => onMove(1)}>
          ↓
        </button>
        <button type="button" className="plain" aria-label={`Take ${name} out`} onClick={onRemove}>
          ×
        </button>
      </span>
    </li>
  );
}

function counts(t: StepOutcome): string {
  if (t.state === 'off') return 'switched off';
  if (t.state === 'waits') return 'waits for the step before';
  if (t.state === 'wrong') return 'cannot be done';
  const rows =
    t.rows_before === t.rows_after ? `${counted(t.rows_after, 'row')}` : `${count(t.rows_before)} › ${counted(t.rows_after, 'row')}`;
  const columns = t.columns_before === t.columns_after ? `${t.columns_after} columns` : `${t.columns_before} › ${t.columns_after} columns`;
  return `${rows}, ${columns}`;
}
