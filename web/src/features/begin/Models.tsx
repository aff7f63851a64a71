// The models that are here, each with a picture of its star: opened, copied, removed and brought back; and where a new one begins.
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { client, problemOf, unwrap, type ModelItem } from '../../api/client';
import { useModels, useRemovedModels } from '../../api/queries';
import { actions } from '../../app/shown';
import { counted, nameText } from '../../shared/format';
import { DropPlace, FileChoice, KINDS, type Sending } from '../gather/DropPlace';
import { openPackage, putFile, startReading } from '../gather/requests';
import { bringBack, copyModel, modelsChanged, removeModel } from './requests';

const sorry = (error: unknown, title?: string) =>
  actions.say({ problem: title ? { ...problemOf(error), title } : problemOf(error), retry: null });

/** What a model is called whose files were dropped: after the largest of them. */
function titleOf(files: File[]): string {
  const largest = files.reduce((a, b) => (b.size > a.size ? b : a));
  return nameText(largest.name.replace(/\.[^.]+$/, '')) || 'New model';
}

/** A model of its own from a package, or from files that are read into a new one. */
function useStart() {
  const [sending, setSending] = useState<Sending | null>(null);
  const navigate = useNavigate();
  const share = (name: string) => (part: number) => setSending({ name, share: part });
  const open = async (file: File) => {
    const id = await openPackage(file, share(file.name));
    await modelsChanged();
    void navigate(`/m/${id}/link`);
  };
  const gather = async (files: File[]) => {
    const { id } = unwrap(await client.POST('/api/models/new', { body: { title: titleOf(files) } }));
    for (const file of files) await putFile(id, file, share(file.name), new AbortController().signal);
    const reading = await startReading(id, { files: files.map((f) => f.name) });
    await modelsChanged();
    void navigate(`/m/${id}/gather`);
    actions.set({ reading: reading.id });
  };
  const start = async (files: File[]) => {
    const [first] = files;
    if (!first) return;
    actions.say(null);
    try {
      await (files.length === 1 && first.name.endsWith('.zip') ? open(first) : gather(files));
    } catch (error) {
      sorry(error, `${first.name} was not opened; nothing has changed.`);
    } finally {
      setSending(null);
    }
  };
  return { sending, start };
}

export function Models() {
  const models = useModels();
  const { sending, start } = useStart();
  const removed = useRemovedModels().data ?? [];
  const listed = models.data ?? [];
  return (
    <>
      <DropPlace onFiles={(files) => void start(files)} sending={sending} cancel={null}>
        <b>{listed.length ? 'Begin another model' : 'Begin'}: drop its files here</b>
        <div className="quiet">
          CSV, XLSX, ODS, Parquet, Arrow or JSON Lines, several at once; or a .zip of a data package, which opens as it is.
        </div>
      </DropPlace>
      <div className="row" style={{ marginBottom: 22 }}>
        <FileChoice solid label="Choose files" accept={KINDS} several onFiles={(files) => void start(files)} />
        <FileChoice label="Choose a package" accept=".zip" several={false} onFiles={(files) => void start(files)} />
        <NewModel />
      </div>
      <Removed models={removed} />
      <ul className="model-cards">
        {listed.map((m) => (
          <ModelCard key={m.id} model={m} />
        ))}
      </ul>
    </>
  );
}

const FIRST = 3;

/** What was removed lately, the newest first. */
function Removed({ models }: { models: ModelItem[] }) {
  if (models.length === 0) return null;
  const line = (m: ModelItem) => (
    <p key={m.id}>
      {m.title} is removed.{' '}
      <button
        type="button"
        className="pill small"
        aria-label={`Bring ${m.title} back`}
        onClick={() => void bringBack(m).catch((error: unknown) => sorry(error))}
      >
        Bring it back
      </button>
    </p>
  );
  return (
    <div role="status" className="note">
      {models.slice(0, FIRST).map(line)}
      {models.length > FIRST && (
        <details>
          <summary>{models.length - FIRST} more</summary>
          {models.slice(FIRST).map(line)}
        </details>
      )}
      <p className="quiet">What is removed stays for seven days.</p>
    </div>
  );
}

/** An empty model, by its name. */
function NewModel() {
  const [title, setTitle] = useState('');
  const navigate = useNavigate();
  const make = async () => {
    try {
      const { id } = unwrap(await client.POST('/api/models/new', { body: { title: title.trim() } }));
      await modelsChanged();
      void navigate(`/m/${id}/gather`);
    } catch (error) {
      sorry(error);
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
        placeholder="or an empty one: its name"
        value={title}
        onChange={(e) => setTitle(e.target.value)}
      />
      <button type="submit" className="pill" disabled={!title.trim()}>
        New model
      </button>
    </form>
  );
}

function ModelCard({ model }: { model: ModelItem }) {
  const navigate = useNavigate();
  const [busy, setBusy] = useState('');
  const [drawn, setDrawn] = useState(model.tables > 0);
  const act = (words: string, what: () => Promise<void>) => {
    setBusy(words);
    void what()
      .catch(sorry)
      .finally(() => setBusy(''));
  };
  const copy = async () => void navigate(`/m/${await copyModel(model)}/link`);
  return (
    <li className="model-card">
      <button type="button" className="picture" aria-label={`Open ${model.title}`} onClick={() => void navigate(`/m/${model.id}/link`)}>
        {drawn ? (
          <img
            src={`/api/models/${model.id}/document?kind=star-svg&shape=1.6&v=${model.version}`}
            alt=""
            loading="lazy"
            onError={() => setDrawn(false)}
          />
        ) : (
          <span className="quiet">{model.tables ? 'no picture' : 'empty'}</span>
        )}
      </button>
      <div className="row">
        <b className="clip">{model.title}</b>
        <span className="quiet">{counted(model.tables, 'table')}</span>
        <span className="grow" />
        {busy ? (
          <span className="wait">{busy}</span>
        ) : (
          <>
            <button type="button" className="plain quiet" aria-label={`Copy ${model.title}`} onClick={() => act('Copying…', copy)}>
              copy
            </button>
            <button
              type="button"
              className="plain quiet"
              aria-label={`Remove the model ${model.title}`}
              onClick={() => act('Removing…', () => removeModel(model))}
            >
              remove
            </button>
          </>
        )}
      </div>
    </li>
  );
}
