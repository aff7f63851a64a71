// What is said of a measure: where it lives, how it is shown with examples, its folder, its standing, its words.
import type { ModelDocument } from '../../api/client';
import { measureText } from '../../shared/format';
import type { Draft } from './drafts';

const FORMATS = ['#,##0', '#,##0.0', '#,##0.00', '0.0%', '0%', '+#,##0;-#,##0', '#,##0 min', '0.00E0'];
const SAMPLES = [1234.567, 0.0456, -7];

interface Props {
  model: ModelDocument;
  draft: Draft;
  sample: number | null;
  put: (part: Partial<Draft>) => void;
}

export function Details({ model, draft, sample, put }: Props) {
  const folders = [...new Set(model.measures.map((m) => m.folder).filter(Boolean))];
  const shown = (sample === null ? SAMPLES : [sample, ...SAMPLES]).map((n) => measureText(n, draft.format, 'number'));
  return (
    <div className="form-grid details">
      <label>
        kept with
        <select className="field" value={draft.home} onChange={(e) => put({ home: e.target.value })}>
          <option value="">no table</option>
          {model.tables.map((t) => (
            <option key={t.name}>{t.name}</option>
          ))}
        </select>
      </label>
      <label>
        shown as
        <input
          className="field mono"
          list="formats"
          value={draft.format}
          placeholder="#,##0"
          onChange={(e) => put({ format: e.target.value })}
        />
        <datalist id="formats">
          {FORMATS.map((f) => (
            <option key={f} value={f} />
          ))}
        </datalist>
        <span className="quiet examples" data-testid="examples">
          {shown.join('  ·  ')}
        </span>
      </label>
      <label>
        folder
        <input className="field" list="folders" value={draft.folder} onChange={(e) => put({ folder: e.target.value })} />
        <datalist id="folders">
          {folders.map((f) => (
            <option key={f} value={f} />
          ))}
        </datalist>
      </label>
      <Standing model={model} draft={draft} put={put} />
      <label className="wide">
        description
        <textarea className="field" rows={2} value={draft.description} onChange={(e) => put({ description: e.target.value })} />
      </label>
    </div>
  );
}

/** Whether the measure is official or a trial, and what a trial stands beside. */
function Standing({ model, draft, put }: Omit<Props, 'sample'>) {
  const others = model.measures.filter((m) => !m.trial && m.name !== draft.name);
  return (
    <label>
      standing
      <select
        className="field"
        value={draft.trial ? 'trial' : 'official'}
        onChange={(e) => put(e.target.value === 'trial' ? { trial: true } : { trial: false, variant_of: '' })}
      >
        <option>official</option>
        <option>trial</option>
      </select>
      {draft.trial && (
        <select className="field" aria-label="Stands beside" value={draft.variant_of} onChange={(e) => put({ variant_of: e.target.value })}>
          <option value="">beside no other</option>
          {others.map((m) => (
            <option key={m.name}>{m.name}</option>
          ))}
        </select>
      )}
    </label>
  );
}
