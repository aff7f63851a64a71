// Numbers as a picture: what is on the axes becomes categories and series. Choosing a category picks it.
import { useElementSize } from '@mantine/hooks';
import { useMemo, useRef } from 'react';
import type { GridAnswer, Pick, Probe } from '../../api/client';
import { columnName } from '../../shared/format';
import { inPick, withPick } from './LineMenu';
import { Sideways } from './pictures/Sideways';
import { Upright } from './pictures/Upright';
import { drawing, extent, ink, shape, type Category, type Drawing } from './pictures/series';
import { takePicture } from './pictures/takePicture';

const MOST = 400;
const SMALL = { width: 232, height: 150 };

interface Props {
  answer: GridAnswer;
  probe: Probe;
  picks: Pick[];
  onPick: (picks: Pick[]) => void;
  /** On a folio: nothing to take out. */
  still?: boolean;
}

export function PictureView({ answer, probe, picks, onPick, still = false }: Props) {
  const { ref, width, height } = useElementSize();
  const place = useRef<HTMLDivElement>(null);
  const { look } = probe;
  const kind = look?.picture ?? 'columns';
  const drawn = useMemo(() => drawing(answer, look ?? {}), [answer, look]);
  const names = answer.rows.columns.length ? answer.rows.columns : answer.columns.columns;
  const shown: Drawing = { ...drawn, categories: drawn.categories.slice(0, MOST) };
  const chosen = new Set(shown.categories.filter((c) => c.members.length > 0 && c.members.every((m, i) => picks.some((p) => 'column' in p && p.column === names[i] && p.in.some((v) => JSON.stringify(v) === JSON.stringify(inPick(m)))))).map((c) => c.key));
  const pick = (category: Category) => {
    const on = chosen.has(category.key);
    onPick(category.members.reduce((all, m, i) => {
      const column = names[i] ?? '';
      const now = all.find((p): p is Extract<Pick, { column: string }> => 'column' in p && p.column === column)?.in ?? [];
      const value = JSON.stringify(inPick(m));
      return withPick(all, column, on ? now.filter((v) => JSON.stringify(v) !== value) : [...now.filter((v) => JSON.stringify(v) !== value), inPick(m)]);
    }, picks));
  };
  const title = probe.name ?? drawn.series.map((s) => s.text).join(', ');
  const room = Math.max(320, width);
  return (
    <div className="picture-view" ref={ref}>
      <div className="row picture-legend">
        {kind !== 'heat' && shown.series.map((s, i) => (
          <span key={s.key} className="legend-item">
            <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden className={ink(i)}><path className="solid" d={shape(i)} /></svg>
            {s.text}
            {s.unreached.length > 0 && <span className="signal"> not reached by {s.unreached.join(', ')}</span>}
          </span>
        ))}
        {drawn.left.length > 0 && <span className="quiet">{drawn.left.join(', ')}: no numbers</span>}
        {drawn.categories.length > MOST && <span className="quiet">the first {MOST} of {drawn.categories.length}</span>}
        <span style={{ flex: 1 }} />
        {!still && (['svg', 'png'] as const).map((k) => <button key={k} type="button" className="plain" onClick={() => place.current && void takePicture(place.current, title, k)}><u>{k.toUpperCase()}</u></button>)}
      </div>
      {shown.categories.length === 0 || shown.series.length === 0 ? (
        <p className="quiet pad">There is nothing to draw: ask for a measure that is a number, by a column.</p>
      ) : (
        // It scrolls, so it can be reached.
        // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
        <div className="picture-place" ref={place} tabIndex={0} role="region" aria-label={`${title}, by ${names.map(columnName).join(' and ')}`}>
          {kind === 'multiples' ? (
            <Multiples drawn={shown} chosen={chosen} pick={pick} levels={names.length} />
          ) : kind === 'bars' || kind === 'dots' || kind === 'heat' ? (
            <Sideways kind={kind} categories={shown.categories} series={shown.series} width={room - 20} chosen={chosen} onPick={pick} />
          ) : (
            <Upright kind={kind === 'grid' ? 'columns' : kind} categories={shown.categories} series={shown.series} width={Math.max(room - 20, shown.categories.length * (kind === 'lines' ? 6 : 11) + 66)} height={Math.max(200, height - 62)} chosen={chosen} onPick={pick} />
          )}
        </div>
      )}
    </div>
  );
}

/** With two columns down, one picture a member of the first, over those of the second; with one, a picture a series. All to one scale. */
function Multiples({ drawn, chosen, pick, levels }: { drawn: Drawing; chosen: Set<string>; pick: (category: Category) => void; levels: number }) {
  const range = extent(drawn.series, false);
  const groups = new Map<string, number[]>();
  if (levels > 1) for (const [i, c] of drawn.categories.entries()) groups.set(c.text.split(' › ')[0] ?? '', [...(groups.get(c.text.split(' › ')[0] ?? '') ?? []), i]);
  return (
    <div className="multiples">
      {levels > 1
        ? [...groups].map(([name, places]) => (
            <figure key={name}>
              <figcaption>{name}</figcaption>
              <Upright small kind="columns" range={range} categories={places.flatMap((i) => { const c = drawn.categories[i]; return c ? [{ ...c, text: c.text.split(' › ').slice(1).join(' › ') }] : []; })} series={drawn.series.map((s) => ({ ...s, values: places.map((i) => s.values[i] ?? null) }))} {...SMALL} chosen={chosen} onPick={pick} />
            </figure>
          ))
        : drawn.series.map((s) => (
            <figure key={s.key}>
              <figcaption>{s.text}</figcaption>
              <Upright small kind="columns" range={new Set(drawn.series.map((x) => x.measure)).size > 1 ? extent([s], false) : range} categories={drawn.categories} series={[s]} {...SMALL} chosen={chosen} onPick={pick} />
            </figure>
          ))}
    </div>
  );
}
