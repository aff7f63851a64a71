// One finding as a line, and the way to what it is about.
import type { ReactNode } from 'react';
import { useNavigate } from 'react-router';
import type { Finding, ModelDocument } from '../../api/client';
import { type Selection } from '../../app/frame';
import { asFolio, asProbe } from '../../app/shapes';
import { actions } from '../../app/shown';
import { tableIn } from '../link/CellPanel';

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
    const folio = (kind === 'folio' || kind === 'probe') && model.folios.find((f) => f.name === name);
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

export function FindingLine({ finding, show, children }: { finding: Finding; show: (about: string) => void; children?: ReactNode }) {
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
        {children}
      </div>
    </div>
  );
}

export const findingKey = (f: Finding) => `${f.code} ${f.about} ${f.key}`;

/** The findings that nobody has accepted. */
export const openFindings = (model: ModelDocument) => model.findings.filter((f) => f.accepted === null);
