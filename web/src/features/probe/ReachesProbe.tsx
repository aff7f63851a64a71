// For a table, or a column of it: over which links its filter comes to each measure of the open probe, or why it does not.
import type { GridMeasure as Asked, ModelDocument } from '../../api/client';
import { useGrid } from '../../api/queries';
import { askedProbe, useProbe } from './store';
import { nameText } from '../../shared/format';
import { OpeningLine } from '../link/OpeningLine';
import { useProve } from '../prove/store';

export function ReachesProbe({ model, table }: { model: ModelDocument; table: string }) {
  const probe = useProbe((s) => s.probe);
  const release = useProve((s) => s.asOf);
  const answer = useGrid(model, probe ? askedProbe(probe) : null, release).data;
  if (!answer || answer.measures.length === 0) return null;
  return (
    <section aria-label="In the open probe">
      <h3>In the open probe</h3>
      {answer.measures.map((m) => (
        <Reaches key={m.name} model={model} table={table} measure={m} />
      ))}
    </section>
  );
}

function Reaches({ model, table, measure }: { model: ModelDocument; table: string; measure: Asked }) {
  const saved = model.measures.some((m) => m.name === measure.name) ? measure.name : null;
  // A measure may add up the rows of one table in several places: over each set of links it is told once.
  const scans = measure.scans.filter(
    (s, i, all) => all.findIndex((x) => x.grain === s.grain && String(x.tables[table]) === String(s.tables[table])) === i,
  );
  return (
    <div className="reaches">
      <b className="measure-ink">{nameText(measure.name)}</b>
      {scans.length === 0 && <span className="quiet"> adds up no rows</span>}
      {scans.map((scan) => {
        const path = scan.tables[table];
        return path ? (
          <div key={`${scan.grain} ${path.join()}`} className="quiet">
            {path.length ? (
              <>
                a filter on {table} comes to {scan.grain} over {path.join(', ')}
              </>
            ) : (
              <>adds up rows of {scan.grain} itself</>
            )}
          </div>
        ) : (
          <div key={scan.grain}>
            <span className="signal">
              Why does a filter on {table} not reach {scan.grain}?
            </span>
            <OpeningLine model={model} from={table} to={scan.grain} measure={saved} folded />
          </div>
        );
      })}
    </div>
  );
}
