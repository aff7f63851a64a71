// One step being written: its fields, and at once a sample of what it changes.
import type { ModelDocument, ShapeColumn, StepOutcome } from '../../api/client';
import { columnText, count } from '../../shared/format';
import type { Step } from './requests';
import { StepFields } from './StepFields';
import { stepKind } from './stepKinds';

export function StepEditor({
  model,
  table,
  columns,
  step,
  outcome,
  onChange,
  onClose,
}: {
  model: ModelDocument;
  table: string;
  columns: ShapeColumn[];
  step: Step;
  outcome: StepOutcome | undefined;
  onChange: (step: Step) => void;
  onClose: () => void;
}) {
  const kind = stepKind(step.kind);
  if (!kind) return null;
  return (
    <section className="step-editor" aria-label={kind.label}>
      <div className="row" style={{ justifyContent: 'space-between' }}>
        <h2>{kind.label}</h2>
        <button type="button" className="pill small" onClick={onClose}>
          fold away
        </button>
      </div>
      <p className="quiet">{kind.help}</p>
      <StepFields fields={kind.fields} model={model} table={table} columns={columns} step={step} onChange={onChange} />
      <label className="wide">
        <span className="quiet">Why, for whoever reads it later</span>
        <input
          className="field"
          value={step.note ?? ''}
          placeholder="a note"
          onChange={(e) => onChange({ ...step, note: e.target.value })}
        />
      </label>
      {outcome?.errors.map((e) => (
        <p key={e.message} className="signal" role="alert">
          {e.message} {e.mend}
        </p>
      ))}
      {outcome?.sample && <Sample outcome={outcome} />}
    </section>
  );
}

function Sample({ outcome }: { outcome: StepOutcome }) {
  const sample = outcome.sample;
  if (!sample) return null;
  const cells = sample.before.length > 0;
  return (
    <div className="sample" role="region" aria-label="What it changes" tabIndex={0}>
      <h3>
        {sample.what}: {count(sample.count)} <span className="quiet">in {outcome.milliseconds.toFixed(0)} ms</span>
      </h3>
      {sample.rows.length > 0 && (
        <table className="told-table">
          <thead>
            <tr>
              <th className="num">row</th>
              {sample.columns.map((c) => (
                <th key={c}>{c}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sample.rows.map((row, i) => (
              <tr key={row}>
                <td className="num quiet">{count(row)}</td>
                {sample.columns.map((c, j) => {
                  const before = sample.before[i]?.[j];
                  const after = sample.after[i]?.[j];
                  return (
                    <td key={c}>
                      {cells && before !== after && (
                        <>
                          <s className="quiet">{shown(before)}</s> ›{' '}
                        </>
                      )}
                      <span className={cells && before !== after ? 'now' : ''}>{shown(after)}</span>
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

/** A value with its spaces to be seen. */
function shown(value: string | number | boolean | null | undefined): string {
  if (typeof value === 'string' && value !== value.trim()) return `“${value}”`;
  return columnText(value);
}
