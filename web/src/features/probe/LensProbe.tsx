// The open probe as a whole: what it is for, and what a person should know before trusting it.
import type { ModelDocument } from '../../api/client';
import { useGrid } from '../../api/queries';
import { EMPTY_PROBE, askedProbe, useShown } from '../../app/shown';
import { nameText } from '../../shared/format';
import { MarkNotes } from './MarkNotes';
import './probe.css';

/** `of` is a measure that the probe defines for itself. */
export function LensProbe({ model, of }: { model: ModelDocument; of?: string }) {
  const probe = useShown((s) => s.probe) ?? EMPTY_PROBE;
  const folio = useShown((s) => s.folio);
  const answer = useGrid(model, folio ? null : askedProbe(probe)).data;
  if (folio)
    return (
      <>
        <h2>{folio.name || 'A new folio'}</h2>
        <p>{folio.description}</p>
        <p className="quiet">Every tile stands under the picks at the left, but for those it says it does without. Choose a number or a cell: here stands why it shows that, under the tile’s own picks. Drag a tile by its heading; ↗ brings its probe, with the picks, into Probe.</p>
      </>
    );
  if (of !== undefined && probe.define?.[of] !== undefined)
    return (
      <>
        <h2>{nameText(of)}</h2>
        <p className="quiet">a formula of this probe alone</p>
        <div className="formula-box">{probe.define[of]}</div>
        <p className="quiet">To keep it for other probes, write it as a measure: New measure on the Measure bench.</p>
      </>
    );
  return (
    <>
      <h2>{probe.name ?? 'A probe without a name'}</h2>
      {probe.description && <p>{probe.description}</p>}
      <p className="quiet">Choose a cell: here stands why it shows its number. A line’s label drills, picks and pins; a heading orders.</p>
      {answer && probe.measures.length > 0 && <><h3>Worth knowing</h3><MarkNotes answer={answer} /></>}
    </>
  );
}
