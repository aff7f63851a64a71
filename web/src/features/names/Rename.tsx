// Another name for a thing, where it stands: what would be written anew is shown first; one edit, one undo.
import { useDebouncedValue } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { client, problemOf, unwrap, type ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { counted } from '../../shared/format';

export type Renamed = 'table' | 'column' | 'link' | 'hierarchy' | 'probe' | 'folio';

const FEW = 5;
const WORDS: Record<string, string> = {
  table: 'table',
  column: 'column',
  steps: 'steps of a table',
  link: 'link',
  measure: 'measure',
  probe: 'probe',
  folio: 'folio',
  hierarchy: 'hierarchy',
  place: 'places in the star',
};

function useRenaming(model: ModelDocument, what: Renamed, name: string, to: string) {
  return useQuery({
    queryKey: ['rename', model.id, model.version, what, name, to],
    enabled: to !== '' && to !== bare(what, name),
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/rename', { params: { path: { model_id: model.id } }, body: { what, name, to }, signal }),
      ),
  });
}

/** A column's own name; of anything else the name itself. */
const bare = (what: Renamed, name: string) =>
  what === 'column'
    ? name
        .replace(/^("(?:[^"]|"")*"|[^."]*)\./, '')
        .replace(/^"(.*)"$/, '$1')
        .replaceAll('""', '"')
    : name;

interface Props {
  model: ModelDocument;
  what: Renamed;
  /** Of a column as formulas write it: Table.column. */
  name: string;
  /** With the new name, once it is given; null where it was left. */
  onDone: (to: string | null) => void;
}

export function Rename({ model, what, name, onDone }: Props) {
  const [text, setText] = useState(bare(what, name));
  const [to] = useDebouncedValue(text.trim(), 250);
  const preview = useRenaming(model, what, name, to);
  const { edit, busy } = useEdits(model);
  const fresh = text.trim() !== '' && text.trim() !== bare(what, name);
  const send = async (event: React.FormEvent) => {
    event.preventDefault();
    if (fresh && (await edit({ kind: 'rename', what, name, to: text.trim() }))) onDone(text.trim());
  };
  const touched = preview.data?.touched ?? [];
  // What it would do is told below the field; it comes into sight with it.
  const form = useRef<HTMLFormElement>(null);
  const answered = preview.dataUpdatedAt + preview.errorUpdatedAt;
  useEffect(() => {
    if (answered) form.current?.scrollIntoView({ block: 'nearest' });
  }, [answered]);
  return (
    <form ref={form} className="rename" onSubmit={(e) => void send(e)} onKeyDown={(e) => e.key === 'Escape' && onDone(null)}>
      <input
        className="field"
        ref={focusOnce}
        aria-label={`New name of the ${what}`}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {fresh && preview.isError && (
        <p className="signal" role="alert">
          {problemOf(preview.error).errors[0]?.message ?? preview.error.message}
        </p>
      )}
      {fresh && preview.data && (
        <div className="quiet rename-touched" role="status">
          Rewritten in {counted(touched.length, 'place')}, and nowhere else; every number stays.
          <ul className="plain-list">
            {touched.slice(0, FEW).map((t) => (
              <li key={`${t.kind} ${t.owner} ${t.before}`}>
                {WORDS[t.kind]} <b>{t.owner}</b>
                {t.before && t.kind !== 'table' && (
                  <>
                    : <code>{t.after}</code>
                  </>
                )}
              </li>
            ))}
            {touched.length > FEW && <li>and {touched.length - FEW} more</li>}
          </ul>
        </div>
      )}
      <div className="row">
        <button
          type="submit"
          className="pill small solid"
          disabled={busy || !fresh || preview.isError || preview.isFetching || to !== text.trim()}
        >
          Rename everywhere
        </button>
        <button type="button" className="pill small" onClick={() => onDone(null)}>
          Leave it
        </button>
      </div>
    </form>
  );
}

function focusOnce(node: HTMLInputElement | null): void {
  if (!node || node.dataset.met) return;
  node.dataset.met = 'yes';
  node.focus();
  node.select();
}

/** A button that opens the renaming below it. */
export function RenameButton({
  model,
  what,
  name,
  onRenamed,
}: {
  model: ModelDocument;
  what: Renamed;
  name: string;
  onRenamed?: (to: string) => void;
}) {
  const [open, setOpen] = useState(false);
  if (open)
    return (
      <Rename
        model={model}
        what={what}
        name={name}
        onDone={(to) => {
          setOpen(false);
          if (to) onRenamed?.(to);
        }}
      />
    );
  return (
    <button data-needs="edit" type="button" className="pill small" onClick={() => setOpen(true)}>
      Rename
    </button>
  );
}
