// What Prove asks the server when it is open: outcomes, blame, what a release would say; and what is done there.
import { keepPreviousData, queryOptions, useMutation, useQueries, useQuery, useQueryClient } from '@tanstack/react-query';
import { client, problemOf, unwrap, type Coordinate, type ModelDocument, type Probe, type StoredModel } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions } from '../../app/shown';

const of = (model: ModelDocument) => ({ path: { model_id: model.id } });

/** What comes of a check of the model, with each place where it fails. */
export function useOutcome(model: ModelDocument, name: string) {
  return useQuery({
    queryKey: ['outcome', model.id, model.version, name],
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(await client.POST('/api/models/{model_id}/checks/outcome', { params: of(model), body: { name }, signal })).outcome,
  });
}

/** Since which edit a check fails. */
export function useBlame(model: ModelDocument, name: string, fails: boolean) {
  return useQuery({ ...blameOf(model, name), enabled: fails });
}

const blameOf = (model: ModelDocument, name: string) =>
  queryOptions({
    queryKey: ['blame', model.id, model.version, name],
    queryFn: async ({ signal }) =>
      unwrap(await client.POST('/api/models/{model_id}/checks/blame', { params: of(model), body: { name }, signal })),
  });

/** The same for several, in their order; undefined where it is not known yet. */
export function useBlames(model: ModelDocument, names: string[]) {
  return useQueries({
    queries: names.map((name) => blameOf(model, name)),
    combine: (answers) => answers.map((a) => a.data),
  });
}

interface CellAsked {
  probe: Probe;
  measure: string;
  at: Coordinate[];
}

/** Which edits and loads moved a cell. */
export function useCellMoves(model: ModelDocument, cell: CellAsked | null) {
  return useQuery({
    queryKey: ['cell-moves', model.id, model.version, cell],
    enabled: cell !== null,
    queryFn: async ({ signal }) => {
      const { probe, measure, at } = cell as CellAsked;
      const body = { probe: { ...probe }, measure, at };
      return unwrap(await client.POST('/api/models/{model_id}/cell/blame', { params: of(model), body, signal }));
    },
  });
}

/** After which edit, or as of which release. */
export type Then = { number: number } | { release: number };

/** A cell as it stood then, beside what it is. */
export function useCellThen(model: ModelDocument, cell: CellAsked, then: Then | null) {
  return useQuery({
    queryKey: ['cell-then', model.id, model.version, cell, then],
    enabled: then !== null,
    queryFn: async ({ signal }) => {
      const body = { probe: { ...cell.probe }, measure: cell.measure, at: cell.at, number: 0, release: null, ...then };
      return unwrap(await client.POST('/api/models/{model_id}/cell/then', { params: of(model), body, signal }));
    },
  });
}

/** What a release made now would say. */
export function useReleasePreview(model: ModelDocument, wanted: boolean) {
  return useQuery({
    queryKey: ['release-preview', model.id, model.version],
    enabled: wanted,
    queryFn: async ({ signal }) => unwrap(await client.GET('/api/models/{model_id}/releases/preview', { params: of(model), signal })),
  });
}

/** Two releases compared, or a release and the draft. */
export function useReleasesCompared(model: ModelDocument, release: number, other: string | null) {
  return useQuery({
    queryKey: ['releases-compared', model.id, other === 'draft' ? model.version : 0, release, other],
    enabled: other !== null,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.GET('/api/models/{model_id}/releases/{release}/compare/{other}', {
          params: { path: { model_id: model.id, release: String(release), other: other ?? '' } },
          signal,
        }),
      ),
  });
}

/** A probe as of a release, beside the draft. */
export function useReleaseBeside(model: ModelDocument, release: number | null, probe: Probe | null) {
  return useQuery({
    queryKey: ['release-beside', model.id, model.version, release, probe],
    enabled: release !== null && probe !== null,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/releases/{release}/beside', {
          params: { path: { model_id: model.id, release: String(release) } },
          body: { probe: { ...probe } },
          signal,
        }),
      ).grid,
  });
}

/** What is done in Prove: runs begun and stopped, an edit taken back alone, releases made and brought back. */
export function useProving(model: ModelDocument) {
  const queries = useQueryClient();
  const { keep } = useEdits(model);
  const refused = (error: unknown) => actions.say({ problem: problemOf(error), retry: null });
  const refresh = (part: string) => void queries.invalidateQueries({ queryKey: [part, model.id] });
  const taken = (document: StoredModel) => {
    void keep(document);
    actions.say(null);
  };
  const runChecks = useMutation({
    mutationFn: async () => unwrap(await client.POST('/api/models/{model_id}/checks/run', { params: of(model), body: { again: true } })),
    onSuccess: () => refresh('checks'),
    onError: refused,
  });
  const runCoverage = useMutation({
    mutationFn: async () => unwrap(await client.POST('/api/models/{model_id}/coverage/run', { params: of(model) })),
    onSuccess: () => refresh('coverage'),
    onError: refused,
  });
  const stop = useMutation({
    mutationFn: async (kind: 'checks' | 'coverage') =>
      unwrap(await client.POST('/api/models/{model_id}/tasks/stop', { params: of(model), body: { kind } })),
    onSuccess: (_, kind) => refresh(kind),
    onError: refused,
  });
  const undoAlone = useMutation({
    mutationFn: async (number: number) =>
      unwrap(await client.POST('/api/models/{model_id}/undo_alone', { params: of(model), body: { number, base: model.version } })),
    onSuccess: taken,
    onError: refused,
  });
  const makeRelease = useMutation({
    mutationFn: async (words: { name: string; notes: string; reason: string }) =>
      unwrap(await client.POST('/api/models/{model_id}/releases', { params: of(model), body: { ...words, base: model.version } })).number,
    onSuccess: (number) => {
      refresh('releases');
      actions.say(null);
      actions.select({ kind: 'release', number });
    },
    onError: refused,
  });
  const bringBack = useMutation({
    mutationFn: async (release: number) =>
      unwrap(
        await client.POST('/api/models/{model_id}/releases/{release}/bring_back', {
          params: { path: { model_id: model.id, release: String(release) } },
          body: { base: model.version },
        }),
      ),
    onSuccess: taken,
    onError: refused,
  });
  return {
    runChecks: () => runChecks.mutate(),
    runCoverage: () => runCoverage.mutate(),
    stop: (kind: 'checks' | 'coverage') => stop.mutate(kind),
    undoAlone: (number: number) => undoAlone.mutate(number),
    makeRelease: (words: { name: string; notes: string; reason: string }) => makeRelease.mutate(words),
    bringBack: (release: number) => bringBack.mutate(release),
    busy: [runChecks, runCoverage, stop, undoAlone, makeRelease, bringBack].some((m) => m.isPending),
  };
}
