// What can be done with a table or column from the Lens: describe, compute a column, remove, each with its consequences said first.
import { useState } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { actions } from '../../app/shown';
import { ConsequencesBox, useChange } from './Consequences';

export function TableTools({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const { edit, busy } = useEdits(model);
  const change = useChange(model);
  const [text, setText] = useState<string | null>(null);
  const [computing, setComputing] = useState(false);
  const make = async (e: Edit) => {
    if ((await edit(e)) && e.kind === 'drop_table') actions.select(null);
    change.clear();
  };
  return (
    <>
      <h3>Change</h3>
      {change.box && <ConsequencesBox model={model} box={change.box} onMake={(e) => void make(e)} onLeave={change.clear} />}
      <div className="row">
        <button type="button" className="pill small" onClick={() => setText(text === null ? table.description : null)}>Describe</button>
        {!table.formula && <button type="button" className="pill small" onClick={() => setComputing(!computing)}>Compute a column</button>}
        <button type="button" className="pill small" disabled={busy || change.busy} onClick={() => void change.ask({ kind: 'drop_table', name: table.name }).then((done) => done && actions.select(null))}>
          Remove the table
        </button>
      </div>
      {text !== null && (
        <form
          style={{ marginTop: 8 }}
          onSubmit={(e) => {
            e.preventDefault();
            void edit({ kind: 'describe_table', name: table.name, description: text }).then((ok) => ok && setText(null));
          }}
        >
          <textarea className="field" rows={3} aria-label={`Description of ${table.name}`} value={text} onChange={(e) => setText(e.target.value)} />
          <button type="submit" className="pill small">Keep</button>
        </form>
      )}
      {computing && <ColumnFormula model={model} table={table} name="" formula="" onDone={() => setComputing(false)} />}
    </>
  );
}

/** A computed column: a formula over the row, its look-ups and the model's measures. */
function ColumnFormula({ model, table, name, formula, onDone }: { model: ModelDocument; table: TableInfo; name: string; formula: string; onDone: () => void }) {
  const [called, setCalled] = useState(name);
  const [text, setText] = useState(formula);
  const { edit, busy } = useEdits(model);
  return (
    <form
      style={{ marginTop: 8 }}
      onSubmit={(e) => {
        e.preventDefault();
        void edit({ kind: 'put_column', name: table.name, column: { name: called.trim(), formula: text } }).then((ok) => ok && onDone());
      }}
    >
      {name === '' && <input className="field" aria-label="Name of the column" placeholder="name" value={called} onChange={(e) => setCalled(e.target.value)} />}
      <textarea className="field mono" rows={3} spellCheck={false} aria-label="Formula of the column" placeholder="column * Other.column" value={text} onChange={(e) => setText(e.target.value)} />
      <button type="submit" className="pill small" disabled={busy || !called.trim() || !text.trim()}>Keep</button>
    </form>
  );
}

export function ColumnTools({ model, table, column }: { model: ModelDocument; table: TableInfo; column: string }) {
  const info = table.columns.find((c) => c.name === column);
  const { edit, busy } = useEdits(model);
  const change = useChange(model);
  const [writing, setWriting] = useState(false);
  const [text, setText] = useState<string | null>(null);
  if (!info) return null;
  // A loaded column is left out by a step, so that the next load leaves it out, too.
  const leaveOut = (): Edit =>
    info.formula
      ? { kind: 'drop_column', name: table.name, column }
      : { kind: 'shape_table', name: table.name, steps: [...table.steps, { kind: 'choose_columns', columns: table.columns.filter((c) => c.name !== column && !c.formula).map((c) => c.name) }], title: `leave out ${table.name}.${column}` };
  return (
    <>
      <h3>Change</h3>
      {change.box && <ConsequencesBox model={model} box={change.box} onMake={(e) => void edit(e).then((ok) => { if (ok) actions.select({ kind: 'table', name: table.name }); change.clear(); })} onLeave={change.clear} />}
      <div className="row">
        {info.formula && <button type="button" className="pill small" onClick={() => setWriting(!writing)}>Change the formula</button>}
        <button type="button" className="pill small" onClick={() => setText(text === null ? info.description : null)}>Describe</button>
        <button type="button" className="pill small" disabled={busy} onClick={() => void edit({ kind: 'put_column', name: table.name, column: { name: column, hidden: !info.hidden } })}>{info.hidden ? 'Show in lists' : 'Hide from lists'}</button>
        {(info.formula || !table.formula) && (
          <button type="button" className="pill small" disabled={busy || change.busy} onClick={() => void change.ask(leaveOut()).then((done) => done && actions.select({ kind: 'table', name: table.name }))}>
            {info.formula ? 'Remove the column' : 'Leave the column out'}
          </button>
        )}
      </div>
      {text !== null && (
        <form
          style={{ marginTop: 8 }}
          onSubmit={(e) => {
            e.preventDefault();
            void edit({ kind: 'put_column', name: table.name, column: { name: column, description: text } }).then((ok) => ok && setText(null));
          }}
        >
          <textarea className="field" rows={3} aria-label={`Description of ${column}`} value={text} onChange={(e) => setText(e.target.value)} />
          <button type="submit" className="pill small">Keep</button>
        </form>
      )}
      {writing && <ColumnFormula model={model} table={table} name={column} formula={info.formula} onDone={() => setWriting(false)} />}
    </>
  );
}
