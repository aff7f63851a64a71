// A hole of coverage: the change that nobody would notice, the number that moves, and the check that would close it.
import type { Check, ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { mustWords } from './checkModel';
import { useCoverage } from './requests';

export function LensHole({ model, about, words }: { model: ModelDocument; about: string; words: string }) {
  const hole = useCoverage(model).data?.changes.find((c) => c.about === about && c.words === words);
  const { edit, busy } = useEdits(model);
  if (!hole) return <p className="quiet">This change is no longer looked at.</p>;
  const { closes, sentence, state, by } = hole.verdict;
  const check = closes?.check as Check | undefined;
  const made = check && model.checks.some((c) => c.name === check.name);
  return (
    <>
      <h2>{about}</h2>
      <p>
        <b>{words}</b>
      </p>
      <p>{state === 'noticed' ? `The check ${by} notices it. ${sentence}` : sentence}</p>
      {check && (
        <section aria-label="What would close it">
          <h3>What would close it</h3>
          <p>
            A check, <b>{check.name}</b>: <span className="mono">{mustWords(check)}</span>
          </p>
          <button
            data-needs="try"
            type="button"
            className="pill solid"
            disabled={busy || made}
            onClick={() => void edit({ kind: 'put_check', check: closes?.check })}
          >
            {made ? 'It is made' : 'Make this check'}
          </button>
        </section>
      )}
      {state === 'unnoticed' && !check && (
        <p className="quiet">No saved probe shows a number that moves by it. Save one, and compute coverage again.</p>
      )}
    </>
  );
}
