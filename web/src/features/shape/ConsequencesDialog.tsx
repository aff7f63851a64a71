// What an edit would touch, over whatever is on screen.
import { Modal } from '@mantine/core';
import type { ModelDocument } from '../../api/client';
import { useEdits } from '../../api/queries';
import { ConsequencesBox, type useChange } from './Consequences';

/** The same over whatever is on screen, for what is removed from a menu. */
export function ConsequencesDialog({
  model,
  change,
  onDone,
}: {
  model: ModelDocument;
  change: ReturnType<typeof useChange>;
  onDone: () => void;
}) {
  const { edit } = useEdits(model);
  return (
    <Modal opened={change.box !== null} onClose={change.clear} withCloseButton={false} size="md">
      {change.box && (
        <ConsequencesBox
          model={model}
          box={change.box}
          onMake={(asked) =>
            void edit(asked).then((done) => {
              if (!done) return;
              change.clear();
              onDone();
            })
          }
          onLeave={change.clear}
        />
      )}
    </Modal>
  );
}
