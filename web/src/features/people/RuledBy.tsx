// The rules of rows that stand under every number: the first of all filters.
import type { ModelDocument } from '../../api/client';

/** By which rules the rows of whoever looks were cleared; nothing where they see all. */
export function RuledBy({ model, bar = false }: { model: ModelDocument; bar?: boolean }) {
  if (!model.cleared) return null;
  const { clearance, rules } = model.cleared;
  return (
    <p className={bar ? 'cleared-bar' : 'quiet'} role="note">
      {bar ? `You see the rows of ${clearance}: ` : `Before all other filters, by the clearance ${clearance}: `}
      <span className="mono">{rules.join(' and ')}</span>
    </p>
  );
}
