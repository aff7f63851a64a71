// Gather: the tables that are here, and where more come from.
import { useState, type DragEvent } from 'react';
import { useNavigate } from 'react-router';
import { client, problemOf, unwrap, type ModelDocument } from '../../api/client';
import { queryClient, useModels } from '../../api/queries';
import { actions } from '../../app/shown';
import { useGather } from './store';
import { counted } from '../../shared/format';
import { Database } from './Database';
import { HeldLoads, Loads } from './Loads';
import { ReadingPanel } from './ReadingPanel';
import { TableCards } from './TableCards';
import { droppedFiles, packed } from './folders';
import { openPackage, putFile, startReading } from './requests';

const KINDS = '.csv,.tsv,.txt,.tab,.xlsx,.xlsm,.ods,.parquet,.pq,.arrow,.feather,.ipc,.jsonl,.ndjson,.zip';

interface Sending {
  name: string;
  share: number;
}

/** Where files are dropped; in a model they are read, without one a package becomes a model. */
function DropPlace({
  onFiles,
  sending,
  cancel,
  children,
}: {
  onFiles: (files: File[]) => void;
  sending: Sending | null;
  cancel: (() => void) | null;
  children: React.ReactNode;
}) {
  const [over, setOver] = useState(false);
  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void droppedFiles(event.dataTransfer).then(onFiles);
  };
  return (
    <section
      aria-label="Drop files"
      className={over ? 'drop over' : 'drop'}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={onDrop}
    >
      <div style={{ flex: 1 }}>
        {children}
        {sending && (
          <div role="status" className="row">
            <progress value={sending.share} style={{ flex: 1 }} aria-label={`${sending.name} is sent`} />
            {sending.share < 1 ? `${sending.name}: ${Math.round(sending.share * 100)} % sent` : `${sending.name}: reading and checking…`}
            {cancel && (
              <button type="button" className="pill small" onClick={cancel}>
                Cancel
              </button>
            )}
          </div>
        )}
      </div>
    </section>
  );
}

function FileChoice({
  label,
  accept,
  several,
  onFiles,
  solid,
}: {
  label: string;
  accept: string;
  several: boolean;
  onFiles: (files: File[]) => void;
  solid?: boolean;
}) {
  return (
    <label className={solid ? 'pill solid' : 'pill'}>
      {label}
      <input
        className="visually-hidden"
        type="file"
        multiple={several}
        accept={accept}
        aria-label={label}
        onChange={(e) => {
          onFiles([...(e.target.files ?? [])]);
          e.target.value = '';
        }}
      />
    </label>
  );
}

/** A package in a folder: packed here, and sent as one file. */
function FolderChoice({ onFiles }: { onFiles: (files: File[]) => void }) {
  return (
    <label className="pill">
      Choose a package folder
      <input
        className="visually-hidden"
        type="file"
        aria-label="Choose a package folder"
        ref={(input) => input?.setAttribute('webkitdirectory', '')}
        onChange={(e) => {
          const files = [...(e.target.files ?? [])];
          e.target.value = '';
          const name = files[0]?.webkitRelativePath.split('/')[0] ?? 'package';
          void packed(
            name,
            files.map((f) => ({ path: f.webkitRelativePath, file: f })),
          ).then((file) => onFiles([file]));
        }}
      />
    </label>
  );
}

function useOpenPackage() {
  const [sending, setSending] = useState<Sending | null>(null);
  const navigate = useNavigate();
  const say = actions.say;
  const open = async (file: File | undefined) => {
    if (!file) return;
    setSending({ name: file.name, share: 0 });
    say(null);
    try {
      const id = await openPackage(file, (share) => setSending({ name: file.name, share }));
      await queryClient.invalidateQueries({ queryKey: ['models'] });
      void navigate(`/m/${id}/link`);
    } catch (error) {
      say({ problem: { ...problemOf(error), title: `${file.name} was not opened; nothing has changed.` }, retry: null });
    } finally {
      setSending(null);
    }
  };
  return { sending, open };
}

function NewModel() {
  const [title, setTitle] = useState('');
  const navigate = useNavigate();
  const say = actions.say;
  const make = async () => {
    try {
      const { id } = unwrap(await client.POST('/api/models/new', { body: { title: title.trim() } }));
      await queryClient.invalidateQueries({ queryKey: ['models'] });
      void navigate(`/m/${id}/gather`);
    } catch (error) {
      say({ problem: problemOf(error), retry: null });
    }
  };
  return (
    <form
      className="row"
      onSubmit={(e) => {
        e.preventDefault();
        if (title.trim()) void make();
      }}
    >
      <input
        className="field"
        style={{ width: 220 }}
        aria-label="Name of the new model"
        placeholder="A new model’s name"
        value={title}
        onChange={(e) => setTitle(e.target.value)}
      />
      <button type="submit" className="pill" disabled={!title.trim()}>
        New model
      </button>
    </form>
  );
}

/** Without a model: a package is opened, or an empty model begun. */
function Start() {
  const { sending, open } = useOpenPackage();
  return (
    <>
      <DropPlace onFiles={(files) => void open(files[0])} sending={sending} cancel={null}>
        <b>Open a data package</b>
        <div className="quiet">Drop a .zip with a datapackage.json and its CSV or Parquet files. It becomes a model of its own.</div>
      </DropPlace>
      <div className="row" style={{ marginBottom: 18 }}>
        <FileChoice label="Choose a package" accept=".zip" several={false} onFiles={(files) => void open(files[0])} />
        <span className="quiet">or begin with an empty one and drop files into it:</span>
        <NewModel />
      </div>
    </>
  );
}

export function Gather({ model }: { model: ModelDocument | null }) {
  return model ? (
    <Bench model={model} />
  ) : (
    <>
      <Start />
      <OtherModels model={null} />
    </>
  );
}

type Side = 'database' | 'loads' | null;

/** Files on their way to the server, then to a reading of them. */
function useSending(model: ModelDocument) {
  const [sending, setSending] = useState<Sending | null>(null);
  const [stop, setStop] = useState<AbortController | null>(null);
  const drop = async (files: File[]) => {
    if (!files.length) return;
    const control = new AbortController();
    setStop(control);
    actions.say(null);
    try {
      for (const file of files) {
        // One after the other: the slowest part is the disk, and a cancel leaves nothing half-sent.
        await putFile(model.id, file, (share) => setSending({ name: file.name, share }), control.signal);
      }
      actions.set({ reading: (await startReading(model.id, { files: files.map((f) => f.name) })).id });
    } catch (error) {
      if (!control.signal.aborted) actions.say({ problem: { ...problemOf(error), title: 'Nothing was gathered.' }, retry: null });
    } finally {
      setSending(null);
      setStop(null);
    }
  };
  return { sending, drop, cancel: stop ? () => stop.abort() : null };
}

function Bench({ model }: { model: ModelDocument }) {
  const [side, setSide] = useState<Side>(null);
  const reading = useGather((s) => s.reading);
  const files = useSending(model);
  const own = useOpenPackage();
  const read = (id: string | null) => actions.set({ reading: id });
  return (
    <div className="pad" data-region>
      <DropPlace onFiles={(dropped) => void files.drop(dropped)} sending={files.sending ?? own.sending} cancel={files.cancel}>
        <b>Drop files here</b>
        <div className="quiet">
          CSV, XLSX, ODS, Parquet, Arrow, JSON Lines, or packages as .zip; several at once. Nothing is taken before you have seen it.
        </div>
      </DropPlace>
      <Ways model={model} side={side} onSide={(chosen) => setSide(side === chosen ? null : chosen)} onFiles={(f) => void files.drop(f)} />
      {side === 'database' && <Database model={model} onReading={read} />}
      {side === 'loads' && <Loads model={model} />}
      <HeldLoads model={model} />
      {reading && <ReadingPanel key={reading} model={model} id={reading} onEnd={() => read(null)} onReading={read} />}
      <TableCards model={model} onReading={read} />
      <div className="row" style={{ margin: '18px 0 0' }}>
        <span className="quiet">Take the model along:</span>
        <a className="pill small" href={`/api/models/${model.id}/package?data=csv`}>
          package with CSV
        </a>
        <a className="pill small" href={`/api/models/${model.id}/package?data=parquet`}>
          package with Parquet
        </a>
      </div>
      <h2 style={{ margin: '26px 0 8px' }}>Models here</h2>
      <div className="row" style={{ marginBottom: 12 }}>
        <FileChoice label="Open a package as its own model" accept=".zip" several={false} onFiles={(chosen) => void own.open(chosen[0])} />
        <NewModel />
      </div>
      <OtherModels model={model} />
    </div>
  );
}

interface WaysProps {
  model: ModelDocument;
  side: Side;
  onSide: (side: Side) => void;
  onFiles: (files: File[]) => void;
}

/** The ways that rows come in beside dropping files. */
function Ways({ model, side, onSide, onFiles }: WaysProps) {
  const navigate = useNavigate();
  const make = () => {
    actions.set({ shapeView: 'make' });
    void navigate(`/m/${model.id}/shape`);
  };
  return (
    <div className="row" style={{ marginBottom: 18 }}>
      <FileChoice solid label="Choose files" accept={KINDS} several onFiles={onFiles} />
      <FolderChoice onFiles={onFiles} />
      <button type="button" className="pill" aria-expanded={side === 'database'} onClick={() => onSide('database')}>
        From a database
      </button>
      <button type="button" className="pill" onClick={make}>
        Make a table here
      </button>
      <button type="button" className="pill" aria-expanded={side === 'loads'} onClick={() => onSide('loads')}>
        Loads and schedules
      </button>
    </div>
  );
}

function OtherModels({ model }: { model: ModelDocument | null }) {
  const models = useModels();
  const navigate = useNavigate();
  const say = actions.say;
  const [removing, setAsked] = useState<number | null>(null);
  const others = (models.data ?? []).filter((m) => m.id !== model?.id);
  const remove = async (id: number) => {
    try {
      unwrap(await client.DELETE('/api/models/{model_id}', { params: { path: { model_id: id } } }));
      await queryClient.invalidateQueries({ queryKey: ['models'] });
    } catch (error) {
      say({ problem: problemOf(error), retry: null });
    }
    setAsked(null);
  };
  if (others.length === 0)
    return model ? <p className="quiet">This is the only model here; {counted(model.tables.length, 'table')}.</p> : null;
  return (
    <ul className="plain-list">
      {others.map((m) => (
        <li key={m.id} className="row">
          <button type="button" className="plain" onClick={() => void navigate(`/m/${m.id}/link`)}>
            <b>{m.title}</b> <span className="quiet">{m.name}</span>
          </button>
          {removing === m.id ? (
            <>
              <span className="signal">Remove it with all its rows and files? This cannot be undone.</span>
              <button type="button" className="pill small" onClick={() => void remove(m.id)}>
                Remove {m.title}
              </button>
              <button type="button" className="pill small" onClick={() => setAsked(null)}>
                Keep it
              </button>
            </>
          ) : (
            <button type="button" className="plain quiet" onClick={() => setAsked(m.id)} aria-label={`Remove the model ${m.title}`}>
              remove
            </button>
          )}
        </li>
      ))}
    </ul>
  );
}
