// Measures as text, many at once: written out, changed anywhere, taken in with a preview of what is new, changed or clashing.
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type ModelDocument, type SheetItem } from '../../api/client';
import { useEdits } from '../../api/queries';
import { counted } from '../../shared/format';
import { Difference } from './Difference';

const STATES: [SheetItem['state'], string][] = [
  ['new', 'new'],
  ['changed', 'changed'],
  ['clash', 'clashing'],
  ['same', 'as they are'],
];

const able = (i: SheetItem) => (i.state === 'new' || i.state === 'changed') && i.errors.length === 0;

/** The text as it is written, or as the model has it, and what taking it in would do. */
function useSheet(model: ModelDocument) {
  const [typed, setTyped] = useState<string | null>(null);
  const params = { path: { model_id: model.id } };
  const out = useQuery({
    queryKey: ['sheet', model.id, model.version],
    queryFn: async () => unwrap(await client.GET('/api/models/{model_id}/measures/text', { params })).text,
  });
  const text = typed ?? out.data ?? '';
  const [debounced] = useDebouncedValue(text, 250);
  const preview = useQuery({
    queryKey: ['sheet-preview', model.id, model.version, debounced],
    enabled: typed !== null && debounced.trim() !== '',
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(await client.POST('/api/models/{model_id}/measures/text', { params, body: { text: debounced }, signal })),
  });
  const outcome = typed === null ? undefined : preview.data;
  return { typed, setTyped, text, debounced, items: outcome?.items ?? [], errors: outcome?.errors ?? [], waits: preview.isFetching };
}

type Sheet = ReturnType<typeof useSheet>;

export function SheetText({ model, close }: { model: ModelDocument; close: () => void }) {
  const sheet = useSheet(model);
  const { typed, setTyped, text } = sheet;
  return (
    <div className="pad sheet-text">
      <SheetHead text={text} typed={typed !== null} put={setTyped} close={close} />
      <p className="quiet">
        Each is name = formula; with what is said of it in comments before. Change them here, or paste others: nothing is taken in before
        you say so.
      </p>
      <div className="sheet-halves">
        <textarea
          className="field mono"
          aria-label="Measures as text"
          spellCheck={false}
          value={text}
          onChange={(e) => setTyped(e.target.value)}
        />
        <Changes model={model} sheet={sheet} />
      </div>
    </div>
  );
}

interface HeadGiven {
  text: string;
  typed: boolean;
  put: (text: string | null) => void;
  close: () => void;
}

function SheetHead({ text, typed, put, close }: HeadGiven) {
  const read = async (files: FileList | null) => {
    const file = files?.[0];
    if (file) put(await file.text());
  };
  return (
    <div className="row">
      <h2>Measures as text</h2>
      <span style={{ flex: 1 }} />
      <a className="pill small" href={`data:text/plain;charset=utf-8,${encodeURIComponent(text)}`} download="measures.txt">
        Save to a file
      </a>
      <label className="pill small file-pill">
        Read a file
        <input type="file" accept=".txt,.sql,text/plain" className="visually-hidden" onChange={(e) => void read(e.target.files)} />
      </label>
      {typed && (
        <button type="button" className="pill small" onClick={() => put(null)}>
          As the model has them
        </button>
      )}
      <button type="button" className="pill small" onClick={close}>
        Close
      </button>
    </div>
  );
}

/** What would change, of which some can be left out. */
function Changes({ model, sheet }: { model: ModelDocument; sheet: Sheet }) {
  const { typed, setTyped, text, debounced, items, errors, waits } = sheet;
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const { edit, busy } = useEdits(model);
  const chosen = items.filter((i) => able(i) && !left.has(i.name));
  const take = async () => {
    if (await edit({ kind: 'put_measures', text: debounced, names: chosen.map((i) => i.name) })) setTyped(null);
  };
  const toggle = (name: string) => {
    const next = new Set(left);
    if (!next.delete(name)) next.add(name);
    setLeft(next);
  };
  return (
    <section aria-label="What would change" aria-busy={waits}>
      {typed === null && <p className="quiet empty-place">Here stands what would change, as you write.</p>}
      {errors.map((e) => (
        <p key={e.in + e.message} className="wrong" role="alert">
          <span className="signal">◆</span>
          <span>
            <b>
              {e.in}: {e.message}
            </b>{' '}
            <span className="quiet">{e.mend}</span>
          </span>
        </p>
      ))}
      {STATES.map(([state, words]) => {
        const listed = items.filter((i) => i.state === state);
        return listed.length === 0 ? null : (
          <div key={state}>
            <h3>
              {listed.length} {words}
            </h3>
            {state !== 'same' && listed.map((i) => <Item key={i.name} item={i} taken={!left.has(i.name)} onToggle={toggle} />)}
          </div>
        );
      })}
      {items.length > 0 && (
        <p>
          <button
            type="button"
            className="pill solid"
            disabled={busy || chosen.length === 0 || debounced !== text}
            onClick={() => void take()}
          >
            Take {counted(chosen.length, 'measure')} in
          </button>
        </p>
      )}
    </section>
  );
}

/** One measure of the text: what of it is new or changed, and what is wrong with it. */
function Item({ item, taken, onToggle }: { item: SheetItem; taken: boolean; onToggle: (name: string) => void }) {
  return (
    <div className="sheet-item">
      <label>
        <input type="checkbox" disabled={!able(item)} checked={able(item) && taken} onChange={() => onToggle(item.name)} />{' '}
        <b className="measure-ink">{item.name}</b> <span className="quiet">line {item.line}</span>
      </label>
      {item.difference.length > 0 && <Difference pieces={item.difference} />}
      {item.changes
        .filter((c) => c.part !== 'formula' || item.difference.length === 0)
        .map((c) => (
          <div key={c.part} className="quiet">
            {c.part.replace('_', ' ')}:{' '}
            {c.before ? (
              <>
                <s>{c.before}</s> ›{' '}
              </>
            ) : (
              ''
            )}
            {c.after || 'none'}
          </div>
        ))}
      {item.errors.map((e) => (
        <div key={e.code + e.message} className="signal">
          {e.message} <span className="quiet">{e.mend}</span>
        </div>
      ))}
    </div>
  );
}
