// The link sheet: a link that is made, changed or removed, with both keys, what the data prove, and all that follows, before it is accepted.
import { Modal } from '@mantine/core';
import { useState, type KeyboardEvent, type ReactNode } from 'react';
import type { LinkPreview, ModelDocument } from '../../api/client';
import type { Edit } from '../../api/queries';
import { actions } from '../../app/shown';
import { useLink } from './store';
import { askedProbe, useProbe } from '../probe/store';
import { quotedName } from '../../shared/format';
import { KeyText } from './KeyText';
import { columnsIn } from './keys';
import { listed } from './CellPanel';
import { editWords, useLinkEdits, type SheetAsk } from './edits';
import { Outcome } from './Outcome';
import { useLinkPreview, useSuggestions, useTrial } from './requests';
import { SheetMatches, SheetProfiles } from './SheetKeys';
import { SheetOptions, type Options } from './SheetOptions';

const TITLES: Record<SheetAsk['kind'], string> = {
  new: 'A new link',
  change: 'Change a link',
  remove: 'Remove a link',
  edits: 'Change links',
};

/** `shown` is the model as the stage shows it: the variant, where one is open. */
export function LinkSheet({ model, shown }: { model: ModelDocument; shown: ModelDocument }) {
  const sheet = useLink((s) => s.sheet);
  const close = () => actions.set({ sheet: null });
  return (
    <Modal
      opened={sheet !== null}
      onClose={close}
      title={sheet ? TITLES[sheet.kind] : ''}
      size={1120}
      yOffset="4vh"
      withCloseButton={false}
    >
      {sheet?.kind === 'new' && <NewLink key={JSON.stringify(sheet)} model={model} shown={shown} sheet={sheet} close={close} />}
      {sheet?.kind === 'change' && <ChangedLink key={JSON.stringify(sheet)} model={model} shown={shown} sheet={sheet} close={close} />}
      {sheet?.kind === 'remove' && (
        <Trying
          model={model}
          shown={shown}
          edits={[{ kind: 'remove_link', name: sheet.name }]}
          title={`remove ${sheet.name}`}
          accept="Remove the link"
          close={close}
          select={null}
        >
          <LinkLine model={shown} name={sheet.name} />
        </Trying>
      )}
      {sheet?.kind === 'edits' && (
        <Trying model={model} shown={shown} edits={sheet.edits} title={sheet.title} accept="Make it so" close={close} select={null}>
          <EditLines edits={sheet.edits} />
        </Trying>
      )}
    </Modal>
  );
}

function LinkLine({ model, name }: { model: ModelDocument; name: string }) {
  const link = model.links.find((k) => k.name === name);
  return <div className="formula-box">{link ? `${link.name}: ${link.text}` : name}</div>;
}

function EditLines({ edits }: { edits: Edit[] }) {
  return (
    <ul className="plain-list">
      {edits.map((e) => (
        <li key={JSON.stringify(e)}>{editWords(e)}</li>
      ))}
    </ul>
  );
}

/** Columns of the other side that the data, or the same name, suggest for a key. */
function useOther(model: ModelDocument, mine: string): string[] {
  const suggested = useSuggestions(model).data ?? [];
  const key = columnsIn(mine).join();
  return suggested.flatMap((s) => {
    const [from, to] = [listed(s.link.from), listed(s.link.to)];
    return from.join() === key ? [to.join(', ')] : to.join() === key ? [from.join(', ')] : [];
  });
}

function NewLink({
  model,
  shown,
  sheet,
  close,
}: {
  model: ModelDocument;
  shown: ModelDocument;
  sheet: Extract<SheetAsk, { kind: 'new' }>;
  close: () => void;
}) {
  const [from, setFrom] = useState(sheet.from.join(', '));
  const [to, setTo] = useState(sheet.to.join(', '));
  const [options, setOptions] = useState<Options>({});
  const edits = useLink((s) => s.variant) ?? [];
  const [mine, theirs] = [columnsIn(from), columnsIn(to)];
  const columns = new Set(shown.tables.flatMap((t) => t.columns.map((c) => `${quotedName(t.name)}.${quotedName(c.name)}`.toLowerCase())));
  const plain = new Set(shown.tables.flatMap((t) => t.columns.map((c) => `${t.name}.${c.name}`.toLowerCase())));
  const whole = (keys: string[]) =>
    keys.length > 0 && keys.every((k) => columns.has(k.toLowerCase()) || plain.has(k.replaceAll('"', '').toLowerCase()));
  const ready = whole(mine) && whole(theirs) && mine.length === theirs.length;
  const preview = useLinkPreview(model, ready ? { from: mine, to: theirs, ...options } : null, null, edits);
  const [forFrom, forTo] = [useOther(model, to), useOther(model, from)];
  const swapped =
    ready &&
    preview.data &&
    preview.data.link.from !== (mine.length === 1 ? mine[0] : undefined) &&
    listed(preview.data.link.from).join() !== mine.join();
  const answer = ready ? preview.data : undefined;
  return (
    <Trying
      model={model}
      shown={shown}
      edits={answer ? [{ kind: 'add_link', link: answer.link }] : []}
      title={answer ? `link ${answer.text}` : ''}
      accept="Make the link"
      close={close}
      select={answer ? String(answer.link.name) : null}
      waits={preview.isFetching ? 'Comparing the keys…' : preview.error && ready ? preview.error.message : ''}
      matches={answer && <SheetMatches model={shown} preview={answer} />}
    >
      <div className="sheet-keys">
        <KeyText model={shown} label="a key of one table" value={from} onChange={setFrom} first={forFrom} begins={whole(theirs) || !from} />
        <span className="equals">=</span>
        <KeyText model={shown} label="a key of another" value={to} onChange={setTo} first={forTo} begins={whole(mine) && !whole(theirs)} />
      </div>
      {!ready && (
        <p className="quiet">
          {mine.length !== theirs.length && whole(mine) && theirs.length > 0
            ? 'Both keys have as many columns: write them with commas, Table.a, Table.b.'
            : 'Type a table and a column; several columns with commas make a key together.'}
        </p>
      )}
      {swapped && <p className="quiet">The other way round: the side whose keys stand once is the one side.</p>}
      {answer && <Previewed model={shown} preview={answer} options={options} onChange={setOptions} />}
    </Trying>
  );
}

function ChangedLink({
  model,
  shown,
  sheet,
  close,
}: {
  model: ModelDocument;
  shown: ModelDocument;
  sheet: Extract<SheetAsk, { kind: 'change' }>;
  close: () => void;
}) {
  const link = shown.links.find((k) => k.name === sheet.name);
  const [options, setOptions] = useState<Options>(sheet.set);
  const before = useLink((s) => s.variant) ?? [];
  const base = link && {
    name: link.name,
    from: keysOf(link.from_table, link.from_columns),
    to: keysOf(link.to_table, link.to_columns),
    cardinality: link.cardinality,
    flow: link.flow,
    active: link.active,
    description: link.description,
  };
  const preview = useLinkPreview(model, base ? { ...base, ...options } : null, sheet.name, before);
  if (!link || !base) return <p>The link {sheet.name} no longer exists.</p>;
  const set = Object.fromEntries(Object.entries(options).filter(([key, value]) => value !== (base as Record<string, unknown>)[key]));
  const edits: Edit[] = Object.keys(set).length ? [{ kind: 'change_link', name: link.name, set }] : [];
  return (
    <Trying
      model={model}
      shown={shown}
      edits={edits}
      title={edits[0] ? editWords(edits[0]) : ''}
      accept="Change the link"
      close={close}
      select={String(options.name ?? link.name)}
      waits={edits.length === 0 ? 'Nothing is changed yet.' : preview.error ? preview.error.message : ''}
      matches={preview.data && <SheetMatches model={shown} preview={preview.data} />}
    >
      {preview.data && <Previewed model={shown} preview={preview.data} options={options} onChange={setOptions} naming />}
    </Trying>
  );
}

const keysOf = (table: string, columns: string[]) => columns.map((c) => `"${table.replaceAll('"', '""')}"."${c.replaceAll('"', '""')}"`);

function Previewed({
  model,
  preview,
  options,
  onChange,
  naming = false,
}: {
  model: ModelDocument;
  preview: LinkPreview;
  options: Options;
  onChange: (o: Options) => void;
  naming?: boolean;
}) {
  return (
    <>
      <div className="formula-box">{preview.text}</div>
      <SheetOptions preview={preview} options={options} onChange={onChange} naming={naming} />
      <SheetProfiles model={model} preview={preview} />
    </>
  );
}

interface TryingProps {
  model: ModelDocument;
  shown: ModelDocument;
  edits: Edit[];
  title: string;
  accept: string;
  close: () => void;
  /** The link to show in the Lens afterwards. */
  select: string | null;
  waits?: string;
  /** How the keys match, below what follows. */
  matches?: ReactNode;
  children: ReactNode;
}

/** The sheet's two halves: what is asked for, and what it would do; accepted with Ctrl and Enter as well. */
function Trying({ model, shown, edits, title, accept, close, select, waits = '', matches, children }: TryingProps) {
  const [yielding, setYielding] = useState<string[]>([]);
  const variant = useLink((s) => s.variant);
  const open = useProbe((s) => s.probe);
  const probe = open && open.measures.length ? askedProbe(open) : null;
  const { make, busy, into } = useLinkEdits(model);
  const all: Edit[] = edits.length
    ? [...yielding.map((name): Edit => ({ kind: 'change_link', name, set: { active: false } })), ...edits]
    : [];
  const trial = useTrial(model, all.length ? [...(variant ?? []), ...all] : [], probe);
  const outcome = all.length ? trial.data : undefined;
  const ready = Boolean(outcome?.comparison) && !trial.isPlaceholderData && all.length > 0 && !busy;
  const done = async () => {
    if (!ready || !(await make(all, title))) return;
    close();
    actions.select(select ? { kind: 'link', name: select } : null);
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) {
      event.preventDefault();
      void done();
    }
  };
  return (
    // Ctrl and Enter accept from wherever the focus is in the sheet.
    // oxlint-disable-next-line jsx-a11y/no-static-element-interactions
    <div className="sheet" onKeyDown={onKey}>
      {/* oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex */}
      <div className="sheet-asked" role="region" aria-label="What is asked for" tabIndex={0}>
        {children}
      </div>
      {/* It scrolls, so it can be reached. */}
      {/* oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex */}
      <div className="sheet-outcome" role="region" aria-label="What follows" tabIndex={0} aria-live="polite" aria-busy={trial.isFetching}>
        {yielding.map((name) => (
          <p key={name}>
            <b>{name}</b> yields: it becomes inactive.{' '}
            <button type="button" className="plain" onClick={() => setYielding(yielding.filter((n) => n !== name))}>
              <u>not so</u>
            </button>
          </p>
        ))}
        {outcome && <Outcome model={shown} trial={outcome} probe={probe} onYield={(name) => setYielding([...yielding, name])} />}
        {all.length > 0 && !outcome && <p className="wait">{trial.error ? trial.error.message : 'Trying it out…'}</p>}
        {!outcome && all.length === 0 && <p className="quiet">{waits || 'What follows from it stands here before it is made.'}</p>}
        {matches}
      </div>
      <div className="sheet-foot row">
        <span className="quiet">Goes into {into}. It can be undone.</span>
        <span className="grow" />
        <button type="button" className="pill" onClick={close}>
          Leave it
        </button>
        <button data-needs="edit" type="button" className="pill solid" disabled={!ready} title="Ctrl Enter" onClick={() => void done()}>
          {accept}
        </button>
      </div>
    </div>
  );
}
