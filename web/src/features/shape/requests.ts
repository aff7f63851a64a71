// What Shape asks the server: steps tried out, keys compared, made tables tried out, consequences, where things come from.
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { client, unwrap, type ModelDocument } from '../../api/client';
import type { Edit } from '../../api/queries';

/** What a table that is made here is made of. */
export type Origin = Record<string, unknown>;

export type Step = { kind: string; off?: boolean; note?: string } & Record<string, unknown>;

/** What steps do, and the columns after step `at`; rows are asked for by page. */
export function useSteps(model: ModelDocument, table: string, steps: Step[], at: number | null) {
  return useQuery({
    queryKey: ['steps', model.id, model.version, table, steps, at],
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/tables/{table}/steps', {
          params: { path: { model_id: model.id, table } },
          body: { steps, at, start: 0, count: 0 },
          signal,
        }),
      ),
  });
}

/** A page of rows: of the model as it is, or after a step that is tried. */
export function useStepRows(model: ModelDocument, table: string, steps: Step[] | null, at: number | null, page: number, size: number) {
  return useQuery({
    queryKey: ['step-rows', model.id, model.version, table, steps, at, page],
    queryFn: async ({ signal }) => {
      if (steps === null) {
        const params = { path: { model_id: model.id, table }, query: { start: page * size, count: size } };
        return unwrap(await client.GET('/api/models/{model_id}/tables/{table}/rows', { params, signal })).rows;
      }
      return unwrap(
        await client.POST('/api/models/{model_id}/tables/{table}/steps', {
          params: { path: { model_id: model.id, table } },
          body: { steps, at, start: page * size, count: size },
          signal,
        }),
      ).rows;
    },
  });
}

export function useStepProfiles(model: ModelDocument, table: string, steps: Step[] | null, at: number | null) {
  return useQuery({
    queryKey: ['step-profiles', model.id, model.version, table, steps, at],
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const params = { path: { model_id: model.id, table } };
      if (steps === null) return unwrap(await client.GET('/api/models/{model_id}/tables/{table}/profiles', { params, signal })).profiles;
      const body = { steps, at, start: 0, count: 0 };
      return unwrap(await client.POST('/api/models/{model_id}/tables/{table}/steps/profiles', { params, body, signal })).profiles;
    },
  });
}

export interface Keys {
  left: { table: string; columns: string[] };
  right: { table: string; columns: string[] };
  amount: string;
}

export function useMismatch(model: ModelDocument, keys: Keys | null) {
  return useQuery({
    queryKey: ['mismatch', model.id, model.version, keys],
    enabled: keys !== null,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await client.POST('/api/models/{model_id}/mismatch', {
          params: { path: { model_id: model.id } },
          body: keys ?? { left: { table: '', columns: [] }, right: { table: '', columns: [] }, amount: '' },
        }),
      ),
  });
}

export function useMade(model: ModelDocument, origin: Record<string, unknown> | null) {
  return useQuery({
    queryKey: ['made', model.id, model.version, origin],
    enabled: origin !== null,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await client.POST('/api/models/{model_id}/made', { params: { path: { model_id: model.id } }, body: { origin: origin ?? {} } }),
      ),
  });
}

/** What an edit would break and touch, before it is made. */
export async function consequences(model: ModelDocument, edit: Edit) {
  return unwrap(await client.POST('/api/models/{model_id}/consequences', { params: { path: { model_id: model.id } }, body: { edit } }));
}

export type ThingKind = 'source' | 'table' | 'column' | 'link' | 'measure' | 'probe' | 'hierarchy' | 'check';

export function useStory(model: ModelDocument, kind: ThingKind, name: string) {
  return useQuery({
    queryKey: ['story', model.id, model.version, kind, name],
    queryFn: async () =>
      unwrap(await client.GET('/api/models/{model_id}/story', { params: { path: { model_id: model.id }, query: { kind, name } } })),
  });
}
