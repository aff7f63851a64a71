// Where a thing comes from and what is built on it: in words, and as a small picture that reads from the left to the right.
import { Fragment } from 'react';
import type { LoadInfo, ModelDocument, TableInfo } from '../../api/client';
import { actions } from '../../app/shown';
import { Names } from '../../marks/Names';
import { quotedName } from '../../shared/format';
import { useLoads } from '../gather/requests';
import { useStory, type ThingKind } from '../shape/requests';

const MOST_DRAWN = 7;
const WORDS: Record<string, string> = {
  'source column': 'as loaded',
  source: 'source',
  table: 'table',
  column: 'column',
  link: 'link',
  measure: 'measure',
  probe: 'probe',
  hierarchy: 'hierarchy',
  check: 'check',
};

type Thing = [string, string];

/** Steps of a table in a few words each, as the Lens lists them. */
export function stepWords(step: Record<string, unknown>): string {
  const kind = String(step.kind).replaceAll('_', ' ');
  const named = [step.column, step.name, step.into, step.table].find((x) => typeof x === 'string' && x !== '') as string | undefined;
  const columns = Array.isArray(step.columns) ? (step.columns as string[]).slice(0, 3).join(', ') : '';
  return `${kind} ${named ?? columns}`.trim();
}

/** When rows came, or were looked at where they stay. */
function loadWords(load: LoadInfo, table: TableInfo): string {
  const at = new Date(load.loaded_at).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });
  const rows = (table.stays ? table.rows : load.rows).toLocaleString('en-GB');
  return `${table.stays ? 'looked at' : 'loaded'} ${at} by ${load.author || 'someone'}, ${rows} rows`;
}

export function StoryView({ model, kind, name }: { model: ModelDocument; kind: ThingKind; name: string }) {
  const story = useStory(model, kind, name);
  const loads = useLoads(model);
  const table =
    kind === 'table' ? model.tables.find((t) => t.name === name) : model.tables.find((t) => name.startsWith(`${quotedName(t.name)}.`));
  if (story.isError) return null;
  if (!story.data) return <p className="wait">Following it back…</p>;
  const before = story.data.before as Thing[];
  const after = story.data.after as Thing[];
  const load = loads.data?.find((x) => x.live && x.table === table?.name);
  const steps = (table?.steps ?? []).filter((s) => !s.off);
  return (
    <>
      <h3>Where it came from</h3>
      <p className="quiet">
        {table?.stays && 'It stays in '}
        {table?.from_text}
        {load && table && `, ${loadWords(load, table)}`}
        {steps.length > 0 && `, shaped by ${steps.length} step${steps.length > 1 ? 's' : ''}: ${steps.map(stepWords).join('; ')}`}
      </p>
      <Picture thing={story.data.thing as Thing} before={before} after={after} edges={story.data.edges as [Thing, Thing][]} />
      <h3>Built on it</h3>
      {after.length === 0 ? <p className="quiet">Nothing. It could go without a trace.</p> : <Built after={after} />}
    </>
  );
}

function Built({ after }: { after: Thing[] }) {
  const kinds = [...new Set(after.map(([k]) => k))];
  const select = actions.select;
  const open = ([k, n]: Thing) => {
    if (k === 'table') select({ kind: 'table', name: n });
    else if (k === 'link') select({ kind: 'link', name: n });
    else if (k === 'measure') select({ kind: 'measure', name: n });
    else if (k === 'column') select({ kind: 'column', table: n.split('.')[0] ?? '', name: n.split('.').slice(1).join('.') });
  };
  return (
    <table>
      <tbody>
        {kinds.map((k) => (
          <tr key={k}>
            <td className="quiet kind">
              {WORDS[k] ?? k}
              {after.filter((x) => x[0] === k).length > 1 ? 's' : ''}
            </td>
            <td>
              <Names>
                {after
                  .filter((x) => x[0] === k)
                  .slice(0, 24)
                  .map((x) =>
                    ['table', 'link', 'measure', 'column'].includes(k) ? (
                      <button key={x[1]} type="button" className={k === 'measure' ? 'plain measure-ink' : 'plain'} onClick={() => open(x)}>
                        {x[1]}
                      </button>
                    ) : (
                      <Fragment key={x[1]}>{x[1]}</Fragment>
                    ),
                  )}
              </Names>
              {after.filter((x) => x[0] === k).length > 24 && `and ${after.filter((x) => x[0] === k).length - 24} more`}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const id = (t: Thing) => `${t[0]} ${t[1]}`;

/** What comes before at the left, the thing in the middle, what comes after at the right. */
function Picture({ thing, before, after, edges }: { thing: Thing; before: Thing[]; after: Thing[]; edges: [Thing, Thing][] }) {
  // Columns of the thing's own table say nothing in so small a picture; what is nearest is drawn.
  const left = before.filter(([k]) => k !== 'column').slice(0, MOST_DRAWN);
  const right = after.filter(([k]) => k !== 'column').slice(0, MOST_DRAWN);
  const hidden = before.filter(([k]) => k !== 'column').length + after.filter(([k]) => k !== 'column').length - left.length - right.length;
  const rows = Math.max(left.length, right.length, 1);
  const height = rows * 26 + 14;
  const place = new Map<string, [number, number]>();
  const spread = (n: number, i: number) => (height / (n + 1)) * (i + 1);
  left.forEach((t, i) => place.set(id(t), [4, spread(left.length, i)]));
  right.forEach((t, i) => place.set(id(t), [222, spread(right.length, i)]));
  place.set(id(thing), [113, height / 2]);
  const reach = new Map<string, string[]>();
  for (const [a, b] of edges) reach.set(id(a), [...(reach.get(id(a)) ?? []), id(b)]);
  const lines = [...left.map((t) => [id(t), id(thing)] as const), ...right.map((t) => [id(thing), id(t)] as const)];
  return (
    <>
      <svg
        className="story"
        viewBox={`0 0 324 ${height}`}
        role="img"
        aria-label={`${thing[1]}: ${left.length} things before it, ${right.length} after it`}
      >
        {lines.map(([a, b]) => {
          const [x1 = 0, y1 = 0] = place.get(a) ?? [];
          const [x2 = 0, y2 = 0] = place.get(b) ?? [];
          return (
            <path
              key={`${a} › ${b}`}
              d={`M${x1 + 98} ${y1} C${x1 + 108} ${y1} ${x2 - 10} ${y2} ${x2} ${y2}`}
              className={reach.get(a)?.includes(b) ? 'near' : 'far'}
            />
          );
        })}
        {[...left, thing, ...right].map((t) => {
          const [x = 0, y = 0] = place.get(id(t)) ?? [];
          return (
            <g
              key={id(t)}
              className={`thing ${t[0].replace(' ', '-')} ${id(t) === id(thing) ? 'own' : ''}`}
              transform={`translate(${x} ${y - 11})`}
            >
              <rect width="98" height="22" rx="6" />
              <text x="7" y="15">
                {t[1].length > 15 ? `${t[1].slice(0, 14)}…` : t[1]}
              </text>
              <title>{`${WORDS[t[0]] ?? t[0]} ${t[1]}`}</title>
            </g>
          );
        })}
      </svg>
      {hidden > 0 && <p className="quiet">The nearest are drawn; {hidden} more stand below.</p>}
    </>
  );
}
