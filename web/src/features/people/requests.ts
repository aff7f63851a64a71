// Who is signed in, what they may do, and what owners say of others.
import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { queryClient } from '../../api/queries';
import { GONE_OUT, client, problemOf, unwrap, type Me, type ModelDocument, type Probe } from '../../api/client';
import { actions } from '../../app/shown';

export type Need = Me['may'][number];

/** Others come in while the list is open: milliseconds. */
const LOOK_AGAIN = 5000;

const meKey = (model: number | null) => ['me', model];

/** Who is signed in, and what they may do: in a model, or besides. */
export function useMe(model: number | null) {
  return useQuery({
    queryKey: meKey(model),
    queryFn: async () => unwrap(await client.GET('/api/me', { params: { query: model === null ? {} : { model } } })),
  });
}

/** Whether somebody may do what a part of the screen is for; until that is known, yes: the server asks again. */
export function useMay(model: number, need: Need): boolean {
  const me = useMe(model).data;
  return !me || me.may.includes(need);
}

window.addEventListener(GONE_OUT, () => goneOut());

/** The stages that somebody has use for: tables and their shapes are for who may change them, checks for who sees all rows. */
export function offeredStages<S extends string>(stages: readonly S[], model: ModelDocument, may: Need[] | undefined): S[] {
  const shut = new Set<string>(may && !may.includes('edit') ? ['gather', 'shape'] : []);
  if (model.cleared) shut.add('prove');
  return stages.filter((s) => !shut.has(s));
}

const NEEDS: Need[] = ['try', 'edit', 'bring', 'keep'];

/** What a model's screens do not offer to whoever may not: `data-needs` on a part of them says what it needs. */
export function useOffered(model: ModelDocument): void {
  const may = useMe(model.id).data?.may;
  const isCleared = model.cleared !== null;
  useEffect(() => {
    const lacking = may ? NEEDS.filter((need) => !may.includes(need)).map((need) => `no-${need}`) : [];
    if (isCleared) lacking.push('no-whole'); // what is about all rows
    document.body.classList.add(...lacking);
    return () => document.body.classList.remove(...lacking);
  }, [may, isCleared]);
}

/** Everything is asked for anew by whoever has come in. */
export async function comeIn(): Promise<void> {
  await queryClient.invalidateQueries();
}

/** Nobody is signed in any more: what is on screen stays, behind the way in. */
export function goneOut(): void {
  for (const [key, me] of queryClient.getQueriesData<Me>({ queryKey: ['me'] }))
    if (me?.signed_in) queryClient.setQueryData<Me>(key, { ...me, signed_in: false });
}

export async function signOut(): Promise<void> {
  unwrap(await client.POST('/api/sign_out'));
  goneOut();
}

export function useInvitation(key: string) {
  return useQuery({
    queryKey: ['invitation', key],
    queryFn: async () => unwrap(await client.GET('/api/invitations', { params: { query: { key } } })),
  });
}

const of = (model: ModelDocument) => ({ params: { path: { model_id: model.id } } });

export function usePeople(model: ModelDocument) {
  return useQuery({
    queryKey: ['people', model.id, model.version],
    staleTime: 0,
    refetchInterval: LOOK_AGAIN,
    queryFn: async () => unwrap(await client.GET('/api/models/{model_id}/people', of(model))),
  });
}

export function useClearances(model: ModelDocument) {
  return useQuery({
    queryKey: ['clearances', model.id, model.version],
    enabled: model.clearances.length > 0,
    queryFn: async () => unwrap(await client.GET('/api/models/{model_id}/clearances', of(model))).clearances,
  });
}

export function useLog(model: ModelDocument) {
  return useQuery({
    queryKey: ['log', model.id],
    staleTime: 0,
    queryFn: async () => unwrap(await client.GET('/api/models/{model_id}/log', of(model))).lines,
  });
}

export function useOwn() {
  return useQuery({ queryKey: ['own'], staleTime: 0, queryFn: async () => unwrap(await client.GET('/api/own')) });
}

/** A probe beside how somebody with a clearance sees it. */
export function useSeenAs(model: ModelDocument, probe: Probe | null, clearance: string, email: string, name: string) {
  return useQuery({
    queryKey: ['seen_as', model.id, model.version, probe, clearance, email, name],
    enabled: probe !== null && probe.measures.length > 0 && clearance !== '',
    queryFn: async ({ signal }) =>
      unwrap(
        await client.POST('/api/models/{model_id}/seen_as', {
          ...of(model),
          body: { probe: { ...probe }, clearance, email, name },
          signal,
        }),
      ),
  });
}

/** Something that is asked for once; what is wrong with it is said by the frame. `then` are the answers that it makes old. */
export function useAsked<T, G>(ask: (given: G) => Promise<T>, then: string[]) {
  return useMutation({
    mutationFn: ask,
    onSuccess: async () => {
      actions.say(null);
      await Promise.all(then.map((key) => queryClient.invalidateQueries({ queryKey: [key] })));
    },
    onError: (error) => actions.say({ problem: problemOf(error), retry: null }),
  });
}

export const invite = (model: ModelDocument) => async (body: { email: string; role: string; clearance: string }) =>
  unwrap(await client.POST('/api/models/{model_id}/people/invite', { ...of(model), body })).address;

export const putMember = (model: ModelDocument) => async (body: { person: number; role: string; clearance: string }) =>
  unwrap(await client.PUT('/api/models/{model_id}/people', { ...of(model), body }));

export const removeMember = (model: ModelDocument) => async (person: number) =>
  unwrap(await client.POST('/api/models/{model_id}/people/remove', { ...of(model), body: { person } }));

export const withdraw = (model: ModelDocument) => async (digest: string) =>
  unwrap(await client.POST('/api/models/{model_id}/people/withdraw', { ...of(model), body: { digest } }));

export function useAccounts() {
  return useQuery({ queryKey: ['accounts'], staleTime: 0, queryFn: async () => unwrap(await client.GET('/api/accounts')).people });
}

export const inviteAccount = async (body: { email: string; operator: boolean; opens: boolean }) =>
  unwrap(await client.POST('/api/accounts/invite', { body })).address;

export const removeAccount = async (person: number) => unwrap(await client.POST('/api/accounts/remove', { body: { person } }));

export const makeToken = async (body: { name: string; model: number; release: number | null; days: number }) =>
  unwrap(await client.POST('/api/own/tokens', { body })).token;

export const endOwn = async (digest: string) => unwrap(await client.POST('/api/own/end', { body: { digest } }));
