// What matters of a fact first: what filters it, what it lacks, what is wrong with it.
import { useState } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { actions } from '../../app/shown';
import { REACH_WORDS, ReachMark, type ReachKind } from '../../marks/Marks';
import { Names } from '../../marks/Names';
import { FindingLine, findingKey, openFindings, useShowAbout } from '../prove/FindingLine';
import { cellOf } from './matrixModel';

const FILTERING: ReachKind[] = ['direct', 'through', 'loose'];

export function LensFact({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const show = useShowAbout(model);
  const name = table.name;
  const others = [...model.matrix.dimensions, ...model.matrix.apart].filter((d) => d !== name);
  const of = (kind: ReachKind) => others.filter((d) => cellOf(model, name, d).kind === kind);
  const wanted = others.filter((d) => cellOf(model, name, d).gap.length > 0);
  const lacking = of('none').filter((d) => !wanted.includes(d));
  const inactive = of('inactive').filter((d) => !wanted.includes(d));
  const filtering = FILTERING.map((kind) => [kind, of(kind)] as const).filter(([, names]) => names.length > 0);
  const ends = new Set(model.links.filter((k) => k.from_table === name || k.to_table === name).map((k) => `link ${k.name}`));
  const wrong = openFindings(model).filter((f) => f.about === `table ${name}` || ends.has(f.about));
  return (
    <>
      <h3>Filtered by</h3>
      {filtering.length === 0 && <p>Nothing: no table’s filter comes here.</p>}
      {filtering.map(([kind, names]) => (
        <p key={kind} className="of-kind">
          <span title={REACH_WORDS[kind]}>
            <ReachMark kind={kind} size={15} />
          </span>
          <span>
            <Tables names={names} /> {kind !== 'direct' && <span className="quiet">{REACH_WORDS[kind].replace('filters it ', '')}</span>}
          </span>
        </p>
      ))}
      {(wanted.length > 0 || inactive.length > 0 || lacking.length > 0) && <h3>Not filtered by</h3>}
      {wanted.map((d) => (
        <p key={d}>
          <Tables names={[d]} /> <span className="signal">wanted by {cellOf(model, name, d).gap.join(', ')}</span>
        </p>
      ))}
      {inactive.length > 0 && (
        <p>
          <Tables names={inactive} />{' '}
          <span className="quiet">{inactive.length > 1 ? 'the links are inactive' : 'the link is inactive'}</span>
        </p>
      )}
      {lacking.length > 0 && (
        <p className="quiet">
          <Tables names={lacking} />
        </p>
      )}
      {wrong.length > 0 && <h3>Worth a look</h3>}
      {wrong.map((f) => (
        <FindingLine key={findingKey(f)} finding={f} show={show} />
      ))}
    </>
  );
}

const FIRST = 14;

/** Tables by their names, each a way to it; of very many the first. */
function Tables({ names }: { names: string[] }) {
  const [all, setAll] = useState(false);
  const shown = all || names.length <= FIRST + 2 ? names : names.slice(0, FIRST);
  return (
    <span>
      <Names>
        {shown.map((n) => (
          <button key={n} type="button" className="plain" onClick={() => actions.select({ kind: 'table', name: n })}>
            {n}
          </button>
        ))}
      </Names>
      {shown.length < names.length && (
        <button type="button" className="plain quiet" onClick={() => setAll(true)}>
          <u>{names.length - shown.length} more</u>
        </button>
      )}
    </span>
  );
}
