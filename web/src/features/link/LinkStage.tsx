// Link: the bus matrix and the star, two views of one thing.
import type { ModelDocument } from '../../api/client';
import { useShown } from '../../app/shown';
import { FindingLine, useShowAbout } from '../prove/Prove';
import { LinkSheet } from './LinkSheet';
import { Matrix } from './Matrix';
import { Star } from './Star';

export function LinkStage({ model }: { model: ModelDocument }) {
  const chosen = useShown((s) => s.fact);
  const set = useShown((s) => s.set);
  const show = useShowAbout(model);
  const facts = model.matrix.facts;
  const fact = facts.find((f) => f === chosen) ?? facts[0] ?? model.tables[0]?.name;
  const findings = model.findings.filter((f) => !f.about.startsWith('measure '));
  return (
    <div className="link-bench">
      <div className="link-left">
        <div className="row" style={{ justifyContent: 'space-between' }}>
          <h2>Who filters whom</h2>
          <span className="quiet">
            {facts.length} facts, {model.matrix.dimensions.length} dimensions
          </span>
        </div>
        <Matrix model={model} fact={fact ?? ''} />
        <div className="row" style={{ justifyContent: 'space-between', borderTop: '1px solid var(--line)', paddingTop: 12 }}>
          <h2>Worth a look</h2>
          <button type="button" className="pill small" onClick={() => set({ linkSheet: { from: '', to: '' } })}>
            New link
          </button>
        </div>
        {findings.map((f) => (
          <FindingLine key={f.code + f.about} finding={f} show={show} />
        ))}
        {findings.length === 0 && <p className="quiet">Nothing was found.</p>}
      </div>
      {fact ? <Star model={model} fact={fact} /> : <p className="pad">There is no table yet. Gather some first.</p>}
      <LinkSheet model={model} />
    </div>
  );
}
