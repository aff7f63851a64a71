// Gather: the tables that are here, and where more come from.
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { problemOf, type ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { useGather } from './store';
import { Begin } from '../begin/Begin';
import { Database } from './Database';
import { HeldLoads, Loads } from './Loads';
import { ReadingPanel } from './ReadingPanel';
import { TableCards } from './TableCards';
import { DropPlace, FileChoice, KINDS, type Sending } from './DropPlace';
import { packed } from './folders';
import { putFile, startReading } from './requests';

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

export function Gather({ model }: { model: ModelDocument }) {
  const [side, setSide] = useState<Side>(null);
  const reading = useGather((s) => s.reading);
  const files = useSending(model);
  const read = (id: string | null) => actions.set({ reading: id });
  return (
    <div className="pad" data-region>
      <Begin model={model} />
      <DropPlace onFiles={(dropped) => void files.drop(dropped)} sending={files.sending} cancel={files.cancel}>
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
      <p style={{ margin: '14px 0 0' }}>
        <Link to="/models">Other models, copies, packages as models of their own</Link>
      </p>
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
