// What the frame has to say: why something was refused, and the choice where two edits met.
import type { ModelDocument } from '../api/client';
import { queryClient, useEdits } from '../api/queries';
import { useFrame } from './frame';
import { actions } from './shown';

export function SaidBar({ model }: { model: ModelDocument | null }) {
  const said = useFrame((s) => s.said);
  const say = actions.say;
  if (!said) return null;
  const { problem, retry } = said;
  const lines = problem.errors.length ? problem.errors : [];
  return (
    <div className="said" role="alert">
      <div style={{ flex: 1 }}>
        <b>{problem.title}</b>
        {lines.length === 0 && <div>{problem.detail}</div>}
        <ul>
          {lines.slice(0, 6).map((e) => (
            <li key={`${e.code}${e.in}${e.start}${e.message}`}>
              {e.message} <span className="quiet">{e.mend}</span>
            </li>
          ))}
        </ul>
        {retry && model && (
          <div className="row" style={{ marginTop: 8 }}>
            <button type="button" className="pill small" onClick={() => keepTheirs(model.id)}>
              Keep theirs
            </button>
            <Mine model={model} />
          </div>
        )}
      </div>
      <button type="button" className="plain" aria-label="Close this message" onClick={() => say(null)}>
        ✕
      </button>
    </div>
  );
}

function keepTheirs(id: number) {
  actions.say(null);
  void queryClient.invalidateQueries({ queryKey: ['model', id] });
}

/** Makes the refused edit again on the model as it stands now. */
function Mine({ model }: { model: ModelDocument }) {
  const said = useFrame((s) => s.said);
  const { editOn } = useEdits(model);
  const version = said?.problem.version ?? model.version;
  return (
    <button type="button" className="pill small solid" onClick={() => said?.retry && void editOn(said.retry, version)}>
      Make mine on top
    </button>
  );
}
