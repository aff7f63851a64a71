// Measures as text, many at once: written out, changed anywhere, taken in with a preview of what is new, changed or clashing.
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type ModelDocument, type SheetItem } from '../../api/client';
import { useEdits } from '../../api/queries';
import { counted } from '../../shared/format';
import { Difference } from './Difference';

export function SheetText({ model, close }: { model: ModelDocument; close: () => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const { edit, busy } = useEdits(model);
  const params = { path: { model_id: model.id } };
  const out = useQuery({
    queryKey: ['sheet', model.id, model.version],
    queryFn: async () => unwrap(await client.GET('/api/models/{model_id}/measures/text', { params })).text,
  });
  const text = typed ?? out.data ?? '';
  const [asked] = useDebouncedValue(text, 250);
  const preview = useQuery({
    queryKey: ['sheet-preview', model.id, model.version, asked],
    enabled: typed !== null && asked.trim() !== '',
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(await client.POST('/api/models/{model_id}/measures/text', { params, body: { text: asked }, signal })),
  });
  const items = typed === null ? [] : (preview.data?.items ?? []);
  const errors = typed === null ? [] : (preview.data?.errors ?? []);
  const able = (i: SheetItem) => (i.state === 'new' || i.state === 'changed') && i.errors.length === 0;
  const chosen = items.filter((i) => able(i) && !left.has(i.name));
  const take = async () => {
    if (await edit({ kind: 'put_measures', text: asked, names: chosen.map((i) => i.name) })) setTyped(null);
  };
  const read = async (files: FileList | null) => {
    const file = files?.[0];
    if (file) setTyped(await file.text());
  };
  const states: [SheetItem['state'], string][] = [
    ['new', 'new'],
    ['changed', 'changed'],
    ['clash', 'clashing'],
    ['same', 'as they are'],
  ];
  return (
    <div className="pad sheet-text">
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
        {typed !== null && (
          <button type="button" className="pill small" onClick={() => setTyped(null)}>
            As the model has them
          </button>
        )}
        <button type="button" className="pill small" onClick={close}>
          Close
        </button>
      </div>
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
        <section aria-label="What would change" aria-busy={preview.isFetching}>
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
          {states.map(([state, words]) => {
            const listed = items.filter((i) => i.state === state);
            return listed.length === 0 ? null : (
              <div key={state}>
                <h3>
                  {listed.length} {words}
                </h3>
                {state !== 'same' &&
                  listed.map((i) => (
                    <div key={i.name} className="sheet-item">
                      <label>
                        <input
                          type="checkbox"
                          disabled={!able(i)}
                          checked={able(i) && !left.has(i.name)}
                          onChange={() => {
                            const next = new Set(left);
                            if (!next.delete(i.name)) next.add(i.name);
                            setLeft(next);
                          }}
                        />{' '}
                        <b className="measure-ink">{i.name}</b> <span className="quiet">line {i.line}</span>
                      </label>
                      {i.difference.length > 0 && <Difference pieces={i.difference} />}
                      {i.changes
                        .filter((c) => c.part !== 'formula' || i.difference.length === 0)
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
                      {i.errors.map((e) => (
                        <div key={e.code + e.message} className="signal">
                          {e.message} <span className="quiet">{e.mend}</span>
                        </div>
                      ))}
                    </div>
                  ))}
              </div>
            );
          })}
          {items.length > 0 && (
            <p>
              <button
                type="button"
                className="pill solid"
                disabled={busy || chosen.length === 0 || asked !== text}
                onClick={() => void take()}
              >
                Take {counted(chosen.length, 'measure')} in
              </button>
            </p>
          )}
        </section>
      </div>
    </div>
  );
}
