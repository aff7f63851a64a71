import { useQuery } from '@tanstack/react-query';
import { client, unwrap, type ModelDocument } from '../../api/client';
import './sql.css';
import { count, counted } from '../../shared/format';

const EVERY = 1000;

/** What a place is answering, while somebody waits for it: how far it is, and a way not to wait. */
export function AskedNow({ model, waits, onStop }: { model: ModelDocument; waits: boolean; onStop?: () => void }) {
  const asked = useQuery({
    queryKey: ['asked', model.id],
    enabled: waits,
    refetchInterval: EVERY,
    gcTime: 0,
    queryFn: async ({ signal }) =>
      unwrap(await client.GET('/api/models/{model_id}/connections/asked', { params: { path: { model_id: model.id } }, signal })).statements,
  });
  const oldest = waits ? asked.data?.[0] : undefined;
  if (!oldest || oldest.seconds < 1) return null;
  return (
    <p className="row asked-now" role="status">
      {oldest.total > 0 && <progress max={oldest.total} value={oldest.done} aria-label="Tasks that are done" />}
      <span className="quiet">
        Waiting for {oldest.connection}, {counted(Math.round(oldest.seconds), 'second')} so far
        {oldest.total > 0 ? `: ${count(oldest.done)} of ${counted(oldest.total, 'task')} done` : ''}
      </span>
      {onStop && (
        <button type="button" className="pill small" onClick={onStop}>
          Stop
        </button>
      )}
    </p>
  );
}

/** What is shown where nobody waits any more for what was asked. */
export function Stopped({ of, onAgain }: { of: string; onAgain: () => void }) {
  return (
    <p className="row asked-now" role="status">
      <span>You stopped it: {of}.</span>
      <button type="button" className="pill small" onClick={onAgain}>
        Ask again
      </button>
    </p>
  );
}
