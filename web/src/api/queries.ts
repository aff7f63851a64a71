// What the screens ask the server, and how answers are kept.
import { QueryClient, keepPreviousData, useIsFetching, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { create } from 'zustand';
import { actions } from '../app/shown';
import { spoken } from '../shared/format';
import {
  client,
  problemOf,
  unwrap,
  type Into,
  type Member,
  type ModelDocument,
  type PageCondition,
  type Pick,
  type Probe,
  type StoredModel,
  type Analysis,
} from './client';

export const queryClient = new QueryClient({
  defaultOptions: { queries: { staleTime: Infinity, retry: false, refetchOnWindowFocus: false } },
});

const askModels = async () => unwrap(await client.GET('/api/models'));

/** The models that are here, the newest first. */
export function useModels() {
  return useQuery({ queryKey: ['models'], queryFn: askModels, select: (list) => list.models });
}

/** Those that were removed and can be brought back. */
export function useRemovedModels() {
  return useQuery({ queryKey: ['models'], queryFn: askModels, select: (list) => list.removed });
}

const modelKey = (id: number) => ['model', id];

/** What is found in a model as a whole: findings, the matrix, currents. */
async function askAnalysis(id: number, findings = true): Promise<Analysis> {
  return unwrap(await client.GET('/api/models/{model_id}/analysis', { params: { path: { model_id: id }, query: { findings } } }));
}

const PATIENCE = 800;
const AGAIN = 5000;

/** The same; without findings where a place that is asked for them takes its time: they come when they are there. */
async function askPatiently(id: number): Promise<Analysis> {
  const asked = askAnalysis(id);
  const late = new Promise<null>((resolve) => setTimeout(resolve, PATIENCE, null));
  const first = await Promise.race([asked, late]);
  if (first) return first;
  const quick = await askAnalysis(id, false);
  const meanwhile = await Promise.race([asked, null]);
  if (meanwhile) return meanwhile;
  void asked.then(async (derived) => {
    await queryClient.getQueryCache().find({ queryKey: modelKey(id) })?.promise;
    const now = queryClient.getQueryData<ModelDocument>(modelKey(id));
    if (now?.version === derived.version) queryClient.setQueryData(modelKey(id), whole(now, derived));
  });
  return quick;
}

function whole(stored: StoredModel, { findings, matrix, currents, candidate_keys }: Omit<Analysis, 'version'>): ModelDocument {
  const names = stored.measures.map((m) => m.name);
  const told = findings.map((f) => ({ ...f, sentence: spoken(f.sentence, names) }));
  const tables = stored.tables.map((t) => ({ ...t, candidate_keys: candidate_keys?.[t.name] ?? null }));
  return { ...stored, tables, findings: told, matrix, currents };
}

/** What was found in a model before, for a newer state of it. */
function foundBefore({ tables, findings, matrix, currents }: ModelDocument): Omit<Analysis, 'version'> {
  return {
    findings,
    matrix,
    currents,
    candidate_keys: Object.fromEntries(tables.flatMap((t) => (t.candidate_keys ? [[t.name, t.candidate_keys]] : []))),
  };
}

async function askModel(id: number): Promise<ModelDocument> {
  const path = { model_id: id };
  let [stored, derived] = await Promise.all([client.GET('/api/models/{model_id}', { params: { path } }).then(unwrap), askPatiently(id)]);
  // An edit may have come between the two.
  while (derived.version !== stored.version) {
    stored = unwrap(await client.GET('/api/models/{model_id}', { params: { path } }));
    if (derived.version < stored.version) derived = await askAnalysis(id);
  }
  return whole(stored, derived);
}

export function useModel(id: number) {
  return useQuery({ queryKey: modelKey(id), queryFn: () => askModel(id) });
}

/** The names that what is found in a model is about: as long as they are the same, what was found before stands until the new is there. */
const namesOf = (model: StoredModel) => JSON.stringify([model.tables.map((t) => t.name), model.links.map((k) => k.name)]);

/** Puts a model that an edit answered with in place of the known one, and what is found in it once that is told. */
async function take(queries: QueryClient, stored: StoredModel): Promise<void> {
  const cached = queries.getQueryData<ModelDocument>(modelKey(stored.id));
  if (cached && cached.version > stored.version) return;
  if (cached && namesOf(cached) === namesOf(stored)) {
    queries.setQueryData(modelKey(stored.id), whole(stored, foundBefore(cached)));
    void takeAnalysis(queries, stored, askAnalysis(stored.id));
  } else await takeAnalysis(queries, stored, askPatiently(stored.id));
}

async function takeAnalysis(queries: QueryClient, stored: StoredModel, asked: Promise<Analysis>): Promise<void> {
  const derived = await asked;
  const now = queries.getQueryData<ModelDocument>(modelKey(stored.id));
  if (now && now.version > stored.version) return;
  if (derived.version === stored.version) queries.setQueryData(modelKey(stored.id), whole(stored, derived));
  else await queries.invalidateQueries({ queryKey: modelKey(stored.id) });
}

/** What shows something of what an event tells of: history says which edits moved a check. */
const PARTS = { checks: ['checks', 'history'], coverage: ['coverage'], releases: ['releases'] };

/** Hears of other windows' edits and asks for the model again. */
export function useFollow(id: number) {
  const queries = useQueryClient();
  useEffect(() => {
    let source: EventSource | null = null;
    let again: ReturnType<typeof setTimeout> | undefined;
    const listen = () => {
      if (source) return;
      source = new EventSource(`/api/models/${id}/events`);
      source.addEventListener('version', (event) => {
        const { version } = JSON.parse((event as MessageEvent<string>).data) as { version: number };
        const cached = queries.getQueryData<ModelDocument>(modelKey(id));
        if (cached && cached.version < version) void queries.invalidateQueries({ queryKey: modelKey(id) });
      });
      for (const [part, shown] of Object.entries(PARTS))
        source.addEventListener(part, () => shown.forEach((key) => void queries.invalidateQueries({ queryKey: [key, id] })));
      // What was refused, as where a session has ended, is not tried again by the browser.
      source.addEventListener('error', () => {
        if (source?.readyState !== EventSource.CLOSED) return;
        stop();
        again = setTimeout(() => !document.hidden && listen(), AGAIN);
      });
    };
    const stop = () => {
      source?.close();
      source = null;
    };
    // A browser allows a host six connections for all of its windows: one that nobody sees holds none. When it is seen
    // again, the first event tells it the newest version.
    const onVisible = () => (document.hidden ? stop() : listen());
    onVisible();
    document.addEventListener('visibilitychange', onVisible);
    window.addEventListener('pagehide', stop);
    return () => {
      stop();
      clearTimeout(again);
      document.removeEventListener('visibilitychange', onVisible);
      window.removeEventListener('pagehide', stop);
    };
  }, [id, queries]);
}

export type Edit = { kind: string } & Record<string, unknown>;

/** Edits, undo and redo. A refusal is shown by the frame; one over another's edit offers a choice. */
export function useEdits(model: ModelDocument) {
  const queries = useQueryClient();
  const say = actions.say;
  const path = { model_id: model.id };
  const keep = (document: StoredModel) => take(queries, document);
  const edit = useMutation({
    mutationFn: async ({ edit, base }: { edit: Edit; base: number }) =>
      unwrap(await client.POST('/api/models/{model_id}/edits', { params: { path }, body: { edit, base } })),
    onSuccess: async (document) => {
      await keep(document);
      say(null);
    },
    onError: (error, variables) => {
      const problem = problemOf(error);
      say({ problem, retry: problem.status === 409 ? variables.edit : null });
    },
  });
  const step = useMutation({
    mutationFn: async ({ direction, expected }: { direction: 'undo' | 'redo'; expected: number }) =>
      unwrap(
        direction === 'undo'
          ? await client.POST('/api/models/{model_id}/undo', { params: { path }, body: { expected } })
          : await client.POST('/api/models/{model_id}/redo', { params: { path }, body: { expected } }),
      ),
    onSuccess: async (document) => {
      await keep(document);
      say(null);
    },
    onError: (error) => {
      say({ problem: problemOf(error), retry: null });
      void queries.invalidateQueries({ queryKey: modelKey(model.id) });
    },
  });
  const goTo = useMutation({
    mutationFn: async (number: number) =>
      unwrap(await client.POST('/api/models/{model_id}/go_to', { params: { path }, body: { number, expected: model.edits } })),
    onSuccess: keep,
    onError: (error) => say({ problem: problemOf(error), retry: null }),
  });
  return {
    /** Takes back, or makes again, every edit up to this one. */
    goTo: (number: number) => goTo.mutate(number),
    /** Puts an answer of another address that edits in the model's place. */
    keep,
    edit: (change: Edit) => edit.mutateAsync({ edit: change, base: model.version }).catch(() => null),
    editOn: (change: Edit, base: number) => edit.mutateAsync({ edit: change, base }).catch(() => null),
    undo: () => model.undo && step.mutate({ direction: 'undo', expected: model.undo.number }),
    redo: () => model.redo && step.mutate({ direction: 'redo', expected: model.redo.number }),
    busy: edit.isPending || step.isPending || goTo.isPending,
  };
}

/** `release`: as of this one, in place of the draft. */
export const gridKey = (model: ModelDocument, probe: Probe | null, release: number | null) => [
  'grid',
  model.id,
  model.version,
  probe,
  release,
];

export function useGrid(model: ModelDocument, probe: Probe | null, release: number | null = null) {
  return useQuery({
    queryKey: gridKey(model, probe, release),
    enabled: probe !== null && probe.measures.length > 0,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const answer = unwrap(
        await client.POST('/api/models/{model_id}/grid', {
          params: { path: { model_id: model.id } },
          body: { probe: { ...probe }, release },
          signal,
        }),
      );
      hear(answer.conditions);
      const names = [...model.measures.map((m) => m.name), ...answer.measures.map((m) => m.name)];
      const called = <M extends { sentence: string }>(marks: M[]) => marks.map((m) => ({ ...m, sentence: spoken(m.sentence, names) }));
      return { ...answer, measures: answer.measures.map((m) => ({ ...m, marks: called(m.marks) })), unmatched: called(answer.unmatched) };
    },
  });
}

/** Whether a grid of this model is on its way. */
export const useGridUnderWay = (model: ModelDocument): boolean => useIsFetching({ queryKey: ['grid', model.id] }) > 0;

const SOON = 100;

/** What a key changes first is the numbers: what else is asked goes once the grids on their way are answered, and soon in any case. */
function afterGrids(model: ModelDocument): Promise<void> {
  const underWay = () => queryClient.isFetching({ queryKey: ['grid', model.id] }) > 0;
  if (!underWay()) return Promise.resolve();
  return new Promise((resolve) => {
    const go = () => {
      clearTimeout(timer);
      leave();
      resolve();
    };
    const timer = setTimeout(go, SOON);
    const leave = queryClient.getQueryCache().subscribe(() => underWay() || go());
  });
}

export const useConditions = create<Record<string, PageCondition>>(() => ({}));

function hear(answered: PageCondition[]): void {
  const conditions = useConditions.getState();
  const fresh = answered.filter((c) => conditions[c.where]?.words !== c.words);
  if (fresh.length) useConditions.setState(Object.fromEntries(fresh.map((c) => [c.where, c])));
}

/** What the core says of a condition that has been answered once: its table and its reading. */
export function conditionOf(where: string): PageCondition | undefined {
  return useConditions.getState()[where];
}

export function useTrace(
  model: ModelDocument,
  probe: Probe | null,
  measure: string,
  at: { column: string; member: Member }[],
  into: Into[] = [],
  release: number | null = null,
) {
  return useQuery({
    queryKey: ['trace', model.id, model.version, probe, measure, at, into, release],
    enabled: probe !== null,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/trace', {
          params: { path: { model_id: model.id } },
          body: { probe: { ...probe }, measure, at, into, release },
          signal,
        }),
      ),
  });
}

/** One cell with formulas that are offered in place of a measure's, each beside what it is. */
export function useMends(
  model: ModelDocument,
  probe: Probe,
  measure: string,
  at: { column: string; member: Member }[],
  mends: { measure: string; formula: string }[],
) {
  const formulas = mends.map(({ measure: name, formula }) => ({ measure: name, formula }));
  return useQuery({
    queryKey: ['mends', model.id, model.version, probe, measure, at, formulas],
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/mends', {
          params: { path: { model_id: model.id } },
          body: { probe: { ...probe }, measure, at, mends: formulas },
          signal,
        }),
      ).values,
  });
}

/** `arriving` says in words which filters a cell brings, by column, and `page` those of them that are picks: for the ledger. */
export function useFormula(
  model: ModelDocument,
  name: string,
  formula: string,
  arriving: Record<string, string> = {},
  page: Record<string, string> = {},
) {
  return useQuery({
    queryKey: ['formula', model.id, model.version, name, formula, arriving, page],
    enabled: formula.trim() !== '' && name.trim() !== '',
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      await afterGrids(model);
      return unwrap(
        await client.POST('/api/models/{model_id}/formula', {
          params: { path: { model_id: model.id } },
          body: { name, formula, arriving, page },
          signal,
        }),
      );
    },
  });
}

/** The profiles of a table's columns, and how far the count of those is that only a sample tells of. */
export function useProfiles(model: ModelDocument, table: string) {
  return useQuery({
    queryKey: ['profiles', model.id, model.version, table],
    queryFn: async ({ signal }) =>
      unwrap(
        await client.GET('/api/models/{model_id}/tables/{table}/profiles', { params: { path: { model_id: model.id, table } }, signal }),
      ),
    refetchInterval: (query) => (query.state.data?.counting.running ? 1000 : false),
  });
}

/** Begins and stops the count of a table's columns. */
export function useCounting(model: ModelDocument, table: string) {
  const queries = useQueryClient();
  const refused = (error: unknown) => actions.say({ problem: problemOf(error), retry: null });
  const refresh = () => void queries.invalidateQueries({ queryKey: ['profiles', model.id] });
  const path = { model_id: model.id };
  const run = useMutation({
    mutationFn: async () =>
      unwrap(await client.POST('/api/models/{model_id}/tables/{table}/count', { params: { path: { ...path, table } } })),
    onSuccess: refresh,
    onError: refused,
  });
  const stop = useMutation({
    mutationFn: async () => unwrap(await client.POST('/api/models/{model_id}/tasks/stop', { params: { path }, body: { kind: 'counts' } })),
    onSuccess: refresh,
    onError: refused,
  });
  return { run: () => run.mutate(), stop: () => stop.mutate(), busy: run.isPending };
}

/** The members of a column with the rows they have under the picks on other columns. */
export function useMembers(model: ModelDocument, column: string, search: string, picks: Pick[] = [], counted = '', byRows = false) {
  return useQuery({
    queryKey: ['members', model.id, model.version, column, search, picks, counted, byRows],
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/members', {
          params: { path: { model_id: model.id } },
          body: { column, search, picks: picks.map((p) => ({ ...p })), counted, by_rows: byRows },
          signal,
        }),
      ),
  });
}

export function useLanguage() {
  return useQuery({ queryKey: ['language'], queryFn: async () => unwrap(await client.GET('/api/language')).words });
}
