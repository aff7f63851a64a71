// What the model, its data and its measures say of themselves.
import { useEffect, useRef, useState } from 'react';
import type { Finding, ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { Names } from '../../marks/Names';
import { counted } from '../../shared/format';
import { FindingLine, findingKey, openFindings, useShowAbout } from './FindingLine';
import { fromFinding } from './checkModel';
import { useHold } from './useHold';

/** The groups of findings by what they could do to a number, the worst first. */
const GROUPS: [Finding['group'], string, string][] = [
  ['seen', 'May make a number wrong that someone looks at', 'each names the probes and folios whose numbers stand on it'],
  ['unseen', 'May make a number wrong', 'no probe and no folio stands on it yet'],
  ['note', 'Worth a look', 'it works, and may not be what was meant'],
  ['tidy', 'To tidy', 'no number is touched'],
];

export function Findings({ model }: { model: ModelDocument }) {
  const show = useShowAbout(model);
  const { hold } = useHold(model);
  const open = openFindings(model);
  const accepted = model.findings.filter((f) => f.accepted !== null);
  return (
    <div className="prove-part" style={{ maxWidth: 860 }}>
      <p className="quiet">
        Read again after every edit from the model, its {counted(model.tables.length, 'table')} and its{' '}
        {counted(model.measures.length, 'measure')}. One that is known can be accepted with a reason; it stays in the model, and is taken
        back like any edit.
      </p>
      {open.length === 0 && <p>Nothing was found that is not accepted.</p>}
      {GROUPS.map(([group, words, means]) => {
        const findings = open.filter((f) => f.group === group);
        if (findings.length === 0) return null;
        return (
          <section key={group} aria-label={words}>
            <h3 style={{ margin: '18px 0 2px' }}>
              {words}, {findings.length} <span className="quiet">({means})</span>
            </h3>
            {findings.map((f) => (
              <FindingLine key={findingKey(f)} finding={f} show={show}>
                <Watchers finding={f} show={show} />
                <span className="row">
                  <Accept model={model} finding={f} />
                  <button
                    type="button"
                    className="plain quiet"
                    aria-label={`Check that there is none: ${f.sentence}`}
                    onClick={() => void hold(fromFinding(model, f.code, f.about))}
                  >
                    <u>check that there is none</u>
                  </button>
                </span>
              </FindingLine>
            ))}
          </section>
        );
      })}
      {accepted.length > 0 && (
        <details className="accepted">
          <summary>{accepted.length} accepted</summary>
          {accepted.map((f) => (
            <FindingLine key={findingKey(f)} finding={f} show={show}>
              <Reopen model={model} finding={f} />
            </FindingLine>
          ))}
        </details>
      )}
    </div>
  );
}

const FEW = 4;

/** The probes and folios that show numbers which stand on what a finding is about. */
function Watchers({ finding, show }: { finding: Finding; show: (about: string) => void }) {
  if (finding.group !== 'seen' || finding.about.startsWith('probe ')) return null;
  return (
    <div className="quiet">
      Looked at in{' '}
      <Names>
        {finding.watchers.slice(0, FEW).map((name) => (
          <button key={name} type="button" className="plain" onClick={() => show(`probe ${name}`)}>
            <u>{name}</u>
          </button>
        ))}
      </Names>
      {finding.watchers.length > FEW && `and ${finding.watchers.length - FEW} more`}
    </div>
  );
}

/** Accepts a finding, with the reason that history and the next reader are told. */
function Accept({ model, finding }: { model: ModelDocument; finding: Finding }) {
  const { edit, busy } = useEdits(model);
  const [reason, setReason] = useState<string | null>(null);
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (reason === '') field.current?.focus();
  }, [reason]);
  const { code, about, key } = finding;
  if (reason === null)
    return (
      <button
        data-needs="edit"
        type="button"
        className="plain quiet"
        aria-label={`Accept: ${finding.sentence}`}
        onClick={() => setReason('')}
      >
        <u>accept it</u>
      </button>
    );
  const send = (event: React.FormEvent) => {
    event.preventDefault();
    if (reason.trim()) void edit({ kind: 'accept_finding', code, about, key, reason: reason.trim() });
  };
  return (
    <form className="row accept" onSubmit={send} onKeyDown={(e) => e.key === 'Escape' && setReason(null)}>
      <input
        ref={field}
        className="field"
        aria-label="Why it may stand"
        placeholder="why it may stand"
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
      <button type="submit" className="pill small solid" disabled={busy || !reason.trim()}>
        Accept
      </button>
      <button type="button" className="pill small" onClick={() => setReason(null)}>
        Leave it
      </button>
    </form>
  );
}

function Reopen({ model, finding }: { model: ModelDocument; finding: Finding }) {
  const { edit, busy } = useEdits(model);
  const { code, about, key } = finding;
  return (
    <div>
      Accepted: {finding.accepted}{' '}
      <button
        data-needs="edit"
        type="button"
        className="plain quiet"
        disabled={busy}
        aria-label={`Open again: ${finding.sentence}`}
        onClick={() => void edit({ kind: 'reopen_finding', code, about, key })}
      >
        <u>open it again</u>
      </button>
    </div>
  );
}
