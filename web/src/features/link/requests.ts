// What Link asks the server: what a link would be, what edits would do, suggestions, reach, the star's places, history.
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { client, unwrap, type ModelDocument, type Probe, type StarLayout } from '../../api/client';
import type { Edit } from '../../api/queries';
import { useLink } from './store';

const of = (model: ModelDocument) => ({ path: { model_id: model.id } });

/** What a link is or would be, in place of the one called `name`, after edits that are not made. */
export function useLinkPreview(model: ModelDocument, link: Record<string, unknown> | null, name: string | null, edits: Edit[]) {
  return useQuery({
    queryKey: ['link', model.id, model.version, link, name, edits],
    enabled: link !== null,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(await client.POST('/api/models/{model_id}/link', { params: of(model), body: { link: link ?? {}, name, edits }, signal })),
  });
}

/** What edits of links would do to reach, paths, findings and the numbers of a probe. */
export function useTrial(model: ModelDocument, edits: Edit[], probe: Probe | null) {
  return useQuery({
    queryKey: ['trial', model.id, model.version, edits, probe],
    enabled: edits.length > 0,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/trial', {
          params: of(model),
          body: { edits, probe: probe ? { ...probe } : null },
          signal,
        }),
      ),
  });
}

/** The model after edits that are not made. */
export function useVariant(model: ModelDocument, edits: Edit[] | null) {
  return useQuery({
    queryKey: ['variant', model.id, model.version, edits],
    enabled: edits !== null && edits.length > 0,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(await client.POST('/api/models/{model_id}/variant', { params: of(model), body: { edits: edits ?? [] }, signal })),
  });
}

export function useSuggestions(model: ModelDocument) {
  return useQuery({
    queryKey: ['suggestions', model.id, model.version],
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(await client.GET('/api/models/{model_id}/suggestions', { params: of(model), signal })).suggestions,
  });
}

export type ReachSubject = { table: string } | { measure: string };

export function useReachOf(model: ModelDocument, subject: ReachSubject | null) {
  return useQuery({
    queryKey: ['reach-of', model.id, model.version, subject],
    enabled: subject !== null,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/reach_of', {
          params: of(model),
          body: { table: null, measure: null, ...subject },
          signal,
        }),
      ),
  });
}

/** The smallest change after which a filter on one table reaches another. */
export function useOpening(model: ModelDocument, from: string, to: string, measure: string | null, enabled: boolean) {
  return useQuery({
    queryKey: ['opening', model.id, model.version, from, to, measure],
    enabled,
    queryFn: async ({ signal }) =>
      unwrap(await client.POST('/api/models/{model_id}/opening', { params: of(model), body: { from, to, measure }, signal })),
  });
}

export type HeldThing = { measure: string } | { given: string };

/** What a measure, or the edits of a given, does to links and filters. */
export function useHeld(model: ModelDocument, held: HeldThing | null, fact: string) {
  return useQuery({
    queryKey: ['held', model.id, model.version, held, fact],
    enabled: held !== null,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/held', {
          params: of(model),
          body: { measure: null, given: null, ...held, fact },
          signal,
        }),
      ),
  });
}

/** What the star is drawn by, besides the model. */
export interface StarView {
  fact: string;
  beside: string | null;
  /** How many times wider than high its window is, in steps. */
  shape: number;
  /** Cards that show columns. */
  opened: Record<string, 'keys' | 'all'>;
  folded: string[];
}

/** The star of a fact as this window shows it. */
export function useStarView(model: ModelDocument, fact: string): StarView {
  const second = useLink((s) => s.beside);
  const beside = second && second !== fact && model.tables.some((t) => t.name === second) ? second : null;
  const { shape, folded, level, levels } = useLink();
  return useMemo(() => {
    const opened = model.tables.flatMap((t) => {
      const shown = levels[t.name] ?? level;
      return shown === 'names' ? [] : [[t.name, shown] as const];
    });
    return { fact, beside, shape, folded, opened: Object.fromEntries(opened) };
  }, [fact, beside, shape, folded, level, levels, model.tables]);
}

const keyOfStar = ({ fact, beside }: StarView) => (beside ? `${fact} + ${beside}` : fact);

/** Where a star's tables stood when this window last saw it in a room of this shape: what stood somewhere stays there. */
export function placesKey(model: ModelDocument, key: string, shape: number): string {
  return `nexorem.star.${model.id}.${key}.${shape}`;
}

/** Tables by x and row, and how far rows were apart. */
interface Places {
  before: Record<string, [number, number]>;
  rooms: Record<string, number>;
}

function placesBefore(model: ModelDocument, key: string, shape: number): Places {
  try {
    const kept = JSON.parse(localStorage.getItem(placesKey(model, key, shape)) ?? '{}') as Partial<Places>;
    return { before: kept.before ?? {}, rooms: kept.rooms ?? {} };
  } catch {
    return { before: {}, rooms: {} };
  }
}

/** The picture of a star as it stands in this window: SVG. */
export async function starPicture(model: ModelDocument, view: StarView): Promise<string> {
  const body = { ...view, shape: view.shape || 1, ...placesBefore(model, keyOfStar(view), view.shape) };
  return unwrap(await client.POST('/api/models/{model_id}/star/picture', { params: of(model), body, parseAs: 'text' })) as string;
}

/** `shownAs` tells apart the stars of the model and of a variant of it. */
export function useStarLayout(model: ModelDocument, view: StarView, shownAs: string, tidied: number) {
  const key = keyOfStar(view);
  return useQuery<StarLayout>({
    queryKey: ['star', model.id, model.version, view, shownAs, tidied],
    enabled: view.fact !== '' && view.shape > 0,
    placeholderData: (old) => (old?.key === key ? old : undefined),
    queryFn: async ({ signal }) => {
      const { before, rooms } = placesBefore(model, key, view.shape);
      const told = await client.POST('/api/models/{model_id}/star', { params: of(model), body: { ...view, before, rooms }, signal });
      const answer = unwrap(told) as StarLayout; // its pairs come as lists
      // Where somebody pulled a table to stands in the model; the place it has by itself is kept for when that is taken back.
      const places: Places['before'] = Object.fromEntries(
        Object.entries(answer.boxes).flatMap(([name, box]) => {
          const at = `${answer.key}/${name}` in model.places ? before[name] : [box.x, box.row];
          return at ? [[name, [at[0] ?? 0, at[1] ?? 0]]] : [];
        }),
      );
      localStorage.setItem(placesKey(model, answer.key, view.shape), JSON.stringify({ before: places, rooms: answer.rooms }));
      return answer;
    },
  });
}

export function useTableShape(model: ModelDocument, table: string, columns: string[]) {
  return useQuery({
    queryKey: ['table-shape', model.id, model.version, table, columns],
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/tables/{table}/shape', {
          params: { path: { model_id: model.id, table } },
          body: { columns },
          signal,
        }),
      ),
  });
}

export function useHistory(model: ModelDocument) {
  return useQuery({
    queryKey: ['history', model.id, model.version],
    queryFn: async () => unwrap(await client.GET('/api/models/{model_id}/history', { params: of(model) })).edits,
  });
}

/** What one edit of the history changed, in reach and in the numbers of a probe. */
export function useEditChange(model: ModelDocument, number: number | null, probe: Probe | null) {
  return useQuery({
    queryKey: ['edit-change', model.id, model.version, number, probe],
    enabled: number !== null,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/history/{number}', {
          params: { path: { model_id: model.id, number: number ?? 0 } },
          body: { probe: probe ? { ...probe } : null },
          signal,
        }),
      ),
  });
}
