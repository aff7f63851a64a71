// Prove: what the model, its data and its measures say of themselves.
import { useNavigate } from 'react-router';
import type { Finding, ModelDocument } from '../../api/client';
import { asFolio, asProbe } from '../../app/shapes';
import { actions, type Selection } from '../../app/shown';
import { tableIn } from '../link/CellPanel';

const WEIGHTS: [Finding['weight'], string, string][] = [
  ['warning', 'May make a number wrong', '◆'],
  ['note', 'Worth a look', '◇'],
];

/** Shows what a finding is about: in the Lens, and on its own stage. */
export function useShowAbout(model: ModelDocument) {
  const navigate = useNavigate();
  const { select, set, openFolio } = actions;
  return (about: string) => {
    const [kind = '', ...rest] = about.split(' ');
    const name = rest.join(' ');
    if (kind === 'measure') {
      set({ measure: name });
      select({ kind: 'measure', name });
      void navigate(`/m/${model.id}/measure`);
      return;
    }
    const probe = kind === 'probe' && model.probes.find((p) => p.name === name);
    if (probe) {
      set({ probe: asProbe(probe), folio: null });
      select(null);
      void navigate(`/m/${model.id}/probe`);
      return;
    }
    const folio = kind === 'folio' && model.folios.find((f) => f.name === name);
    if (folio) {
      openFolio(asFolio(folio));
      select(null);
      void navigate(`/m/${model.id}/probe`);
      return;
    }
    select(kind === 'link' ? { kind: 'link', name } : subject(model, kind, name));
    void navigate(`/m/${model.id}/link`);
  };
}

/** The table or column that a finding is about: of a hierarchy the table of its finest level. */
function subject(model: ModelDocument, kind: string, name: string): Selection {
  if (kind === 'hierarchy') {
    const levels = (model.hierarchies.find((h) => h.name === name)?.levels ?? []) as string[];
    return { kind: 'table', name: tableIn(levels.at(-1) ?? '') };
  }
  const home = kind === 'column' && model.tables.find((t) => t.columns.some((c) => c.name === name));
  return home ? { kind: 'column', table: home.name, name } : { kind: 'table', name };
}

export function FindingLine({ finding, show }: { finding: Finding; show: (about: string) => void }) {
  return (
    <div className={`finding ${finding.weight}`}>
      <span className="sign" title={finding.weight}>
        {finding.weight === 'warning' ? '◆' : '◇'}
      </span>
      <div>
        <button type="button" className="plain" onClick={() => show(finding.about)}>
          <b>{finding.sentence}</b>
        </button>
        <div className="quiet">{finding.mend}</div>
      </div>
    </div>
  );
}

export function Prove({ model }: { model: ModelDocument }) {
  const show = useShowAbout(model);
  return (
    <div className="pad" style={{ maxWidth: 860 }}>
      <h2>Findings</h2>
      <p className="quiet">Read anew after every edit from the model, its {model.tables.length} tables and its {model.measures.length} measures.</p>
      {model.findings.length === 0 && <p>Nothing was found: every key has its partner, every link is used, every measure can be computed.</p>}
      {WEIGHTS.map(([weight, words]) => {
        const found = model.findings.filter((f) => f.weight === weight);
        if (found.length === 0) return null;
        return (
          <section key={weight} aria-label={words}>
            <h3 style={{ margin: '18px 0 2px' }}>
              {words}, {found.length}
            </h3>
            {found.map((f) => (
              <FindingLine key={f.code + f.about} finding={f} show={show} />
            ))}
          </section>
        );
      })}
    </div>
  );
}
