// Where something is named, each place to go to.
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { client, unwrap, type ModelDocument } from '../../api/client';
import { asFolio, asProbe } from '../../app/shapes';
import { actions } from '../../app/shown';
import { nameText } from '../../shared/format';

const FEW = 8;

/** Every place that names a measure, a column or a table: formulas, probes, folios. */
export function Uses({ model, kind, name }: { model: ModelDocument; kind: 'measure' | 'column' | 'table'; name: string }) {
  const [all, setAll] = useState(false);
  const navigate = useNavigate();
  const set = actions.set;
  const query = useQuery({
    queryKey: ['uses', model.id, model.version, kind, name],
    queryFn: async ({ signal }) =>
      unwrap(await client.GET('/api/models/{model_id}/uses', { params: { path: { model_id: model.id }, query: { kind, name } }, signal }))
        .uses,
  });
  const uses = query.data ?? [];
  const open = (use: (typeof uses)[number]) => {
    if (use.kind === 'measure') set({ measure: use.owner, selection: { kind: 'measure', name: use.owner } });
    const probe = use.kind === 'probe' && model.probes.find((p) => p.name === use.owner);
    const folio = use.kind === 'folio' && model.folios.find((f) => f.name === use.owner);
    if (probe) set({ probe: asProbe(probe), folio: null, selection: null });
    if (folio) actions.openFolio(asFolio(folio));
    if (use.kind === 'table' || use.kind === 'column')
      set({ table: use.owner.split('.')[0] ?? '', selection: { kind: 'table', name: use.owner.split('.')[0] ?? '' } });
    void navigate(
      `/m/${model.id}/${use.kind === 'measure' ? 'measure' : use.kind === 'probe' || use.kind === 'folio' ? 'probe' : 'shape'}`,
    );
  };
  if (!query.data) return null;
  // What is built on a table or a column without naming it is told by its story.
  if (uses.length === 0)
    return kind === 'measure' && !model.measures.some((m) => m.builds_on.includes(name)) ? (
      <p className="quiet">No formula, probe or folio names it.</p>
    ) : null;
  return (
    <>
      <h3>Named in {uses.length === 1 ? '1 place' : `${uses.length} places`}</h3>
      <ul className="plain-list uses">
        {(all ? uses : uses.slice(0, FEW)).map((use) => (
          <li key={`${use.kind} ${use.owner} ${use.start}`}>
            <button type="button" className="plain" onClick={() => open(use)}>
              <b>{use.kind === 'measure' ? nameText(use.owner).toLowerCase() : use.owner}</b> <span className="quiet">{use.kind}</span>
              {use.formula && <code className="use-text">{around(use.formula, use.start, use.end)}</code>}
            </button>
          </li>
        ))}
      </ul>
      {!all && uses.length > FEW && (
        <button type="button" className="plain quiet" onClick={() => setAll(true)}>
          {uses.length - FEW} more
        </button>
      )}
    </>
  );
}

/** A formula's words about a place, which the server counts in code points. */
function around(formula: string, start: number, end: number): string {
  const points = [...formula];
  const from = Math.max(0, start - 18);
  return `${from ? '…' : ''}${points
    .slice(from, end + 22)
    .join('')
    .replaceAll('\n', ' ')}${end + 22 < points.length ? '…' : ''}`;
}
