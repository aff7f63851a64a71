// Numbers as a picture: what is on the axes becomes categories and series. Choosing a category picks it.
import { useElementSize } from '@mantine/hooks';
import { useMemo, useRef, useState } from 'react';
import type { GridAnswer, Pick, Picture, Probe } from '../../api/client';
import { columnName, nameText } from '../../shared/format';
import { inPick, withPick } from './LineMenu';
import { Sideways } from './pictures/Sideways';
import { Upright, scaleRoom } from './pictures/Upright';
import { drawing, extent, ink, scales, shape, type Category, type Drawing, type Series } from './pictures/series';
import { takePicture } from './pictures/takePicture';

const MOST = 400;
const SMALL = { width: 196, height: 150 };
const GAP = 14;

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
  const [said, setSaid] = useState('');
  const { look } = probe;
  const kind = look?.picture ?? 'columns';
  const drawn = useMemo(() => drawing(answer, look ?? {}), [answer, look]);
  const names = answer.rows.columns.length ? answer.rows.columns : answer.columns.columns;
  const shown: Drawing = { ...drawn, categories: drawn.categories.slice(0, MOST) };
  const chosen = new Set(
    shown.categories
      .filter(
        (c) =>
          c.members.length > 0 &&
          c.members.every((m, i) =>
            picks.some((p) => 'column' in p && p.column === names[i] && p.in.some((v) => JSON.stringify(v) === JSON.stringify(inPick(m)))),
          ),
      )
      .map((c) => c.key),
  );
  const pick = (category: Category) => {
    const on = chosen.has(category.key);
    onPick(
      category.members.reduce((all, m, i) => {
        const column = names[i] ?? '';
        const now = all.find((p): p is Extract<Pick, { column: string }> => 'column' in p && p.column === column)?.in ?? [];
        const value = JSON.stringify(inPick(m));
        return withPick(
          all,
          column,
          on ? now.filter((v) => JSON.stringify(v) !== value) : [...now.filter((v) => JSON.stringify(v) !== value), inPick(m)],
        );
      }, picks),
    );
  };
  const title = probe.name ?? drawn.series.map((s) => s.text).join(', ');
  const room = Math.max(320, width);
  return (
    <div className="picture-view" ref={ref}>
      <div className="row picture-legend">
        {kind !== 'heat' &&
          !(kind === 'multiples' && names.length === 1) &&
          shown.series.map((s) => (
            <span key={s.key} className="legend-item">
              <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden className={ink(s.ink)}>
                <path className="solid" d={shape(s.ink)} />
              </svg>
              {s.text}
              {s.reach && <span className="signal"> {s.reach}</span>}
            </span>
          ))}
        {drawn.left.length > 0 && <span className="quiet">{drawn.left.join(', ')}: no numbers</span>}
        {drawn.categories.length > MOST && (
          <span className="quiet">
            the first {MOST} of {drawn.categories.length}
          </span>
        )}
        <span style={{ flex: 1 }} />
        {said && (
          <span className="signal" role="alert">
            {said}
          </span>
        )}
        {!still &&
          (['svg', 'png'] as const).map((k) => (
            <button
              key={k}
              type="button"
              className="plain"
              onClick={() =>
                place.current && void takePicture(place.current, title, k).catch(() => setSaid('It could not be drawn as a file.'))
              }
            >
              <u>{k.toUpperCase()}</u>
            </button>
          ))}
      </div>
      {shown.categories.length === 0 || shown.series.length === 0 ? (
        <p className="quiet pad">There is nothing to draw: ask for a measure that is a number, by a column.</p>
      ) : (
        // It scrolls, so it can be reached.
        // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
        <div
          className="picture-place"
          ref={place}
          tabIndex={0}
          role="region"
          aria-label={`${title}, by ${names.map(columnName).join(' and ')}`}
        >
          {kind === 'multiples' ? (
            <Multiples drawn={shown} width={room - 20} chosen={chosen} pick={pick} levels={names.length} />
          ) : (
            <Scaled drawn={shown} kind={kind} width={room - 20} height={height - 62} chosen={chosen} pick={pick} />
          )}
        </div>
      )}
    </div>
  );
}

const shareName = (group: Series[]) => [...new Set(group.map((s) => nameText(s.measure)))].join(', ');

/** A picture for each scale: what cannot be read on one together stands below one another. */
function Scaled({
  drawn,
  kind,
  width,
  height,
  chosen,
  pick,
}: {
  drawn: Drawing;
  kind: Picture;
  width: number;
  height: number;
  chosen: Set<string>;
  pick: (category: Category) => void;
}) {
  const groups = kind === 'heat' || kind === 'stacked' ? [drawn.series] : scales(drawn.series);
  const left = Math.max(...groups.map((series) => scaleRoom(extent(series, kind === 'stacked'), series, false)));
  return groups.map((series) => (
    <figure key={series[0]?.key} className="scaled">
      {groups.length > 1 && <figcaption>{shareName(series)}</figcaption>}
      {kind === 'bars' || kind === 'dots' || kind === 'heat' ? (
        <Sideways kind={kind} categories={drawn.categories} series={series} width={width} chosen={chosen} onPick={pick} />
      ) : (
        <Upright
          kind={kind === 'lines' || kind === 'stacked' ? kind : 'columns'}
          categories={drawn.categories}
          series={series}
          width={Math.max(width, drawn.categories.length * (kind === 'lines' ? 6 : 11) + 66)}
          height={Math.max(200, height / groups.length - (groups.length > 1 ? 24 : 0))}
          room={left}
          chosen={chosen}
          onPick={pick}
        />
      )}
    </figure>
  ));
}

/** With two columns down, one picture a member of the first, over those of the second; with one, a picture a series. Those of one scale are
 * drawn to one scale, so that the small ones look small. */
function Multiples({
  drawn,
  width,
  chosen,
  pick,
  levels,
}: {
  drawn: Drawing;
  width: number;
  chosen: Set<string>;
  pick: (category: Category) => void;
  levels: number;
}) {
  const beside = Math.max(1, Math.floor((width + GAP) / (SMALL.width + GAP)));
  const size = { width: Math.floor((width - GAP * (beside - 1)) / beside), height: SMALL.height };
  const members = new Map<string, number[]>();
  if (levels > 1)
    for (const [i, c] of drawn.categories.entries())
      members.set(c.text.split(' › ')[0] ?? '', [...(members.get(c.text.split(' › ')[0] ?? '') ?? []), i]);
  const groups = scales(drawn.series);
  return (
    <div className="multiples">
      {groups.flatMap((group) => {
        const range = extent(group, false);
        if (levels === 1)
          return group.map((s) => (
            <figure key={s.key}>
              <figcaption>{s.text}</figcaption>
              <Upright
                small
                kind="columns"
                range={range}
                categories={drawn.categories}
                series={[s]}
                {...size}
                chosen={chosen}
                onPick={pick}
              />
            </figure>
          ));
        return [...members].map(([name, places]) => (
          <figure key={`${name} ${group[0]?.key}`}>
            <figcaption>
              {name}
              {groups.length > 1 ? `: ${shareName(group)}` : ''}
            </figcaption>
            <Upright
              small
              kind="columns"
              range={range}
              categories={places.flatMap((i) => {
                const c = drawn.categories[i];
                return c ? [{ ...c, text: c.text.split(' › ').slice(1).join(' › ') }] : [];
              })}
              series={group.map((s) => ({ ...s, values: places.map((i) => s.values[i] ?? null) }))}
              {...size}
              chosen={chosen}
              onPick={pick}
            />
          </figure>
        ));
      })}
    </div>
  );
}
