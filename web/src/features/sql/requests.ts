// Statements, what PostgreSQL gives for them, and how all grids of the model stand.
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { client, problemOf, unwrap, type Coordinate, type ModelDocument, type Probe } from '../../api/client';
import { actions } from '../../app/shown';

const of = (model: ModelDocument) => ({ path: { model_id: model.id } });
const WHILE_RUNNING = 1500;

export interface StatementAsked {
  probe: Probe;
  at: Coordinate[] | null;
  release: number | null;
}

/** A probe, or one of its cells, as a statement. */
export function useStatement(model: ModelDocument, asked: StatementAsked | null, dialect: string) {
  return useQuery({
    queryKey: ['sql', model.id, model.version, asked, dialect],
    enabled: asked !== null,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const { probe, at, release } = asked as StatementAsked;
      const body = { probe: { ...probe }, at, release, dialect };
      return unwrap(await client.POST('/api/models/{model_id}/sql', { params: of(model), body, signal }));
    },
  });
}

/** What PostgreSQL gives for a grid or a cell, beside what stands here. */
export function useAnswered(model: ModelDocument) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async ({ probe, at, release }: StatementAsked) =>
      unwrap(await client.POST('/api/models/{model_id}/sql/prove', { params: of(model), body: { probe: { ...probe }, at, release } })),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ['proofs', model.id] }),
    onError: (error) => actions.say({ problem: problemOf(error), retry: null }),
  });
}

/** How the place that a grid is asked in would go about it. */
export function usePlanThere(model: ModelDocument) {
  return useMutation({
    mutationFn: async ({ probe, at, release }: StatementAsked) =>
      unwrap(await client.POST('/api/models/{model_id}/sql/plan', { params: of(model), body: { probe: { ...probe }, at, release } })),
    onError: (error) => actions.say({ problem: problemOf(error), retry: null }),
  });
}

/** All grids of the model, and whether they are proven. */
export function useProofs(model: ModelDocument, wanted = true) {
  return useQuery({
    queryKey: ['proofs', model.id, model.version],
    enabled: wanted,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => unwrap(await client.GET('/api/models/{model_id}/proofs', { params: of(model), signal })),
    refetchInterval: (query) => (query.state.data?.running ? WHILE_RUNNING : false),
  });
}

/** Begins and stops the proofs of all grids. */
export function useProvingAll(model: ModelDocument) {
  const queries = useQueryClient();
  const refused = (error: unknown) => actions.say({ problem: problemOf(error), retry: null });
  const refresh = () => void queries.invalidateQueries({ queryKey: ['proofs', model.id] });
  const run = useMutation({
    mutationFn: async () => unwrap(await client.POST('/api/models/{model_id}/proofs/run', { params: of(model) })),
    onSuccess: refresh,
    onError: refused,
  });
  const stop = useMutation({
    mutationFn: async () => unwrap(await client.POST('/api/models/{model_id}/tasks/stop', { params: of(model), body: { kind: 'proofs' } })),
    onSuccess: refresh,
    onError: refused,
  });
  return { run: () => run.mutate(), stop: () => stop.mutate(), busy: run.isPending || stop.isPending };
}
