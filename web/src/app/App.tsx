// The frame: the model, the six stages in the order of the work, undo, find, theme, and the Lens.
import { Menu, useMantineColorScheme, useComputedColorScheme } from '@mantine/core';
import { Suspense, lazy, useEffect, useLayoutEffect, useState, type ReactNode } from 'react';
import { Link, Navigate, Route, Routes, useNavigate, useParams, useSearchParams } from 'react-router';
import type { CheckRow, ModelDocument } from '../api/client';
import { useEdits, useFollow, useModel, useModels } from '../api/queries';
import { LinkStage } from '../features/link/LinkStage';
import { openFindings } from '../features/prove/FindingLine';
import { useChecks } from '../features/prove/requests';
import { offeredStages, useMay, useMe, useOffered, signOut } from '../features/people/requests';
import { RuledBy } from '../features/people/RuledBy';
import { WayIn } from '../features/people/WayIn';
import { useSql } from '../features/sql/store';
import { count, counted } from '../shared/format';
import { draftNames, useKeptDrafts } from '../shared/kept';
import { saveNow } from '../shared/saver';
import { Boundary } from './Boundary';
import { Lens } from './Lens';
import { SaidBar } from './SaidBar';
import type { PeoplePart } from '../features/people/PeopleDialog';
import { useFrame } from './frame';
import { actions } from './shown';
import { readAddress, useAddress, useNames } from './address';

const Find = lazy(() => import('./Find').then((m) => ({ default: m.Find })));
const KeysHelp = lazy(() => import('./KeysHelp').then((m) => ({ default: m.KeysHelp })));
const Gather = lazy(() => import('../features/gather/Gather').then((m) => ({ default: m.Gather })));
const Models = lazy(() => import('../features/begin/Models').then((m) => ({ default: m.Models })));
const Shape = lazy(() => import('../features/shape/Shape').then((m) => ({ default: m.Shape })));
const ProbeStage = lazy(() => import('../features/probe/ProbeStage').then((m) => ({ default: m.ProbeStage })));
const LinkSheet = lazy(() => import('../features/link/LinkSheet').then((m) => ({ default: m.LinkSheet })));
const Prove = lazy(() => import('../features/prove/Prove').then((m) => ({ default: m.Prove })));
const SqlPane = lazy(() => import('../features/sql/SqlPane').then((m) => ({ default: m.SqlPane })));
const PeopleDialog = lazy(() => import('../features/people/PeopleDialog').then((m) => ({ default: m.PeopleDialog })));
const Measure = lazy(() => import('../features/measure/Measure').then((m) => ({ default: m.Measure })));

export const STAGES = ['gather', 'shape', 'link', 'measure', 'probe', 'prove'] as const;
export type Stage = (typeof STAGES)[number];

export function App() {
  return (
    <WayIn>
      <Routes>
        <Route path="/" element={<Newest />} />
        <Route path="/models" element={<ModelsPage />} />
        <Route path="/m/:id/:stage" element={<ModelFrame />} />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
    </WayIn>
  );
}

/** The first address: the newest model, or the place to open one. */
function Newest() {
  const models = useModels();
  if (models.isPending) return <p className="pad wait">Looking for models…</p>;
  if (models.isError) return <p className="pad">{models.error.message}</p>;
  const newest = models.data[0];
  if (newest) return <Navigate to={`/m/${newest.id}/link`} replace />;
  return <ModelsPage />;
}

/** The models that are here, and where one begins. */
function ModelsPage() {
  const newest = useModels().data?.[0];
  return (
    <main className="pad models-page">
      <h1 className="logo">
        nexorem<span className="signal">/</span>
      </h1>
      <p>
        {newest
          ? 'The models that are here.'
          : 'There are no models here yet. Drop the files of one, open a data package, or start the demo with ./nexorem demo.'}
      </p>
      <Suspense fallback={null}>
        <Models />
      </Suspense>
      <SaidBar model={null} />
    </main>
  );
}

function ModelFrame() {
  const { id = '', stage = '' } = useParams();
  const model = useModel(Number(id));
  if (!STAGES.includes(stage as Stage)) return <Navigate to={`/m/${id}/link`} replace />;
  if (model.isPending) return <p className="pad wait">Opening the model…</p>;
  // A model that was shown stays on screen when asking for it anew fails; the next answer replaces it.
  if (!model.data)
    return (
      <main className="pad">
        <h1>{model.error?.message}</h1>
        <p>
          <Link to="/">Go to the newest model</Link>
        </p>
      </main>
    );
  return <Addressed key={id} model={model.data} stage={stage as Stage} />;
}

/** What an address names is put on screen before the first picture of it: behind the render that asks for it, for a store is not written in one. */
function Addressed({ model, stage }: { model: ModelDocument; stage: Stage }) {
  const [parameters] = useSearchParams();
  const isRead = useFrame((s) => s.addressOf) === model.id;
  useLayoutEffect(() => {
    if (!isRead) readAddress(parameters, model);
  }, [isRead, parameters, model]);
  useEffect(() => () => actions.set({ addressOf: null }), []);
  return isRead ? <Frame model={model} stage={stage} /> : null;
}

/** What is not there before it was opened once. */
function Once({ open, children }: { open: boolean; children: ReactNode }) {
  const [wasOpened, setOpened] = useState(open);
  if (open && !wasOpened) setOpened(true);
  return wasOpened || open ? children : null;
}

function Frame({ model, stage }: { model: ModelDocument; stage: Stage }) {
  useFollow(model.id);
  useAddress(stage);
  useNames(model);
  useOffered(model);
  useKeys(model);
  const lensOpen = useFrame((s) => s.lensOpen);
  const findOpen = useFrame((s) => s.findOpen);
  const keysOpen = useFrame((s) => s.keysOpen);
  const peopleOpen = useFrame((s) => s.people) !== null;
  const asSql = useSql((s) => s.sql !== null) && (stage === 'probe' || stage === 'measure');
  return (
    <div className="frame">
      <TopBar model={model} />
      <div>
        <StageStrip model={model} stage={stage} />
        <RuledBy model={model} bar />
      </div>
      <div className={lensOpen ? 'work' : 'work no-lens'}>
        <div className="benches">
          <main className="bench" aria-label={stage}>
            <Boundary key={stage}>
              <Suspense fallback={<p className="pad wait">Opening the bench…</p>}>
                <Bench model={model} stage={stage} />
              </Suspense>
            </Boundary>
          </main>
          <Boundary>
            <Suspense fallback={null}>{asSql && <SqlPane model={model} />}</Suspense>
          </Boundary>
        </div>
        <Boundary>
          <Lens model={model} stage={stage} />
        </Boundary>
      </div>
      {stage !== 'link' && (
        <Suspense fallback={null}>
          <LinkSheet model={model} shown={model} />
        </Suspense>
      )}
      <Suspense fallback={null}>
        <Once open={findOpen}>
          <Find model={model} />
        </Once>
        <Once open={keysOpen}>
          <KeysHelp />
        </Once>
        <Once open={peopleOpen}>
          <PeopleDialog model={model} />
        </Once>
      </Suspense>
      <SaidBar model={model} />
    </div>
  );
}

function Bench({ model, stage }: { model: ModelDocument; stage: Stage }) {
  switch (stage) {
    case 'gather':
      return <Gather model={model} />;
    case 'shape':
      return <Shape model={model} />;
    case 'link':
      return <LinkStage model={model} />;
    case 'measure':
      return <Measure model={model} />;
    case 'probe':
      return <ProbeStage model={model} />;
    default:
      return <Prove model={model} />;
  }
}

/** The models that are here, at the logo. */
function ModelMenu({ model }: { model: ModelDocument }) {
  const models = useModels();
  const navigate = useNavigate();
  return (
    <Menu shadow="none" position="bottom-start" width={280}>
      <Menu.Target>
        <button type="button" className="plain logo" aria-label="Models" title="The models that are here">
          nexorem<span className="signal">/</span>
        </button>
      </Menu.Target>
      <Menu.Dropdown mah={420} style={{ overflowY: 'auto' }}>
        {(models.data ?? []).map((m) => (
          <Menu.Item key={m.id} aria-current={m.id === model.id ? 'true' : undefined} onClick={() => void navigate(`/m/${m.id}/link`)}>
            {m.id === model.id ? <b>{m.title}</b> : m.title} <span className="quiet">{m.name}</span>
          </Menu.Item>
        ))}
        <Menu.Divider />
        <Menu.Item onClick={() => void navigate('/models')}>All models: begin one, copy, remove</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}

function TopBar({ model }: { model: ModelDocument }) {
  const edits = useEdits(model);
  const mayTry = useMay(model.id, 'try');
  const mayEdit = useMay(model.id, 'edit');
  const me = useMe(model.id).data?.person?.name;
  // Whoever writes trials takes back what is their own; the rest is for who may change the model.
  const mine = (step: { author: string } | null | undefined) => mayEdit || !me || step?.author === me;
  const set = actions.set;
  const select = actions.select;
  const { setColorScheme } = useMantineColorScheme();
  const scheme = useComputedColorScheme('light');
  return (
    <header className="top">
      <ModelMenu model={model} />
      <div>
        <h1 className="title" style={{ display: 'inline', font: '640 14px var(--text)' }}>
          {model.title}
        </h1>{' '}
        <small className="quiet">
          draft, {model.edits === 0 ? 'as opened' : `${count(model.edits)} edit${model.edits === 1 ? '' : 's'} since it was opened`}
        </small>
      </div>
      <span className="grow" />
      {mayTry && (
        <div className="undo" role="group" aria-label="History">
          <button
            type="button"
            disabled={!model.undo || edits.busy || !mine(model.undo)}
            onClick={edits.undo}
            title={model.undo ? `by ${model.undo.author}` : 'Nothing to undo'}
          >
            ↶ {model.undo && mine(model.undo) ? `undo: ${model.undo.title}` : 'undo'}
          </button>
          <button
            type="button"
            disabled={!model.redo || edits.busy || !mine(model.redo)}
            onClick={edits.redo}
            aria-label={model.redo ? `redo: ${model.redo.title}` : 'redo'}
            title={model.redo ? `redo: ${model.redo.title}` : 'Nothing to redo'}
          >
            ↷
          </button>
        </div>
      )}
      <button
        data-needs="whole"
        type="button"
        className="plain"
        title="What each edit changed, and the way back"
        onClick={() => {
          set({ lensOpen: true });
          select({ kind: 'history', number: null });
        }}
      >
        History
      </button>
      <button type="button" className="find-box" onClick={() => set({ findOpen: true })}>
        Find or do anything <span className="mono">Ctrl K</span>
      </button>
      <button
        type="button"
        className="plain"
        aria-label={scheme === 'dark' ? 'Light theme' : 'Dark theme'}
        title={scheme === 'dark' ? 'Light theme' : 'Dark theme'}
        onClick={() => setColorScheme(scheme === 'dark' ? 'light' : 'dark')}
      >
        <svg className="mark" width="18" height="18" viewBox="0 0 18 18" aria-hidden>
          <circle cx="9" cy="9" r="6.5" fill="none" stroke="currentColor" strokeWidth="1.6" />
          <path d="M9 2.5a6.5 6.5 0 0 1 0 13Z" fill="currentColor" />
        </svg>
      </button>
      <Who model={model} />
    </header>
  );
}

/** Who sits here, and who may what in this model. */
function Who({ model }: { model: ModelDocument }) {
  const me = useMe(model.id).data;
  const isOwner = useMay(model.id, 'keep');
  const open = (people: PeoplePart) => actions.set({ people });
  if (!me) return null;
  return (
    <Menu shadow="none" position="bottom-end" width={240}>
      <Menu.Target>
        <button type="button" className="plain who" title={me.person?.email ?? 'This machine’s own'}>
          {me.person?.name ?? 'Sharing'}
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Label>{roleWords(me.may, me.cleared)}</Menu.Label>
        {isOwner && me.mode === 'team' && <Menu.Item onClick={() => open('members')}>People of this model</Menu.Item>}
        {isOwner && <Menu.Item onClick={() => open('clearances')}>Clearances: who sees which rows</Menu.Item>}
        {me.mode !== 'open' && <Menu.Item onClick={() => open('own')}>Tokens and sessions</Menu.Item>}
        {isOwner && <Menu.Item onClick={() => open('log')}>Log</Menu.Item>}
        {me.person?.operator && <Menu.Item onClick={() => open('accounts')}>All accounts</Menu.Item>}
        {me.mode !== 'open' && <Menu.Divider />}
        {me.mode !== 'open' && <Menu.Item onClick={() => void signOut()}>Sign out</Menu.Item>}
      </Menu.Dropdown>
    </Menu>
  );
}

const MAY: Record<string, string> = {
  keep: 'You look after this model.',
  edit: 'You may change this model.',
  try: 'You may write trial measures, probes, folios and checks.',
  look: 'You may look at this model.',
};

/** What somebody may, by the most that they may, and which rows they see. */
function roleWords(may: string[], cleared: string | null): string {
  const most = ['keep', 'edit', 'try', 'look'].find((need) => may.includes(need)) ?? 'look';
  return `${MAY[most] ?? ''}${cleared ? ` Your rows are those of ${cleared}.` : ''}`;
}

/** The state of Prove for the strip: how many checks hold, and how many are wrong now. */
function proved(model: ModelDocument, checks: CheckRow[], findings: number): [string, string] {
  if (model.checks.length === 0) return [counted(findings, 'finding'), ''];
  const wrong = checks.filter((c) => (c.state === 'fails' || c.state === 'cannot') && !c.silenced).length;
  return [`${checks.filter((c) => c.state === 'holds').length}/${model.checks.length}`, wrong ? `${wrong} wrong` : ''];
}

function StageStrip({ model, stage }: { model: ModelDocument; stage: Stage }) {
  const open = openFindings(model);
  const offered = offeredStages(STAGES, model, useMe(model.id).data?.may);
  const checks = useChecks(model).data?.checks ?? [];
  const warnings = open.filter((f) => f.weight === 'warning');
  const ofLinks = warnings.filter((f) => f.about.startsWith('link ')).length;
  const broken = model.measures.filter((m) => m.broken).length;
  const drafts = useKeptDrafts((s) => s.drafts);
  const unsaved = (kind: string) => draftNames(drafts, model.id, kind).length;
  const rows = model.tables.reduce((sum, t) => sum + t.rows, 0);
  const steps = model.tables.reduce((sum, t) => sum + t.steps.length, 0);
  const counts: Record<Stage, [string, string]> = {
    gather: [counted(model.tables.length, 'table'), ''],
    shape: [steps ? counted(steps, 'step') : counted(rows, 'row'), unsaved('steps') + unsaved('made') ? 'not kept yet' : ''],
    link: [counted(model.links.length, 'link'), ofLinks ? counted(ofLinks, 'finding') : ''],
    measure: [
      String(model.measures.length),
      [broken ? `${broken} broken` : '', unsaved('measure') ? counted(unsaved('measure'), 'draft') : ''].filter(Boolean).join(', '),
    ],
    probe: [
      model.folios.length
        ? `${counted(model.probes.length, 'probe')}, ${counted(model.folios.length, 'folio')}`
        : counted(model.probes.length, 'probe'),
      '',
    ],
    prove: proved(model, checks, open.length),
  };
  return (
    <nav className="stages" data-region aria-label="Stages">
      {offered.map((s) => (
        <Link key={s} className="stage" to={`/m/${model.id}/${s}`} aria-current={s === stage ? 'page' : undefined}>
          <b>{s.charAt(0).toUpperCase() + s.slice(1)}</b>
          <span>{counts[s][0]}</span>
          {counts[s][1] && <span className="signal">{counts[s][1]}</span>}
        </Link>
      ))}
    </nav>
  );
}

/** What can be acted on in a part of the screen: its one stop of the Tab key first, where it has one among many. */
const ACTED = 'button:not(:disabled), input:not(:disabled), select, textarea, a[href], [tabindex="0"], [contenteditable="true"]';

/** Puts the focus into the next part of the screen, or the one before. */
function toRegion(by: 1 | -1): void {
  const regions = [...document.querySelectorAll<HTMLElement>('[data-region]')].filter((r) => r.getClientRects().length > 0);
  const here = regions.findLastIndex((r) => r.contains(document.activeElement));
  for (let i = 1; i <= regions.length; i += 1) {
    const region = regions[((((here < 0 && by < 0 ? 0 : here) + by * i) % regions.length) + regions.length) % regions.length];
    const targets = [...(region?.querySelectorAll<HTMLElement>(ACTED) ?? [])].filter(
      (e) => e.tabIndex >= 0 && e.getClientRects().length > 0,
    );
    const target =
      targets.find((e) => e.matches('[data-col], [data-cell][tabindex="0"], [aria-current="true"], [aria-current="page"], .cm-content')) ??
      targets[0];
    if (target) return target.focus();
  }
}

/** 1 to 6 go to the stages, F6 from part to part of the screen, Ctrl+Z and Ctrl+Shift+Z undo and redo, Ctrl+K finds. */
function useKeys(model: ModelDocument) {
  const navigate = useNavigate();
  const { undo, redo } = useEdits(model);
  const set = actions.set;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      const typing = target.closest('input, textarea, select, [contenteditable="true"]') !== null;
      const command = event.ctrlKey || event.metaKey;
      if (command && event.key.toLowerCase() === 'k') {
        event.preventDefault();
        set({ findOpen: true });
      } else if (command && event.key.toLowerCase() === 's' && !event.shiftKey) {
        // An editor that saves by itself has taken the key already.
        if (!event.defaultPrevented) saveNow();
        event.preventDefault();
      } else if (event.key === 'F6') {
        event.preventDefault();
        toRegion(event.shiftKey ? -1 : 1);
      } else if (typing) {
        return;
      } else if (command && event.key.toLowerCase() === 'z') {
        event.preventDefault();
        if (event.shiftKey) redo();
        else undo();
      } else if (!command && !event.altKey && /^[1-6]$/.test(event.key)) {
        void navigate(`/m/${model.id}/${STAGES[Number(event.key) - 1]}`);
      } else if (event.key === '?') {
        set({ keysOpen: true });
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  });
}
