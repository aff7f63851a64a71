// What Gather asks the server: files sent, readings followed, loads, schedules, connections.
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import {
  Refusal,
  author,
  client,
  problemOf,
  unwrap,
  type ModelDocument,
  type Problem,
  type Reading,
  type TableInfo,
} from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions } from '../../app/shown';

/** Sends a body and tells how much of it has gone. */
export function send<T>(
  method: string,
  address: string,
  body: Blob,
  type: string,
  onProgress: (share: number) => void,
  signal?: AbortSignal,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open(method, address);
    request.setRequestHeader('X-Nexorem-Author', author());
    request.setRequestHeader('Content-Type', type);
    request.upload.addEventListener('progress', (e) => e.lengthComputable && onProgress(e.loaded / e.total));
    request.addEventListener('error', () => reject(new Error('The server did not answer.')));
    request.addEventListener('abort', () => reject(new DOMException('cancelled', 'AbortError')));
    request.addEventListener('load', () => {
      const answer = JSON.parse(request.responseText || '{}') as T & Partial<Problem>;
      if (request.status === 200) resolve(answer);
      else reject(new Refusal(answer as Problem));
    });
    signal?.addEventListener('abort', () => request.abort());
    request.send(body);
  });
}

/** Opens a package as a model of its own. */
export function openPackage(file: File, onProgress: (share: number) => void) {
  return send<{ id: number }>('POST', '/api/models', file, 'application/zip', onProgress).then((x) => x.id);
}

/** Puts a file into the model's folder of files. */
export function putFile(model: number, file: File, onProgress: (share: number) => void, signal: AbortSignal) {
  return send(
    'PUT',
    `/api/models/${model}/files?name=${encodeURIComponent(file.name)}`,
    file,
    'application/octet-stream',
    onProgress,
    signal,
  );
}

export interface ReadingAsked {
  files?: string[];
  items?: { name: string; source: Record<string, unknown>; table?: string | null }[];
  tables?: string[];
  passwords?: Record<string, string>;
}

export async function startReading(model: number, request: ReadingAsked): Promise<Reading> {
  const items = (request.items ?? []).map((i) => ({ ...i, table: i.table ?? null }));
  const body = { files: [], tables: [], passwords: {}, ...request, items };
  return unwrap(await client.POST('/api/models/{model_id}/readings', { params: { path: { model_id: model } }, body }));
}

export async function dropReading(model: number, reading: string): Promise<void> {
  await client.DELETE('/api/models/{model_id}/readings/{reading_id}', { params: { path: { model_id: model, reading_id: reading } } });
}

/** A reading, looked at until it has ended. */
export function useReading(model: number, id: string | null) {
  return useQuery({
    queryKey: ['reading', model, id],
    enabled: id !== null,
    refetchInterval: (query) => (query.state.data?.state === 'running' || query.state.data === undefined ? 300 : false),
    queryFn: async () =>
      unwrap(
        await client.GET('/api/models/{model_id}/readings/{reading_id}', { params: { path: { model_id: model, reading_id: id ?? '' } } }),
      ),
  });
}

export interface Choice {
  place: number;
  name: string | null;
  table: string | null;
}

export type Mend = Record<string, unknown>;

export function useComparison(model: ModelDocument, reading: string, chosen: Choice[], mends: Mend[]) {
  const tables = chosen.filter((c) => c.table);
  return useQuery({
    queryKey: ['compare', model.id, model.version, reading, tables, mends],
    enabled: tables.length > 0,
    queryFn: async () =>
      unwrap(
        await client.POST('/api/models/{model_id}/readings/{reading_id}/compare', {
          params: { path: { model_id: model.id, reading_id: reading } },
          body: { tables, mends },
        }),
      ),
  });
}

export function useLoadComparison(model: ModelDocument, load: number | null) {
  return useQuery({
    queryKey: ['compare-load', model.id, model.version, load],
    enabled: load !== null,
    queryFn: async () =>
      unwrap(
        await client.GET('/api/models/{model_id}/loads/{load_id}/compare', {
          params: { path: { model_id: model.id, load_id: load ?? 0 } },
        }),
      ),
  });
}

export function useLoads(model: ModelDocument) {
  return useQuery({
    queryKey: ['loads', model.id, model.version],
    queryFn: async () => unwrap(await client.GET('/api/models/{model_id}/loads', { params: { path: { model_id: model.id } } })).loads,
  });
}

export function useSchedules(model: ModelDocument) {
  return useQuery({
    queryKey: ['schedules', model.id, model.version],
    queryFn: async () =>
      unwrap(await client.GET('/api/models/{model_id}/schedules', { params: { path: { model_id: model.id } } })).schedules,
  });
}

export function useConnections(model: ModelDocument) {
  return useQuery({
    queryKey: ['connections', model.id],
    queryFn: async () =>
      unwrap(await client.GET('/api/models/{model_id}/connections', { params: { path: { model_id: model.id } } })).connections,
  });
}

/** Sets when a table, or `*` for all, is loaded by itself; 0 minutes end it. */
export function usePutSchedule(model: ModelDocument) {
  const queries = useQueryClient();
  return async (table: string, minutes: number) => {
    unwrap(await client.PUT('/api/models/{model_id}/schedules', { params: { path: { model_id: model.id } }, body: { table, minutes } }));
    await queries.invalidateQueries({ queryKey: ['schedules', model.id] });
  };
}

/** What is done with one table that stays, or could; `busy` is the one that is being asked about. */
export function useStaying(model: ModelDocument) {
  const [busy, setBusy] = useState('');
  const { keep } = useEdits(model);
  const params = { path: { model_id: model.id } };
  const run = (table: TableInfo, title: string, ask: () => Promise<Parameters<typeof keep>[0]>) => {
    setBusy(table.name);
    void ask()
      .then((document) => {
        keep(document);
        actions.say(null);
      })
      .catch((error: unknown) => actions.say({ problem: { ...problemOf(error), title }, retry: null }))
      .finally(() => setBusy(''));
  };
  return {
    busy,
    look: (table: TableInfo) =>
      run(table, 'It stands as it was looked at.', async () => {
        const body = { tables: [table.name], base: model.version };
        return unwrap(await client.POST('/api/models/{model_id}/tables/look', { params, body }));
      }),
    takeIn: (table: TableInfo) =>
      run(table, 'Its rows stay there.', async () => {
        const body = { table: table.name, base: model.version };
        return unwrap(await client.POST('/api/models/{model_id}/tables/take_in', { params, body }));
      }),
    leave: (table: TableInfo) =>
      run(table, 'Its rows stay here.', async () => {
        const left = { schema: String(table.origin.table_schema ?? ''), name: String(table.origin.table), title: '', table: table.name };
        const body = { name: String(table.origin.connection), tables: [left], base: model.version };
        return unwrap(await client.POST('/api/models/{model_id}/connections/leave', { params, body }));
      }),
  };
}
