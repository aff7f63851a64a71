// Ctrl+K: every table, column, link, measure, probe, check, release and action.
import { Modal } from '@mantine/core';
import { useMemo, useState, type KeyboardEvent } from 'react';
import { useNavigate } from 'react-router';
import { problemOf, type ModelDocument, type Probe } from '../api/client';
import { useEdits, useModels } from '../api/queries';
import { focusSoon } from '../shared/focus';
import { nameText } from '../shared/format';
import { ranked } from '../shared/rank';
import { offeredStages, useMe, type Need } from '../features/people/requests';
import { useReleases } from '../features/prove/requests';
import { askNew } from '../features/link/edits';
import { STAGES } from './App';
import { asFolio, asProbe } from './shapes';
import { useFrame } from './frame';
import { actions } from './shown';
import { EMPTY_FOLIO } from '../features/folio/store';
import { EMPTY_PROBE } from '../features/probe/store';
import { copyModel, removeModel } from '../features/begin/requests';
import { showSql } from '../features/sql/store';

interface Item {
  kind: string;
  text: string;
  /** Other names that it goes by. */
  more?: string[];
  /** What it needs of whoever does it, where that is more than to look. */
  needs?: Need;
  act: () => void;
}

const MOST = 60;

const sorry = (error: unknown) => actions.say({ problem: problemOf(error), retry: null });

type Go = (stage: string) => void;

/** What is in the model: each thing leads to the stage where it is worked on. */
function thingsOf(model: ModelDocument, go: Go): Item[] {
  const { set } = actions;
  const to = (stage: string, put: () => void) => () => {
    put();
    go(stage);
  };
  const tables = model.tables.flatMap((t): Item[] => [
    { kind: t.role, text: t.name, act: to('link', () => set({ table: t.name, selection: { kind: 'table', name: t.name } })) },
    ...t.columns.map((c) => ({
      kind: 'column',
      text: `${t.name}.${c.name}`,
      more: [c.name],
      act: to('shape', () => set({ table: t.name, selection: { kind: 'column', table: t.name, name: c.name } })),
    })),
  ]);
  const links = model.links.map((k) => ({
    kind: 'link',
    text: `${k.name}: ${k.text}`,
    more: [k.name],
    act: to('link', () => actions.select({ kind: 'link', name: k.name })),
  }));
  const measures = model.measures.map((m) => ({
    kind: 'measure',
    text: m.name,
    act: to('measure', () => set({ measure: m.name, selection: { kind: 'measure', name: m.name } })),
  }));
  const openProbe = (probe: Probe) => {
    actions.openProbe(asProbe(probe));
    set({ folio: null });
  };
  const probes = model.probes.map((p) => ({ kind: 'probe', text: String(p.name), act: to('probe', () => openProbe(asProbe(p))) }));
  const folios = model.folios.map((f) => ({ kind: 'folio', text: String(f.name), act: to('probe', () => actions.openFolio(asFolio(f))) }));
  const checks = model.checks.map((c) => ({
    kind: 'check',
    text: String(c.name),
    more: [c.folder ?? ''],
    act: to('prove', () => set({ proveView: 'checks', lensOpen: true, selection: { kind: 'check', name: String(c.name) } })),
  }));
  return [...tables, ...links, ...measures, ...probes, ...folios, ...checks];
}

/** What can be begun from anywhere. */
function beginnings(model: ModelDocument, go: Go): Item[] {
  const { set } = actions;
  const item = (text: string, stage: string | null, put: () => void, focus = '', needs?: Need): Item => ({
    kind: 'do',
    text,
    needs,
    act: () => {
      put();
      if (stage) go(stage);
      if (focus) focusSoon(focus);
    },
  });
  return [
    item('Run all checks', 'prove', () => set({ proveView: 'checks' })),
    item('Coverage: what would nobody notice?', 'prove', () => set({ proveView: 'coverage' })),
    item('Prove all grids in PostgreSQL', 'prove', () => set({ proveView: 'proofs' })),
    item('The open probe as SQL', 'probe', () => {
      set({ folio: null });
      showSql();
    }),
    item(
      'Make a release',
      'prove',
      () => set({ proveView: 'releases', lensOpen: true, selection: { kind: 'release', number: 'new' } }),
      '',
      'keep',
    ),
    item('New link', null, () => askNew(), '', 'edit'),
    item('History: what each edit changed', null, () => actions.select({ kind: 'history', number: null })),
    item('Put a variant of the model beside it', 'link', () => set({ variant: [] }), '', 'edit'),
    item('People of this model: invite, roles', null, () => set({ people: 'members' }), '', 'keep'),
    item('Clearances: see the open probe as somebody else', null, () => set({ people: 'clearances' }), '', 'keep'),
    item('Log of who did what', null, () => set({ people: 'log' }), '', 'keep'),
    item('Tokens for programs, sessions', null, () => set({ people: 'own' })),
    item('Gather files', 'gather', () => undefined, '', 'bring'),
    item('Make a table here: calendar, bands, list, parameter, formula', 'shape', () => set({ shapeView: 'make' }), '.make input', 'edit'),
    item('Compare two keys', 'shape', () => set({ shapeView: 'keys' }), '', 'edit'),
    item('New measure', 'measure', () => set({ measure: '', selection: null }), '[aria-label="Name of the new measure"]', 'try'),
    item('New probe', 'probe', () => set({ probe: EMPTY_PROBE, folio: null, selection: null }), '[aria-label="Add a measure"]'),
    item('New folio', 'probe', () => actions.openFolio(EMPTY_FOLIO), '[aria-label="Name of the folio"]'),
    item('Show the keys', null, () => set({ keysOpen: true })),
    ...offScreen(model, go, set),
  ];
}

/** What stands on no screen's face, under the words that people have for it. */
function offScreen(model: ModelDocument, go: Go, set: typeof actions.set): Item[] {
  const make = (text: string, more: string[]): Item => ({
    kind: 'do',
    text,
    more,
    needs: 'edit',
    act: () => {
      set({ shapeView: 'make' });
      go('shape');
      focusSoon('.make input');
    },
  });
  return [
    make('Make a calendar', ['date table', 'time dimension', 'days', 'year', 'month']),
    make('A table in another role', ['role playing', 'role', 'second date', 'alias']),
    make('Bands of numbers', ['buckets', 'ranges', 'groups', 'bins']),
    { kind: 'do', text: 'All models', more: ['open a model', 'list of models', 'home', 'begin a model'], act: () => go('/models') },
    { kind: 'do', text: 'Bring back a model that was removed', more: ['restore', 'undelete', 'recover'], act: () => go('/models') },
    {
      kind: 'do',
      text: 'Copy this model',
      more: ['duplicate', 'clone', 'copy'],
      needs: 'keep',
      act: () => void copyModel(model).then((id) => go(`/m/${id}/link`), sorry),
    },
    {
      kind: 'do',
      text: 'Remove this model',
      more: ['delete', 'drop'],
      needs: 'keep',
      // It can be brought back where this leads.
      act: () => void removeModel(model).then(() => go('/models'), sorry),
    },
    {
      kind: 'do',
      text: 'Load all tables again',
      more: ['refresh', 'reload', 'update the rows', 'schedule'],
      needs: 'bring',
      act: () => go('gather'),
    },
    {
      kind: 'do',
      text: 'Take the model along as a package',
      more: ['export', 'download', 'save as', 'zip'],
      act: () => go('gather'),
    },
    {
      kind: 'do',
      text: 'Documents: star and matrix as pictures, SQL, data dictionary',
      more: ['export', 'picture', 'png', 'svg', 'ddl', 'dictionary', 'documentation'],
      act: () => {
        go('link');
        focusSoon('.link-bar [aria-haspopup="menu"]');
      },
    },
  ];
}

function useItems(model: ModelDocument): Item[] {
  const navigate = useNavigate();
  const { undo, redo } = useEdits(model);
  const models = useModels().data;
  const may = useMe(model.id).data?.may;
  const releases = useReleases(model).data;
  return useMemo(() => {
    const go: Go = (stage) => void navigate(stage.startsWith('/') ? stage : `/m/${model.id}/${stage}`);
    const stages = offeredStages(STAGES, model, may).map((stage) => ({ kind: 'stage', text: nameText(stage), act: () => go(stage) }));
    const others = (models ?? [])
      .filter((m) => m.id !== model.id)
      .map((m) => ({ kind: 'model', text: m.title, more: [m.name], act: () => void navigate(`/m/${m.id}/link`) }));
    const steps: Item[] = [];
    if (model.undo) steps.push({ kind: 'do', text: `Undo ${model.undo.title}`, needs: 'try', act: undo });
    if (model.redo) steps.push({ kind: 'do', text: `Redo ${model.redo.title}`, needs: 'try', act: redo });
    const released = (releases ?? []).map((r) => ({
      kind: 'release',
      text: `${r.number} · ${r.name}`,
      more: [r.name],
      act: () => {
        actions.set({ proveView: 'releases', lensOpen: true, selection: { kind: 'release', number: r.number } });
        go('prove');
      },
    }));
    const all: Item[] = [...stages, ...thingsOf(model, go), ...released, ...others, ...steps, ...beginnings(model, go)];
    return all.filter((i) => !i.needs || !may || may.includes(i.needs));
  }, [model, models, may, releases, navigate, undo, redo]);
}

export function Find({ model }: { model: ModelDocument }) {
  const open = useFrame((s) => s.findOpen);
  const set = actions.set;
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
  const listed = ranked(
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
    if (event.key === 'ArrowDown') setPlace(Math.min(place + 1, listed.length - 1));
    else if (event.key === 'ArrowUp') setPlace(Math.max(place - 1, 0));
    else if (event.key === 'Enter') act(listed[place]);
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
        placeholder="A table, column, link, measure, probe, check, release, or something to do"
        value={text}
        onKeyDown={onKey}
        onChange={(e) => {
          setText(e.target.value);
          setPlace(0);
        }}
      />
      <div className="find-list" role="listbox" aria-label="Found">
        {listed.map((item, i) => (
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
        {listed.length === 0 && <p className="wait">Nothing has these words.</p>}
      </div>
    </>
  );
}
