// Making a link: both keys, what the data prove, who is newly filtered, and what forbids it, before it is made.
import { Modal } from '@mantine/core';
import { useState } from 'react';
import { Refusal, type LinkPreview, type ModelDocument } from '../../api/client';
import { useEdits, useLinkPreview } from '../../api/queries';
import { useShown } from '../../app/shown';
import { count } from '../../shared/format';

export function LinkSheet({ model }: { model: ModelDocument }) {
  const asked = useShown((s) => s.linkSheet);
  const set = useShown((s) => s.set);
  return (
    <Modal opened={asked !== null} onClose={() => set({ linkSheet: null })} title="A new link" size="lg">
      {asked && <Sheet key={`${asked.from} ${asked.to}`} model={model} from={asked.from} to={asked.to} close={() => set({ linkSheet: null })} />}
    </Modal>
  );
}

const tableOf = (key: string) => key.split('.')[0] ?? '';

function KeyField({ model, label, value, onChange, only }: { model: ModelDocument; label: string; value: string; onChange: (v: string) => void; only?: string }) {
  const tables = model.tables.filter((t) => !only || t.name === only);
  return (
    <label style={{ flex: 1 }}>
      <span className="quiet">{label}</span>
      <select className="field" value={value} onChange={(e) => onChange(e.target.value)}>
        <option value="">choose a column</option>
        {tables.map((t) => (
          <optgroup key={t.name} label={t.name}>
            {t.columns.map((c) => (
              <option key={c.name} value={`${t.name}.${c.name}`}>
                {t.name}.{c.name}
              </option>
            ))}
          </optgroup>
        ))}
      </select>
    </label>
  );
}

function Sheet({ model, from, to, close }: { model: ModelDocument; from: string; to: string; close: () => void }) {
  const complete = (key: string) => (key.endsWith('.') ? '' : key);
  const [pairs, setPairs] = useState<[string, string][]>([[complete(from), complete(to)]]);
  const [options, setOptions] = useState<Record<string, unknown>>({});
  const { edit, busy } = useEdits(model);
  const select = useShown((s) => s.select);
  const ready = pairs.every(([a, b]) => a && b && tableOf(a) !== tableOf(b));
  const link = ready ? { from: pairs.map((p) => p[0]), to: pairs.map((p) => p[1]), ...options } : null;
  const preview = useLinkPreview(model, link);
  const change = (i: number, side: 0 | 1, value: string) => setPairs(pairs.map((p, j) => (i === j ? (side === 0 ? [value, p[1]] : [p[0], value]) : p)));
  const first = pairs[0] ?? ['', ''];
  const make = async (made: LinkPreview) => {
    if (await edit({ kind: 'add_link', link: made.link })) {
      close();
      select({ kind: 'link', name: String(made.link.name) });
    }
  };
  return (
    <>
      {pairs.map(([a, b], i) => (
        <div key={`${i}`} className="row" style={{ marginBottom: 8, flexWrap: 'nowrap', alignItems: 'end' }}>
          <KeyField model={model} label={i === 0 ? 'a column of one table' : 'and'} value={a} onChange={(v) => change(i, 0, v)} only={i > 0 ? tableOf(first[0]) : undefined} />
          <span style={{ paddingBottom: 6 }}>=</span>
          <KeyField model={model} label={i === 0 ? 'a column of another' : ''} value={b} onChange={(v) => change(i, 1, v)} only={i > 0 ? tableOf(first[1]) : undefined} />
        </div>
      ))}
      <button type="button" className="pill small" disabled={!ready} onClick={() => setPairs([...pairs, ['', '']])}>
        The key has one more column
      </button>
      {preview.isFetching && <p className="wait">Comparing the keys…</p>}
      {preview.error instanceof Refusal && <p role="alert" className="signal">{preview.error.message}</p>}
      {preview.data && <Told preview={preview.data} options={options} setOptions={setOptions} />}
      <div className="row" style={{ justifyContent: 'flex-end', marginTop: 14 }}>
        <button type="button" className="pill" onClick={close}>
          Leave it
        </button>
        <button
          type="button"
          className="pill solid"
          disabled={!preview.data || preview.data.errors.length > 0 || busy}
          onClick={() => preview.data && void make(preview.data)}
        >
          Make the link
        </button>
      </div>
    </>
  );
}

function Told({ preview, options, setOptions }: { preview: LinkPreview; options: Record<string, unknown>; setOptions: (o: Record<string, unknown>) => void }) {
  const active = preview.link.active as boolean;
  const offered = !active && options.active === undefined;
  return (
    <>
      <div className="formula-box">{preview.text}</div>
      <p>
        <b>{count(preview.matched)}</b> of {count(preview.rows)} rows match; {count(preview.orphans)} name a key that is not there
        {preview.examples.length ? ` (${preview.examples.join(', ')})` : ''}
        {preview.nearly ? `, ${count(preview.nearly)} of these but for spaces or case` : ''}; {count(preview.empty)} have none. The data prove it{' '}
        <b>{preview.cardinality}</b>, {preview.firm ? 'firm' : 'loose'}.
      </p>
      <div className="row">
        <span className="segment" role="group" aria-label="State">
          <button type="button" aria-pressed={active} onClick={() => setOptions({ ...options, active: true })}>active</button>
          <button type="button" aria-pressed={!active} onClick={() => setOptions({ ...options, active: false })}>inactive</button>
        </span>
        <span className="segment" role="group" aria-label="Flow">
          <button type="button" aria-pressed={preview.link.flow === 'one-way'} onClick={() => setOptions({ ...options, flow: 'one-way' })}>one-way</button>
          <button type="button" aria-pressed={preview.link.flow === 'two-way'} onClick={() => setOptions({ ...options, flow: 'two-way' })}>two-way</button>
        </span>
        {offered && <span className="quiet">Offered inactive: active, it would double a path.</span>}
      </div>
      {preview.newly.length > 0 && <p style={{ marginTop: 10 }}>With it, {preview.newly.join('; ')}.</p>}
      {preview.no_longer.length > 0 && <p>No longer: {preview.no_longer.join('; ')}.</p>}
      {preview.newly.length === 0 && preview.errors.length === 0 && <p style={{ marginTop: 10 }} className="quiet">It changes nothing in who filters whom.</p>}
      {preview.errors.map((e) => (
        <div key={e.message} className="wrong" role="alert" style={{ marginTop: 8 }}>
          <span className="signal">◆</span>
          <span>
            {e.message} <span className="quiet">{e.mend}</span>
          </span>
        </div>
      ))}
    </>
  );
}
