// A model that was just gathered is led to its first grid: keys, calendar, links, a grid; each step is one decision.
import { useState, type ReactNode } from 'react';
import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { client, unwrap, type Beginning, type ModelDocument } from '../../api/client';
import { useEdits, type Edit } from '../../api/queries';
import { asProbe } from '../../app/shapes';
import { actions } from '../../app/shown';
import { LinkMark } from '../../marks/Marks';
import { counted } from '../../shared/format';
import { markOf } from '../link/Suggestions';
import { useGather } from '../gather/store';

type Step = 'files' | 'keys' | 'calendar' | 'links' | 'grid';
const STEPS: [Step, string][] = [
  ['files', 'Tables'],
  ['keys', 'Keys'],
  ['calendar', 'Calendar'],
  ['links', 'Links'],
  ['grid', 'First grid'],
];

function useBeginning(model: ModelDocument, enabled: boolean) {
  return useQuery({
    queryKey: ['beginning', model.id, model.version],
    enabled,
    queryFn: async ({ signal }) =>
      unwrap(await client.GET('/api/models/{model_id}/beginning', { params: { path: { model_id: model.id } }, signal })),
  });
}

const skippedKey = (model: ModelDocument) => `nexorem.begin.${model.id}`;

/** The steps that somebody passed over; they do not come again in this browser. */
function useSkipped(model: ModelDocument) {
  const [skipped, setSkipped] = useState<string[]>(() => (localStorage.getItem(skippedKey(model)) ?? '').split(' ').filter(Boolean));
  const skip = (...steps: Step[]) => {
    const all = [...new Set([...skipped, ...steps])];
    localStorage.setItem(skippedKey(model), all.join(' '));
    setSkipped(all);
  };
  return { skipped: new Set(skipped), skip };
}

/** The step that a model is at. */
function stepOf(model: ModelDocument, offers: Beginning | undefined, skipped: Set<string>): Step | null {
  if (model.tables.length === 0) return 'files';
  if (!offers) return null;
  const open: [Step, boolean][] = [
    ['keys', offers.keys.length > 0],
    ['calendar', offers.calendar !== null],
    ['links', offers.links.length > 0],
    ['grid', offers.grids.length > 0],
  ];
  return open.find(([step, is]) => is && !skipped.has(step))?.[0] ?? null;
}

export function Begin({ model }: { model: ModelDocument }) {
  const { skipped, skip } = useSkipped(model);
  const reading = useGather((s) => s.reading);
  // Where somebody has begun to measure and to probe, nobody is led any more.
  const begun = model.probes.length > 0 || (model.measures.length > 0 && model.links.length > 0) || skipped.has('grid');
  const offers = useBeginning(model, !begun && model.tables.length > 0).data;
  if (begun) return null;
  const step = stepOf(model, offers, skipped);
  if (!step && (offers || model.tables.length === 0)) return null;
  return (
    <section className="begin" aria-label="First steps" data-needs="bring">
      <ol className="begin-steps">
        {STEPS.map(([name, words], i) => (
          <li key={name} aria-current={step === name ? 'step' : undefined}>
            {i + 1} {words}
          </li>
        ))}
        <li className="grow" />
        <li>
          <button type="button" className="plain quiet" onClick={() => skip('keys', 'calendar', 'links', 'grid')}>
            I know my way
          </button>
        </li>
      </ol>
      {step === 'files' && (
        <p>{reading ? 'Look at what was read, and take it.' : 'Drop the files of a star here: what happened, and the lists it names.'}</p>
      )}
      {!step && <p className="wait">Looking for keys, dates and links…</p>}
      {offers && step && step !== 'files' && <Decision key={step} {...{ model, step, offers }} onSkip={() => skip(step)} />}
    </section>
  );
}

interface DecisionProps {
  model: ModelDocument;
  step: Step;
  offers: Beginning;
  onSkip: () => void;
}

function Decision({ model, step, offers, onSkip }: DecisionProps) {
  switch (step) {
    case 'keys':
      return <Keys {...{ model, offers, onSkip }} />;
    case 'calendar':
      return <Calendar {...{ model, offers, onSkip }} />;
    case 'links':
      return <Links {...{ model, offers, onSkip }} />;
    default:
      return <Grids {...{ model, offers, onSkip }} />;
  }
}

type Given = Omit<DecisionProps, 'step'>;

/** One decision: what is offered, the button that takes it, and the one that passes it over. */
function Offer({
  say,
  take,
  skip,
  busy,
  onTake,
  onSkip,
  children,
}: {
  say: string;
  take: string;
  skip: string;
  busy: boolean;
  onTake: () => void;
  onSkip: () => void;
  children: ReactNode;
}) {
  return (
    <>
      <p>{say}</p>
      {children}
      <div className="row">
        <button type="button" className="pill solid" disabled={busy} onClick={onTake}>
          {take}
        </button>
        <button type="button" className="pill" disabled={busy} onClick={onSkip}>
          {skip}
        </button>
      </div>
    </>
  );
}

/** Ticks, all of them at first. */
function useTicks(names: string[]) {
  const [off, setOff] = useState<Set<string>>(new Set());
  const toggle = (name: string) =>
    setOff((old) => {
      const next = new Set(old);
      if (!next.delete(name)) next.add(name);
      return next;
    });
  return { isOn: (name: string) => !off.has(name), toggle, count: names.filter((n) => !off.has(n)).length };
}

function Keys({ model, offers, onSkip }: Given) {
  const { edit, busy } = useEdits(model);
  const ticks = useTicks(offers.keys.map((k) => k.table));
  const take = () => {
    const tables = offers.keys.filter((k) => ticks.isOn(k.table)).map((k) => ({ name: k.table, key: k.columns }));
    void edit({ kind: 'take_keys', tables }).then((done) => done && onSkip());
  };
  return (
    <Offer
      say="These columns are never empty and tell every row of their table apart."
      take={`Take ${counted(ticks.count, 'key')}`}
      skip="No keys"
      busy={busy || ticks.count === 0}
      onTake={take}
      onSkip={onSkip}
    >
      <div className="begin-list">
        {offers.keys.map((k) => (
          <label key={k.table}>
            <input type="checkbox" checked={ticks.isOn(k.table)} onChange={() => ticks.toggle(k.table)} /> <b>{k.table}</b>{' '}
            <span className="mono">{k.columns.join(', ')}</span>
          </label>
        ))}
      </div>
    </Offer>
  );
}

function Calendar({ model, offers, onSkip }: Given) {
  const { edit, busy } = useEdits(model);
  const offer = offers.calendar;
  if (!offer) return null;
  // A moment is no day, and is linked to none: dates are made of it along the way.
  const mends: Edit[] = Object.entries(offer.steps).map(([name, steps]) => ({ kind: 'change_table', name, set: { steps } }));
  const change: Edit = offer.day
    ? { kind: 'describe_table', name: offer.name, calendar: { date: offer.day }, mends }
    : { kind: 'make_table', table: { name: offer.name, origin: { kind: 'calendar', dates: offer.dates, whole_years: true } }, mends };
  const made = Object.entries(offer.steps).flatMap(([name, steps]) =>
    steps
      .slice(model.tables.find((t) => t.name === name)?.steps.length ?? 0)
      .map((s) => `${name}.${String(s.name)} = ${String(s.formula)}`),
  );
  const given = offer.dates.length > made.length || offer.day;
  return (
    <Offer
      say={
        offer.day
          ? `${offer.name} has every day from its first to its last.`
          : `There are ${given ? 'dates' : 'moments'}, and no table of days: without one, years and months are nobody’s, and nothing can be shifted in time.`
      }
      take={offer.day ? `${offer.name} is the calendar` : `Make the calendar from ${counted(offer.dates.length, 'column')} of dates`}
      skip="No calendar"
      busy={busy}
      onTake={() => void edit(change).then((done) => done && onSkip())}
      onSkip={onSkip}
    >
      {!offer.day && <p className="mono quiet">{offer.dates.join(', ')}</p>}
      {made.length > 0 && (
        <p className="quiet">
          A moment is linked to no day, so a step computes its date: <span className="mono">{made.join(', ')}</span>
        </p>
      )}
    </Offer>
  );
}

function Links({ model, offers, onSkip }: Given) {
  const { edit, busy } = useEdits(model);
  const ticks = useTicks(offers.links.map((s) => s.text));
  const take = () => {
    const edits: Edit[] = offers.links.filter((s) => ticks.isOn(s.text)).map((s) => ({ kind: 'add_link', link: s.link }));
    void edit({ kind: 'change_links', edits, title: `make ${counted(edits.length, 'link')}` }).then((done) => done && onSkip());
  };
  return (
    <Offer
      say="The data suggest these links. One that is offered open would double a path if it were active; it can be switched on by a formula."
      take={`Make ${counted(ticks.count, 'link')}`}
      skip="None of them"
      busy={busy || ticks.count === 0}
      onTake={take}
      onSkip={onSkip}
    >
      <div className="begin-list wide">
        {offers.links.map((s) => (
          <label key={s.text} title={s.evidence.sentence}>
            <input type="checkbox" checked={ticks.isOn(s.text)} onChange={() => ticks.toggle(s.text)} />{' '}
            <LinkMark link={markOf(s)} width={40} /> <span className="mono">{s.text}</span>
          </label>
        ))}
      </div>
    </Offer>
  );
}

function Grids({ model, offers, onSkip }: Given) {
  const { edit, busy } = useEdits(model);
  const navigate = useNavigate();
  const open = async (place: number) => {
    const offer = offers.grids[place];
    if (!offer) return;
    for (const measure of offer.measures) if (!(await edit({ kind: 'add_measure', measure }))) return;
    onSkip();
    actions.openProbe(asProbe(offer.probe));
    actions.set({ folio: null, selection: null });
    void navigate(`/m/${model.id}/probe`);
  };
  return (
    <>
      <p>The star is linked. A first grid:</p>
      <div className="row begin-grids">
        {offers.grids.map((g, i) => (
          <button key={g.words} type="button" className={i === 0 ? 'pill solid' : 'pill'} disabled={busy} onClick={() => void open(i)}>
            {g.words}
          </button>
        ))}
        <button type="button" className="plain quiet" onClick={onSkip}>
          none of them
        </button>
      </div>
    </>
  );
}
