// A table used again in another role: a table of its own that shares the rows, linked by a column of its own. One edit, one undo.
import { useState } from 'react';
import type { LinkInfo, ModelDocument, TableInfo } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
import { quotedName } from '../../shared/format';

const columnsOf = (link: LinkInfo) => link.from_columns.map((c) => `${quotedName(link.from_table)}.${quotedName(c)}`);

/** `link`: the link that is to lead to the role instead; without one any link to the table, or none, can be chosen. */
export function RoleForm({ model, table, link, onDone }: { model: ModelDocument; table: TableInfo; link?: LinkInfo; onDone: () => void }) {
  const { edit, busy } = useEdits(model);
  const links = link ? [link] : model.links.filter((k) => k.to_table === table.name && k.from_table !== table.name);
  const [by, setBy] = useState(link?.name ?? links.find((k) => !k.active)?.name ?? '');
  const chosen = links.find((k) => k.name === by);
  const proposed = chosen ? chosen.role_name : `${table.name} again`;
  const [typed, setTyped] = useState<string | null>(null);
  const name = typed ?? proposed;
  const taken = model.tables.some((t) => t.name.toLowerCase() === name.trim().toLowerCase());
  const send = async (event: React.FormEvent) => {
    event.preventDefault();
    if (!(await edit({ kind: 'make_role', name: table.name, as: name.trim(), columns: chosen ? columnsOf(chosen) : [] }))) return;
    actions.select({ kind: 'table', name: name.trim() });
    onDone();
  };
  return (
    <form
      className="role-form"
      aria-label={`Use ${table.name} in a role`}
      onSubmit={(e) => void send(e)}
      onKeyDown={(e) => e.key === 'Escape' && onDone()}
    >
      {!link && links.length > 0 && (
        <label>
          Linked by
          <select className="field" value={by} onChange={(e) => setBy(e.target.value)}>
            <option value="">no link yet</option>
            {links.map((k) => (
              <option key={k.name} value={k.name}>
                {k.from_table}.{k.from_columns.join(', ')}
                {k.active ? '' : ' (inactive)'}
              </option>
            ))}
          </select>
        </label>
      )}
      <label>
        Name of the role
        <input className="field" value={name} onChange={(e) => setTyped(e.target.value)} />
      </label>
      {taken && <p className="signal">There is a table of this name already.</p>}
      <p className="quiet">
        A table with the rows of {table.name}, now and after every load
        {chosen ? `; ${chosen.from_table} is linked to it by ${chosen.from_columns.join(', ')}, active, in place of this link` : ''}. Its
        keys are hidden.
      </p>
      <div className="row">
        <button type="submit" className="pill small solid" disabled={busy || taken || name.trim() === ''}>
          Make the role
        </button>
        <button type="button" className="pill small" onClick={onDone}>
          Leave it
        </button>
      </div>
    </form>
  );
}
