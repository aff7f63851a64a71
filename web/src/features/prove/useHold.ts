// A check made with one key or click: it is put into the model, named, chosen in the Lens where that is wished, and undone like any edit.
import type { Check, ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { create } from 'zustand';

/** What was made last, for the line that says so. */
export const useMade = create<{ made: string | null; refused: string | null }>(() => ({ made: null, refused: null }));

const SHOWN_MS = 8000;
let count = 0;

function tell(made: string | null, refused: string | null): void {
  count += 1;
  const mine = count;
  useMade.setState({ made, refused });
  setTimeout(() => {
    if (mine === count) useMade.setState({ made: null, refused: null });
  }, SHOWN_MS);
}

export function useHold(model: ModelDocument) {
  const { edit, busy } = useEdits(model);
  const hold = async (check: Check | null, why = 'There is nothing to hold here.') => {
    if (!check) {
      tell(null, why);
      return;
    }
    const done = await edit({ kind: 'put_check', check });
    if (done) tell(check.name ?? '', null);
  };
  return { hold, busy };
}
