// Chips for the lines that a probe keeps: by a condition on its measures, and the top ones; both of any level of the rows.
import type { Having, ModelDocument, Probe } from '../../api/client';
import { columnName, nameText, quotedName } from '../../shared/format';
import { Where } from './Where';

interface Props {
  model: ModelDocument;
  probe: Probe;
  put: (change: Partial<Probe>) => void;
}

/** Which lines are meant, where the rows have several levels. */
function Level({
  probe,
  level,
  what,
  onLevel,
}: {
  probe: Probe;
  level: string | undefined;
  what: string;
  onLevel: (level: string | undefined) => void;
}) {
  if (probe.rows.length < 2) return null;
  const last = probe.rows.at(-1) ?? '';
  return (
    <select
      className="chip-choice"
      aria-label={what}
      value={level ?? last}
      onChange={(e) => onLevel(e.target.value === last ? undefined : e.target.value)}
    >
      {probe.rows.map((c) => (
        <option key={c} value={c}>
          {columnName(c)}
        </option>
      ))}
    </select>
  );
}

export function KeptLines({ model, probe, put }: Props) {
  const having = probe.having ?? [];
  const change = (at: number, part: Partial<Having>) => put({ having: having.map((h, i) => (i === at ? { ...h, ...part } : h)) });
  const { top } = probe;
  const first = probe.measures[0];
  const example = first ? `${quotedName(first)} > 100` : '';
  const add = (where: string) => put({ having: [...having, { where }] });
  return (
    <>
      {having.map((h, i) => (
        <span key={JSON.stringify(h)} className="chip">
          <span className="chip-text">
            lines <Level probe={probe} level={h.level} what={`Which lines ${h.where} is about`} onLevel={(level) => change(i, { level })} />
          </span>
          <Where model={model} text={h.where} title="A condition on measures" example={example} onSay={(where) => change(i, { where })}>
            having {h.where}
          </Where>
          <button
            type="button"
            aria-label={`Take the condition ${h.where} out`}
            onClick={() => put({ having: having.filter((_, j) => j !== i) })}
          >
            ✕
          </button>
        </span>
      ))}
      {probe.rows.length > 0 && (
        <span className="chip add">
          <Where model={model} text="" title="A condition on measures" example={example} onSay={add}>
            + lines having
          </Where>
        </span>
      )}
      {top && (
        <span className="chip">
          <span className="chip-text">
            the top{' '}
            <input
              className="chip-number"
              type="number"
              min={1}
              max={100000}
              aria-label="How many top lines"
              value={top.count}
              onChange={(e) => Number(e.target.value) >= 1 && put({ top: { ...top, count: Math.floor(Number(e.target.value)) } })}
            />{' '}
            <Level probe={probe} level={top.level} what="Which lines the top is of" onLevel={(level) => put({ top: { ...top, level } })} />{' '}
            by {nameText(top.by).toLowerCase()}
          </span>
          <button
            type="button"
            title="Whether lines that are equal to the last of them stay"
            onClick={() => put({ top: { ...top, ties: top.ties === false ? undefined : false } })}
          >
            {top.ties === false ? 'without ties' : 'with ties'}
          </button>
          <button type="button" aria-label="Take the top lines out" onClick={() => put({ top: undefined })}>
            ✕
          </button>
        </span>
      )}
    </>
  );
}
