// Says which check was just made, with the ways to it and back.
import type { ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { actions } from '../../app/shown';
import { useMade } from './useHold';

export function MadeLine({ model }: { model: ModelDocument }) {
  const { made, refused } = useMade();
  const { undo } = useEdits(model);
  if (!made && !refused) return null;
  return (
    <div className="made-line" role="status">
      {refused ?? (
        <>
          <span>
            Made the check <b>{made}</b>
          </span>
          <button
            type="button"
            className="plain"
            onClick={() => actions.set({ lensOpen: true, selection: { kind: 'check', name: made ?? '' } })}
          >
            <u>look at it</u>
          </button>
          <button
            type="button"
            className="plain"
            onClick={() => {
              useMade.setState({ made: null });
              undo();
            }}
          >
            <u>undo</u>
          </button>
        </>
      )}
    </div>
  );
}
