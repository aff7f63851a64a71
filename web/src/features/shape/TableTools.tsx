// What can be done with a table or column from the Lens: rename, describe, compute a column, remove, each with its consequences said first.
import { useState } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { actions } from '../../app/shown';
import { quotedName } from '../../shared/format';
import { useKept } from '../../shared/kept';
import { useSaver } from '../../shared/saver';
import { RoleForm } from '../link/RoleForm';
import { RenameButton } from '../names/Rename';
import { ComputedPreview, useComputed } from './ComputedPreview';
import { ConsequencesBox, useChange } from './Consequences';

export function TableTools({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const { edit, busy } = useEdits(model);
  const change = useChange(model);
  const [computing, setComputing] = useState(false);
  const [hiding, setHiding] = useState(false);
  const [role, setRole] = useState(false);
  const make = async (e: Edit) => {
    if ((await edit(e)) && e.kind === 'drop_table') actions.select(null);
    change.clear();
  };
  const renamed = (to: string) => actions.set({ selection: { kind: 'table', name: to }, table: to });
  return (
    <>
      <h3>Change</h3>
      {change.box && <ConsequencesBox model={model} box={change.box} onMake={(e) => void make(e)} onLeave={change.clear} />}
      <div className="row">
        <RenameButton model={model} what="table" name={table.name} onRenamed={renamed} />
        {!table.formula && (
          <button type="button" className="pill small" onClick={() => setComputing(!computing)}>
            Compute a column
          </button>
        )}
        <button type="button" className="pill small" onClick={() => setHiding(!hiding)}>
          Hide columns
        </button>
        {!table.formula && (
          <button type="button" className="pill small" onClick={() => setRole(!role)}>
            Use it in another role
          </button>
        )}
        <button
          type="button"
          className="pill small"
          disabled={busy || change.busy}
          onClick={() => void change.ask({ kind: 'drop_table', name: table.name }).then((done) => done && actions.select(null))}
        >
          Remove the table
        </button>
      </div>
      <Words
        model={model}
        what={`table ${table.name}`}
        label={`Description of ${table.name}`}
        saved={table.description}
        send={(text) => ({ kind: 'describe_table', name: table.name, description: text })}
      />
      {hiding && <HideColumns model={model} table={table} onDone={() => setHiding(false)} />}
      {role && <RoleForm model={model} table={table} onDone={() => setRole(false)} />}
      {computing && <ColumnFormula model={model} table={table} name="" formula="" onDone={() => setComputing(false)} />}
    </>
  );
}

/** A description: what was typed stays until it is kept or thrown away. */
function Words({
  model,
  what,
  label,
  saved,
  send,
}: {
  model: ModelDocument;
  what: string;
  label: string;
  saved: string;
  send: (text: string) => Edit;
}) {
  const { edit, busy } = useEdits(model);
  const kept = useKept(model.id, 'text', what, saved);
  const [open, setOpen] = useState(kept.changed);
  const keep = () =>
    void edit(send(kept.value)).then((ok) => {
      if (ok) {
        kept.drop();
        setOpen(false);
      }
    });
  useSaver(keep, open && kept.changed);
  if (!open)
    return (
      <p style={{ marginTop: 8 }}>
        <button type="button" className="pill small" onClick={() => setOpen(true)}>
          Describe
        </button>
      </p>
    );
  return (
    <form
      style={{ marginTop: 8 }}
      onSubmit={(e) => {
        e.preventDefault();
        keep();
      }}
    >
      {kept.theirs && (
        <p className="signal" role="alert">
          Somebody wrote meanwhile: “{saved}” Keep puts yours in its place.
        </p>
      )}
      <textarea className="field" rows={3} aria-label={label} value={kept.value} onChange={(e) => kept.put(e.target.value)} />
      <div className="row">
        <button type="submit" className="pill small" disabled={busy || !kept.changed}>
          Keep
        </button>
        <button
          type="button"
          className="pill small"
          onClick={() => {
            kept.drop();
            setOpen(false);
          }}
        >
          {kept.changed ? 'Throw it away' : 'Leave it'}
        </button>
      </div>
    </form>
  );
}

/** Which columns lists show, all of them at once. */
function HideColumns({ model, table, onDone }: { model: ModelDocument; table: TableInfo; onDone: () => void }) {
  const { edit, busy } = useEdits(model);
  const [hidden, setHidden] = useState(() => new Set(table.columns.filter((c) => c.hidden).map((c) => c.name)));
  const changed = table.columns.filter((c) => c.hidden !== hidden.has(c.name));
  const turn = (name: string) =>
    setHidden((old) => {
      const next = new Set(old);
      if (!next.delete(name)) next.add(name);
      return next;
    });
  const send = async (event: React.FormEvent) => {
    event.preventDefault();
    const columns = changed.map((c) => ({ name: c.name, hidden: hidden.has(c.name) }));
    if (await edit({ kind: 'put_columns', name: table.name, columns, title: `hide ${hidden.size} columns of ${table.name}` })) onDone();
  };
  return (
    <form className="hide-columns" aria-label="Columns that lists leave out" onSubmit={(e) => void send(e)}>
      <div className="row">
        <button type="button" className="pill small" onClick={() => setHidden(new Set(table.columns.map((c) => c.name)))}>
          All
        </button>
        <button type="button" className="pill small" onClick={() => setHidden(new Set())}>
          None
        </button>
        <button type="button" className="pill small" onClick={() => setHidden(new Set(keysOf(model, table)))}>
          The keys of its links
        </button>
      </div>
      {table.columns.map((c) => (
        <label key={c.name}>
          <input type="checkbox" checked={hidden.has(c.name)} onChange={() => turn(c.name)} /> {c.name}
        </label>
      ))}
      <div className="row">
        <button type="submit" className="pill small solid" disabled={busy || changed.length === 0}>
          Leave these out of lists
        </button>
        <button type="button" className="pill small" onClick={onDone}>
          Leave it
        </button>
      </div>
    </form>
  );
}

function keysOf(model: ModelDocument, table: TableInfo): string[] {
  return model.links.flatMap((k) => [
    ...(k.from_table === table.name ? k.from_columns : []),
    ...(k.to_table === table.name ? k.to_columns : []),
  ]);
}

/** A computed column: a formula over the row, its look-ups and the model's measures, with the rows it would give. */
function ColumnFormula({
  model,
  table,
  name,
  formula,
  onDone,
}: {
  model: ModelDocument;
  table: TableInfo;
  name: string;
  formula: string;
  onDone: () => void;
}) {
  const kept = useKept(model.id, 'made', `column ${table.name} ${name}`, { name, formula });
  const { edit, busy } = useEdits(model);
  const { name: called, formula: text } = kept.value;
  const computed = useComputed(model, text, table.name, called.trim());
  const keep = () => {
    if (called.trim() && computed.sound)
      void edit({ kind: 'put_column', name: table.name, column: { name: called.trim(), formula: text } }).then((ok) => {
        if (ok) {
          kept.drop();
          onDone();
        }
      });
  };
  useSaver(keep, kept.changed);
  return (
    <form
      style={{ marginTop: 8 }}
      onSubmit={(e) => {
        e.preventDefault();
        keep();
      }}
    >
      {name === '' && (
        <input
          className="field"
          aria-label="Name of the column"
          placeholder="name"
          value={called}
          onChange={(e) => kept.put({ name: e.target.value, formula: text })}
        />
      )}
      <textarea
        className="field mono"
        rows={3}
        spellCheck={false}
        aria-label="Formula of the column"
        placeholder="column * Other.column"
        value={text}
        onChange={(e) => kept.put({ name: called, formula: e.target.value })}
      />
      <ComputedPreview computed={computed} most={6} />
      <div className="row">
        <button type="submit" className="pill small" disabled={busy || !called.trim() || !computed.sound}>
          Keep
        </button>
        <button
          type="button"
          className="pill small"
          onClick={() => {
            kept.drop();
            onDone();
          }}
        >
          {kept.changed ? 'Throw it away' : 'Leave it'}
        </button>
      </div>
    </form>
  );
}

/** The edit that removes a column: a loaded one is left out by a step, so that the next load leaves it out, too. */
function leavingOut(table: TableInfo, column: string): Edit {
  if (table.columns.find((c) => c.name === column)?.formula) return { kind: 'drop_column', name: table.name, column };
  const kept = table.columns.filter((c) => c.name !== column && !c.formula).map((c) => c.name);
  return {
    kind: 'shape_table',
    name: table.name,
    steps: [...table.steps, { kind: 'choose_columns', columns: kept }],
    title: `leave out ${table.name}.${column}`,
  };
}

export function ColumnTools({ model, table, column }: { model: ModelDocument; table: TableInfo; column: string }) {
  const info = table.columns.find((c) => c.name === column);
  const { edit } = useEdits(model);
  const change = useChange(model);
  const [writing, setWriting] = useState(false);
  const left = () => actions.select({ kind: 'table', name: table.name });
  if (!info) return null;
  return (
    <>
      <h3>Change</h3>
      {change.box && (
        <ConsequencesBox
          model={model}
          box={change.box}
          onMake={(e) =>
            void edit(e).then((ok) => {
              if (ok) left();
              change.clear();
            })
          }
          onLeave={change.clear}
        />
      )}
      <ColumnActions
        model={model}
        table={table}
        info={info}
        asking={change.busy}
        onWrite={() => setWriting(!writing)}
        onLeaveOut={() => void change.ask(leavingOut(table, column)).then((done) => done && left())}
      />
      <OrderedBy model={model} table={table} info={info} />
      <Words
        key={column}
        model={model}
        what={`column ${table.name}.${column}`}
        label={`Description of ${column}`}
        saved={info.description}
        send={(text) => ({ kind: 'put_column', name: table.name, column: { name: column, description: text } })}
      />
      {writing && <ColumnFormula model={model} table={table} name={column} formula={info.formula} onDone={() => setWriting(false)} />}
    </>
  );
}

interface OfColumn {
  model: ModelDocument;
  table: TableInfo;
  info: TableInfo['columns'][number];
}

interface ActionProps extends OfColumn {
  asking: boolean;
  onWrite: () => void;
  onLeaveOut: () => void;
}

function ColumnActions({ model, table, info, asking, onWrite, onLeaveOut }: ActionProps) {
  const { edit, busy } = useEdits(model);
  return (
    <div className="row">
      {!table.formula && (
        <RenameButton
          key={info.name}
          model={model}
          what="column"
          name={`${quotedName(table.name)}.${quotedName(info.name)}`}
          onRenamed={(to) => actions.select({ kind: 'column', table: table.name, name: to })}
        />
      )}
      {info.formula && (
        <button type="button" className="pill small" onClick={onWrite}>
          Change the formula
        </button>
      )}
      <button
        data-needs="edit"
        type="button"
        className="pill small"
        disabled={busy}
        onClick={() => void edit({ kind: 'put_column', name: table.name, column: { name: info.name, hidden: !info.hidden } })}
      >
        {info.hidden ? 'Show in lists' : 'Hide from lists'}
      </button>
      {(info.formula || !table.formula) && (
        <button type="button" className="pill small" disabled={busy || asking} onClick={onLeaveOut}>
          {info.formula ? 'Remove the column' : 'Leave the column out'}
        </button>
      )}
    </div>
  );
}

function OrderedBy({ model, table, info }: OfColumn) {
  const { edit, busy } = useEdits(model);
  return (
    <p style={{ marginTop: 8 }}>
      <label className="row">
        Its members are ordered by{' '}
        <select
          className="field short"
          aria-label={`What ${info.name} is ordered by`}
          value={info.order_by}
          disabled={busy}
          onChange={(e) => void edit({ kind: 'put_column', name: table.name, column: { name: info.name, order_by: e.target.value } })}
        >
          <option value="">what they are</option>
          {table.columns
            .filter((c) => c.name !== info.name)
            .map((c) => (
              <option key={c.name} value={c.name}>
                {c.name}
              </option>
            ))}
        </select>
      </label>
    </p>
  );
}
