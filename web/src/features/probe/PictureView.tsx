// Numbers as a picture: what is on the axes becomes categories and series. Choosing a category picks it.
import { useElementSize } from '@mantine/hooks';
import { useMemo, useRef, useState, type RefObject } from 'react';
import type { GridAnswer, Member, Pick, Picture, Probe } from '../../api/client';
import { columnName, nameText } from '../../shared/format';
import { inPick, withPick } from './LineMenu';
import { pickText } from './pickText';
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

type ColumnPick = Extract<Pick, { column: string }>;
type Picked = ColumnPick['in'][number];

const same = (a: Picked, b: Picked) => JSON.stringify(a) === JSON.stringify(b);

/** What is picked from a column. */
function pickedFrom(picks: Pick[], column: string): Picked[] {
  return picks.find((p): p is ColumnPick => 'column' in p && p.column === column)?.in ?? [];
}

/** The categories all of whose members are picked. */
function chosenOf(categories: Category[], names: string[], picks: Pick[]): Set<string> {
  const isPicked = (m: Member, i: number) => pickedFrom(picks, names[i] ?? '').some((v) => same(v, inPick(m)));
  return new Set(categories.filter((c) => c.members.length > 0 && c.members.every(isPicked)).map((c) => c.key));
}

/** The picks with a category in them, or with it no more. */
function withCategory(picks: Pick[], category: Category, names: string[], on: boolean): Pick[] {
  return category.members.reduce((all, m, i) => {
    const column = names[i] ?? '';
    const others = pickedFrom(all, column).filter((v) => !same(v, inPick(m)));
    return withPick(all, column, on ? [...others, inPick(m)] : others);
  }, picks);
}

export function PictureView({ answer, probe, picks, onPick, still = false }: Props) {
  const { ref, width, height } = useElementSize();
  const place = useRef<HTMLDivElement>(null);
  const { look } = probe;
  const kind = look?.picture ?? 'columns';
  const drawn = useMemo(() => drawing(answer, look ?? {}), [answer, look]);
  const names = answer.rows.columns.length ? answer.rows.columns : answer.columns.columns;
  const shown: Drawing = { ...drawn, categories: drawn.categories.slice(0, MOST) };
  const chosen = chosenOf(shown.categories, names, picks);
  const pick = (category: Category) => onPick(withCategory(picks, category, names, !chosen.has(category.key)));
  const title = titleOf(answer, drawn);
  const under = picks
    .filter((p) => 'where' in p || p.in.length > 0)
    .map(pickText)
    .join('; ');
  const sideways = kind === 'bars' || kind === 'dots' || kind === 'heat' || kind === 'multiples';
  const room = Math.max(320, width);
  return (
    <div className={sideways ? 'picture-view sideways' : 'picture-view'} ref={ref}>
      {!still && (
        <div className="row picture-title">
          <b>{title}</b> {under && <span className="quiet">{under}</span>}
        </div>
      )}
      <div className="row picture-legend">
        {kind !== 'heat' && !(kind === 'multiples' && names.length === 1) && <Legend series={shown.series} />}
        {drawn.left.length > 0 && <span className="quiet">{drawn.left.join(', ')}: no numbers</span>}
        {drawn.categories.length > MOST && (
          <span className="quiet">
            the first {MOST} of {drawn.categories.length}
          </span>
        )}
        <span style={{ flex: 1 }} />
        {!still && <AsFile place={place} title={title} under={under} />}
      </div>
      {shown.categories.length === 0 || shown.series.length === 0 ? (
        <p className="quiet pad">There is nothing to draw: ask for a measure that is a number, by a column.</p>
      ) : (
        // It scrolls, so it can be reached.
        // oxlint-disable-next-line jsx-a11y/no-noninteractive-tabindex
        <div className="picture-place" ref={place} tabIndex={0} role="region" aria-label={title}>
          {kind === 'multiples' ? (
            <Multiples drawn={shown} width={room - 20} chosen={chosen} pick={pick} levels={names.length} />
          ) : (
            <Scaled drawn={shown} kind={kind} width={room - 20} height={height - (still ? 62 : 88)} chosen={chosen} pick={pick} />
          )}
        </div>
      )}
    </div>
  );
}

/** What a picture shows: its measures, and by what. */
function titleOf(answer: GridAnswer, drawn: Drawing): string {
  const measures = [...new Set(drawn.series.map((s) => nameText(s.measure)))].join(', ');
  const by = [...answer.rows.columns, ...answer.columns.columns].map(columnName).join(' and ');
  return by ? `${measures} by ${by}` : measures;
}

function Legend({ series }: { series: Series[] }) {
  return series.map((s) => (
    <span key={s.key} className="legend-item">
      <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden className={ink(s.ink)}>
        <path className="solid" d={shape(s.ink)} />
      </svg>
      {s.text}
      {s.reach && <span className="signal"> {s.reach}</span>}
    </span>
  ));
}

/** The picture as a file of its own. */
function AsFile({ place, title, under }: { place: RefObject<HTMLDivElement | null>; title: string; under: string }) {
  const [said, setSaid] = useState('');
  const take = (kind: 'svg' | 'png') =>
    place.current && void takePicture(place.current, title, under, kind).catch(() => setSaid('It could not be drawn as a file.'));
  return (
    <>
      {said && (
        <span className="signal" role="alert">
          {said}
        </span>
      )}
      {(['svg', 'png'] as const).map((kind) => (
        <button key={kind} type="button" className="plain" onClick={() => take(kind)}>
          <u>{kind.toUpperCase()}</u>
        </button>
      ))}
    </>
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
