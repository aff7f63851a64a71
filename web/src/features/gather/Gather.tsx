// Gather: the tables that are here, and where more come from.
import { useState, type DragEvent } from 'react';
import { useNavigate } from 'react-router';
import { Refusal, author, problemOf, type ModelDocument, type Problem, type TableInfo } from '../../api/client';
import { queryClient, useModels } from '../../api/queries';
import { actions, useShown } from '../../app/shown';
import { RoleMark } from '../../marks/Marks';
import { count } from '../../shared/format';

/** Sends a package; the browser tells how much of it has gone. */
function upload(file: File, onProgress: (share: number) => void): Promise<number> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open('POST', '/api/models');
    request.setRequestHeader('X-Nexorem-Author', author());
    request.setRequestHeader('Content-Type', 'application/zip');
    request.upload.addEventListener('progress', (e) => e.lengthComputable && onProgress(e.loaded / e.total));
    request.addEventListener('error', () => reject(new Error('The server did not answer.')));
    request.addEventListener('load', () => {
      const answer = JSON.parse(request.responseText || '{}') as { id?: number } & Partial<Problem>;
      if (request.status === 200 && answer.id !== undefined) resolve(answer.id);
      else reject(new Refusal(answer as Problem));
    });
    request.send(file);
  });
}

function OpenPackage() {
  const [over, setOver] = useState(false);
  const [progress, setProgress] = useState<number | null>(null);
  const navigate = useNavigate();
  const say = useShown((s) => s.say);
  const open = async (file: File | undefined) => {
    if (!file) return;
    setProgress(0);
    say(null);
    try {
      const id = await upload(file, setProgress);
      await queryClient.invalidateQueries({ queryKey: ['models'] });
      void navigate(`/m/${id}/link`);
    } catch (error) {
      say({ problem: { ...problemOf(error), title: `${file.name} was not opened; nothing has changed.` }, retry: null });
    } finally {
      setProgress(null);
    }
  };
  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void open(event.dataTransfer.files[0]);
  };
  return (
    <section
      aria-label="Open a package"
      className={over ? 'drop over' : 'drop'}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={onDrop}
    >
      <div style={{ flex: 1 }}>
        <b>Open a data package</b>
        <div className="quiet">
          Drop a .zip with a datapackage.json and its CSV or Parquet files here. It becomes a model of its own; the others stay as they are.
        </div>
        {progress !== null && (
          <div role="status">
            {progress < 1 ? `${Math.round(progress * 100)} % sent` : 'Reading and checking its tables…'}
            <progress value={progress} style={{ width: '100%' }} />
          </div>
        )}
      </div>
      <label className="pill solid">
        Choose a file
        <input className="visually-hidden" type="file" accept=".zip" onChange={(e) => void open(e.target.files?.[0])} />
      </label>
    </section>
  );
}

function TableCard({ table }: { table: TableInfo }) {
  const selection = useShown((s) => s.selection);
  const { select, set } = actions;
  const chosen = selection?.kind === 'table' && selection.name === table.name;
  return (
    <button
      type="button"
      className="card"
      aria-pressed={chosen}
      onClick={() => {
        select({ kind: 'table', name: table.name });
        set({ table: table.name });
      }}
    >
      <span className="row">
        <RoleMark role={table.role} />
        <b>{table.name}</b>
      </span>
      <span>
        {count(table.rows)} rows, {table.columns.length} columns
      </span>
      <span className="quiet">{table.source ? `from ${table.source}` : 'from the package'}</span>
      <span className="quiet">
        {table.candidate_keys.length ? (
          <>
            keys that would do: <span className="mono">{table.candidate_keys.slice(0, 3).join(', ')}</span>
            {table.candidate_keys.length > 3 ? ` and ${table.candidate_keys.length - 3} more` : ''}
          </>
        ) : (
          'no single column is a key'
        )}
      </span>
    </button>
  );
}

function OtherModels({ model }: { model: ModelDocument | null }) {
  const models = useModels();
  const navigate = useNavigate();
  const others = (models.data ?? []).filter((m) => m.id !== model?.id);
  if (others.length === 0) return null;
  return (
    <>
      <h2 style={{ margin: '22px 0 8px' }}>Other models here</h2>
      <div className="cards">
        {others.map((m) => (
          <button key={m.id} type="button" className="card" onClick={() => void navigate(`/m/${m.id}/link`)}>
            <b>{m.title}</b>
            <span className="quiet">{m.name}</span>
          </button>
        ))}
      </div>
    </>
  );
}

export function Gather({ model }: { model: ModelDocument | null }) {
  return (
    <div className={model ? 'pad' : ''}>
      <OpenPackage />
      {model && (
        <>
          <div className="row" style={{ justifyContent: 'space-between', marginBottom: 10 }}>
            <h2>
              {model.tables.length} tables, {count(model.tables.reduce((n, t) => n + t.rows, 0))} rows
            </h2>
            <span className="row">
              Take it along:
              <a className="pill small" href={`/api/models/${model.id}/package?data=csv`}>
                package with CSV
              </a>
              <a className="pill small" href={`/api/models/${model.id}/package?data=parquet`}>
                package with Parquet
              </a>
            </span>
          </div>
          <div className="cards">
            {model.tables.map((t) => (
              <TableCard key={t.name} table={t} />
            ))}
          </div>
        </>
      )}
      <OtherModels model={model} />
    </div>
  );
}
