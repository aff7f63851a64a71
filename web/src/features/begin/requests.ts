// A model as a whole: copied, removed, brought back.
import { client, unwrap, type ModelItem } from '../../api/client';
import { queryClient } from '../../api/queries';

type Named = Pick<ModelItem, 'id' | 'title'>;

const of = (model: Named) => ({ path: { model_id: model.id } });

/** Asks again which models there are. */
export const modelsChanged = () => queryClient.invalidateQueries({ queryKey: ['models'] });

/** The number of the copy. */
export async function copyModel(model: Named): Promise<number> {
  const body = { title: `${model.title}, a copy` };
  const { id } = unwrap(await client.POST('/api/models/{model_id}/copy', { params: of(model), body }));
  await modelsChanged();
  return id;
}

export async function removeModel(model: Named): Promise<void> {
  unwrap(await client.DELETE('/api/models/{model_id}', { params: of(model) }));
  await modelsChanged();
}

export async function bringBack(model: Named): Promise<void> {
  unwrap(await client.POST('/api/models/{model_id}/bring_back', { params: of(model) }));
  await modelsChanged();
}
