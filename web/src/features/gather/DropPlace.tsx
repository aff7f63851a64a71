// Where files are dropped or chosen, and how far they have been sent.
import { useState, type DragEvent } from 'react';
import { droppedFiles } from './folders';

export const KINDS = '.csv,.tsv,.txt,.tab,.xlsx,.xlsm,.ods,.parquet,.pq,.arrow,.feather,.ipc,.jsonl,.ndjson,.zip';

export interface Sending {
  name: string;
  share: number;
}

/** Where files are dropped; in a model they are read, without one a package becomes a model. */
export function DropPlace({
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

export function FileChoice({
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
