// What edits of links would do, before they are made: who filters whom, paths doubled, findings, and the numbers of the open probe.
import type { CheckMoved, Double, Finding, ModelDocument, Probe, StatesCompared, Trial } from '../../api/client';
import { count } from '../../shared/format';
import { BesideGrid } from './BesideGrid';
import { actions } from '../../app/shown';

export function Outcome({
  model,
  trial,
  probe,
  onYield,
}: {
  model: ModelDocument;
  trial: Trial;
  probe: Probe | null;
  onYield: (name: string) => void;
}) {
  if (!trial.comparison)
    return (
      <section aria-label="What forbids it" className="outcome">
        {trial.doubles.length > 0 && <h3>It would double a path</h3>}
        {trial.doubles.slice(0, 3).map((d) => (
          <TwoPaths key={d.sentence} double={d} model={model} />
        ))}
        {trial.errors
          .filter((e) => e.code !== 'double_path')
          .map((e) => (
            <div key={e.message} className="wrong" role="alert">
              <span className="signal">◆</span>
              <span>
                {e.message} <span className="quiet">{e.mend}</span>
              </span>
            </div>
          ))}
        {trial.doubles.length > 0 && (
          <p className="signal" role="alert">
            {trial.doubles[0]?.sentence}
          </p>
        )}
        {trial.yields.length > 0 && (
          <p>
            One of these can yield:{' '}
            {trial.yields.map((name) => (
              <button key={name} type="button" className="pill small" style={{ marginRight: 6 }} onClick={() => onYield(name)}>
                {name}
              </button>
            ))}
          </p>
        )}
        {trial.doubles.length > 0 && trial.yields.length === 0 && (
          <p className="quiet">No one other link can yield; make this one inactive, and let measures switch it on.</p>
        )}
      </section>
    );
  return <Compared compared={trial.comparison} probe={probe} words="It" />;
}

/** Two states of the model: reach, findings, numbers. `words` begin the sentence where nothing changes. */
export function Compared({
  compared,
  probe,
  words,
  reachOnly = false,
}: {
  compared: StatesCompared;
  probe: Probe | null;
  words: string;
  reachOnly?: boolean;
}) {
  const reach = compared.newly.length + compared.no_longer.length + compared.moved.length;
  return (
    <div className="outcome">
      <section aria-label="Who filters whom">
        <h3>Who filters whom</h3>
        {reach === 0 && <p className="quiet">{words} changes nothing in who filters whom.</p>}
        <Pairs title="newly reached" sign="+" pairs={compared.newly} />
        <Pairs title="no longer reached" sign="∅" pairs={compared.no_longer} />
        <Pairs title="by another way" sign="⇀" pairs={compared.moved} />
      </section>
      {!reachOnly && (
        <section aria-label="Numbers of the open probe">
          <h3>{probe?.name ? `The numbers of ‘${probe.name}’` : 'The numbers of the open probe'}</h3>
          {compared.grid_error && (
            <p className="signal" role="alert">
              {compared.grid_error}
            </p>
          )}
          {!compared.grid && !compared.grid_error && (
            <p className="quiet">No probe is open. Open one on the Probe stage, and its numbers stand here before and after.</p>
          )}
          {compared.grid && <BesideGrid grid={compared.grid} brief />}
        </section>
      )}
      <ChecksMoved moved={compared.checks} />
      {compared.appear.length + compared.go.length > 0 && (
        <section aria-label="Findings">
          <h3>Findings</h3>
          {compared.appear.map((f) => (
            <p key={`+${f.about}${f.sentence}`}>
              <span className="signal">+ appears:</span> {whose(f)}
              {f.sentence}
            </p>
          ))}
          {compared.go.map((f) => (
            <p key={`-${f.about}${f.sentence}`}>
              <span className="fact-ink">− goes:</span> {whose(f)}
              {f.sentence}
            </p>
          ))}
        </section>
      )}
    </div>
  );
}

/** The checks that are in another state afterwards. */
export function ChecksMoved({ moved }: { moved: CheckMoved[] }) {
  if (moved.length === 0) return null;
  return (
    <section aria-label="Checks">
      <h3>Checks</h3>
      {moved.map((m) => (
        <p key={m.name}>
          <span className={m.after === 'holds' ? 'fact-ink' : 'signal'}>
            {m.after === 'holds' ? '✓ holds again:' : m.after === 'fails' ? '✗ fails:' : '! ends:'}
          </span>{' '}
          <button
            type="button"
            className="plain"
            onClick={() => actions.set({ lensOpen: true, selection: { kind: 'check', name: m.name } })}
          >
            <b>{m.name}</b>
          </button>
          {m.guards?.length ? <span className="quiet"> (guards {m.guards.join(' and ')})</span> : null}. {m.after !== 'holds' && m.sentence}
        </p>
      ))}
    </section>
  );
}

/** Findings of probes and hierarchies do not name them in their sentences. */
const whose = (f: Finding) => (f.about.startsWith('probe ') ? <b>{f.about.slice(6)}: </b> : null);

const MOST_PAIRS = 8;

/** Pairs told by the table that filters: A reaches B and C. */
function Pairs({ title, sign, pairs }: { title: string; sign: string; pairs: { from: string; to: string; path: string[] }[] }) {
  if (pairs.length === 0) return null;
  const sources = [...new Set(pairs.map((p) => p.from))];
  return (
    <div className="pairs">
      <span className="change-mark" aria-hidden>
        {sign}
      </span>
      <div>
        <b>
          {count(pairs.length)} {title}
        </b>
        {sources.slice(0, MOST_PAIRS).map((source) => (
          <div key={source}>
            <b>{source}</b> ›{' '}
            {pairs
              .filter((p) => p.from === source)
              .map((p) => p.to)
              .join(', ')}{' '}
            <span className="quiet">over {pairs.find((p) => p.from === source)?.path.join(' › ')}</span>
          </div>
        ))}
        {sources.length > MOST_PAIRS && <div className="quiet">and from {sources.length - MOST_PAIRS} tables more</div>}
      </div>
    </div>
  );
}

/** A double path, drawn: its two ends, and a way above and one below. */
function TwoPaths({ double, model }: { double: Double; model: ModelDocument }) {
  const width = 460;
  const stops = (path: string[]) => {
    let at = double.source;
    return path.map((name) => {
      const link = model.links.find((k) => k.name === name);
      at = link ? (link.from_table === at ? link.to_table : link.from_table) : '';
      return { link: name, to: at };
    });
  };
  const way = (path: string[], y: number) => {
    const stopped = stops(path);
    return stopped.map((stop, i) => {
      const x0 = 60 + ((width - 120) * i) / stopped.length;
      const x1 = 60 + ((width - 120) * (i + 1)) / stopped.length;
      const y0 = i === 0 ? 60 : y;
      const y1 = i === stopped.length - 1 ? 60 : y;
      return (
        <g key={stop.link}>
          <path
            className="way"
            d={stopped.length === 1 ? `M${x0} 60Q${width / 2} ${y < 60 ? -4 : 124} ${x1} 60` : `M${x0} ${y0}L${x1} ${y1}`}
          />
          <text x={(x0 + x1) / 2} y={stopped.length === 1 ? (y < 60 ? 22 : 108) : (y0 + y1) / 2 + (y < 60 ? -7 : 15)} textAnchor="middle">
            {stop.link}
          </text>
          {i < stopped.length - 1 && <circle cx={x1} cy={y1} r="4" />}
          {i < stopped.length - 1 && (
            <text className="table" x={x1} y={y1 + (y < 60 ? -18 : 27)} textAnchor="middle">
              {stop.to}
            </text>
          )}
        </g>
      );
    });
  };
  return (
    <svg className="two-paths" viewBox={`0 0 ${width} 124`} role="img" aria-label={double.sentence}>
      <title>{double.sentence}</title>
      {way(double.first, 22)}
      {way(double.second, 98)}
      <circle cx="60" cy="60" r="5" />
      <circle cx={width - 60} cy="60" r="5" />
      <text className="table" x="50" y="64" textAnchor="end">
        {double.source}
      </text>
      <text className="table" x={width - 50} y="64">
        {double.target}
      </text>
    </svg>
  );
}
