// What the frame asks of Prove: how checks stand, what coverage says, which releases there are.
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { client, unwrap, type ModelDocument } from '../../api/client';
import { byAbout, type Share } from './coverageModel';

const of = (model: ModelDocument) => ({ path: { model_id: model.id } });
/** While something runs it is asked for anew, for a notice of its end may be lost with a connection. */
const WHILE_RUNNING = 2000;

export function useChecks(model: ModelDocument) {
  return useQuery({
    queryKey: ['checks', model.id, model.version],
    queryFn: async ({ signal }) => unwrap(await client.GET('/api/models/{model_id}/checks', { params: of(model), signal })),
    refetchInterval: (query) => (query.state.data?.running ? WHILE_RUNNING : false),
    placeholderData: keepPreviousData,
  });
}

export function useCoverage(model: ModelDocument) {
  return useQuery({
    queryKey: ['coverage', model.id, model.version],
    queryFn: async ({ signal }) => unwrap(await client.GET('/api/models/{model_id}/coverage', { params: of(model), signal })),
    refetchInterval: (query) => (query.state.data?.running ? WHILE_RUNNING : false),
    placeholderData: keepPreviousData,
  });
}

/** Coverage by what a change is done to; null where it was not computed for the model as it stands. */
export function useShares(model: ModelDocument): Map<string, Share> | null {
  const coverage = useCoverage(model).data;
  return useMemo(() => (coverage && coverage.changes.length > 0 && !coverage.old ? byAbout(coverage.changes) : null), [coverage]);
}

export function useReleases(model: ModelDocument) {
  return useQuery({
    queryKey: ['releases', model.id],
    queryFn: async ({ signal }) => unwrap(await client.GET('/api/models/{model_id}/releases', { params: of(model), signal })).releases,
  });
}
