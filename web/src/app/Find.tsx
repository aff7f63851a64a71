// Ctrl+K: every table, column, link, measure, probe and action.
import { Modal } from '@mantine/core';
import { useMemo, useState, type KeyboardEvent } from 'react';
import { useNavigate } from 'react-router';
import type { ModelDocument } from '../api/client';
import { useEdits, useModels } from '../api/queries';
import { focusSoon } from '../shared/focus';
import { nameText } from '../shared/format';
import { ranked } from '../shared/rank';
import { askNew } from '../features/link/edits';
import { STAGES } from './App';
import { asFolio, asProbe } from './shapes';
import { EMPTY_FOLIO, EMPTY_PROBE, actions, useShown } from './shown';

interface Item {
  kind: string;
  text: string;
  /** Other names that it goes by. */
  more?: string[];
  act: () => void;
}

const MOST = 60;

function useItems(model: ModelDocument): Item[] {
  const navigate = useNavigate();
  const { undo, redo } = useEdits(model);
  const { set, select } = actions;
  const models = useModels().data;
  return useMemo(() => {
    const go = (stage: string) => void navigate(`/m/${model.id}/${stage}`);
    const items: Item[] = [];
    for (const stage of STAGES) items.push({ kind: 'stage', text: nameText(stage), act: () => go(stage) });
    for (const t of model.tables) {
      const show = () => {
        select({ kind: 'table', name: t.name });
        set({ table: t.name });
        go('link');
      };
      items.push({ kind: t.role, text: t.name, act: show });
      for (const c of t.columns) {
        const showColumn = () => {
          set({ table: t.name });
          select({ kind: 'column', table: t.name, name: c.name });
          go('shape');
        };
        items.push({ kind: 'column', text: `${t.name}.${c.name}`, more: [c.name], act: showColumn });
      }
    }
    for (const k of model.links) {
      const show = () => {
        select({ kind: 'link', name: k.name });
        go('link');
      };
      items.push({ kind: 'link', text: `${k.name}: ${k.text}`, more: [k.name], act: show });
    }
    for (const m of model.measures) {
      const show = () => {
        set({ measure: m.name });
        select({ kind: 'measure', name: m.name });
        go('measure');
      };
      items.push({ kind: 'measure', text: m.name, act: show });
    }
    for (const p of model.probes) {
      const show = () => {
        set({ probe: asProbe(p), folio: null, probeBack: [], probeForth: [] });
        go('probe');
      };
      items.push({ kind: 'probe', text: String(p.name), act: show });
    }
    for (const f of model.folios)
      items.push({
        kind: 'folio',
        text: String(f.name),
        act: () => {
          actions.openFolio(asFolio(f));
          go('probe');
        },
      });
    for (const m of models ?? [])
      if (m.id !== model.id) items.push({ kind: 'model', text: m.title, more: [m.name], act: () => void navigate(`/m/${m.id}/link`) });
    if (model.undo) items.push({ kind: 'do', text: `Undo ${model.undo.title}`, act: undo });
    if (model.redo) items.push({ kind: 'do', text: `Redo ${model.redo.title}`, act: redo });
    items.push({ kind: 'do', text: 'New link', act: () => askNew() });
    items.push({ kind: 'do', text: 'History: what each edit changed', act: () => select({ kind: 'history', number: null }) });
    items.push({
      kind: 'do',
      text: 'Put a variant of the model beside it',
      act: () => {
        set({ variant: [] });
        go('link');
      },
    });
    items.push({ kind: 'do', text: 'Gather files', act: () => go('gather') });
    items.push({
      kind: 'do',
      text: 'Make a table here: calendar, bands, list, parameter, formula',
      act: () => {
        set({ shapeView: 'make' });
        go('shape');
        focusSoon('.make input');
      },
    });
    items.push({
      kind: 'do',
      text: 'Compare two keys',
      act: () => {
        set({ shapeView: 'keys' });
        go('shape');
      },
    });
    items.push({
      kind: 'do',
      text: 'New measure',
      act: () => {
        set({ measure: '', selection: null });
        go('measure');
        focusSoon('[aria-label="Name of the new measure"]');
      },
    });
    items.push({
      kind: 'do',
      text: 'New probe',
      act: () => {
        set({ probe: EMPTY_PROBE, folio: null, selection: null });
        go('probe');
        focusSoon('[aria-label="Add a measure"]');
      },
    });
    items.push({
      kind: 'do',
      text: 'New folio',
      act: () => {
        actions.openFolio(EMPTY_FOLIO);
        go('probe');
        focusSoon('[aria-label="Name of the folio"]');
      },
    });
    items.push({ kind: 'do', text: 'Show the keys', act: () => set({ keysOpen: true }) });
    return items;
  }, [model, models, navigate, undo, redo, set, select]);
}

export function Find({ model }: { model: ModelDocument }) {
  const open = useShown((s) => s.findOpen);
  const set = useShown((s) => s.set);
  return (
    <Modal opened={open} onClose={() => set({ findOpen: false })} withCloseButton={false} size="lg" yOffset="10vh">
      {open && <FindList model={model} close={() => set({ findOpen: false })} />}
    </Modal>
  );
}

function FindList({ model, close }: { model: ModelDocument; close: () => void }) {
  const [text, setText] = useState('');
  const [place, setPlace] = useState(0);
  const items = useItems(model);
  const found = ranked(
    items,
    text,
    (i) => [i.text, ...(i.more ?? [])],
    (i) => i.kind,
  ).slice(0, MOST);
  const act = (item: Item | undefined) => {
    close();
    item?.act();
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') setPlace(Math.min(place + 1, found.length - 1));
    else if (event.key === 'ArrowUp') setPlace(Math.max(place - 1, 0));
    else if (event.key === 'Enter') act(found[place]);
    else return;
    event.preventDefault();
  };
  return (
    <>
      <input
        className="field"
        // The box opens to be typed into.
        data-autofocus
        aria-label="Find"
        placeholder="A table, column, link, measure, probe, or something to do"
        value={text}
        onKeyDown={onKey}
        onChange={(e) => {
          setText(e.target.value);
          setPlace(0);
        }}
      />
      <div className="find-list" role="listbox" aria-label="Found">
        {found.map((item, i) => (
          <button
            type="button"
            key={`${item.kind} ${item.text}`}
            role="option"
            aria-selected={i === place}
            onClick={() => act(item)}
            onMouseEnter={() => setPlace(i)}
          >
            <span className="quiet" style={{ width: 84 }}>
              {item.kind}
            </span>
            {item.text}
          </button>
        ))}
        {found.length === 0 && <p className="wait">Nothing has these words.</p>}
      </div>
    </>
  );
}
