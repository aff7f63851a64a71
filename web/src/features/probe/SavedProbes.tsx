// The probes of the model: opened, saved under a name, described, removed.
import { Menu } from '@mantine/core';
import { useState } from 'react';
import type { ModelDocument, Probe } from '../../api/client';
import { useEdits } from '../../api/queries';
import { asProbe, sameProbe } from '../../app/shapes';
import { actions, onScreen } from '../../app/shown';
import { EMPTY_PROBE } from './store';
import { useSaver } from '../../shared/saver';
import { Rename } from '../names/Rename';
import { useChange } from '../shape/Consequences';
import { ConsequencesDialog } from '../shape/ConsequencesDialog';

export function SavedProbes({ model, probe }: { model: ModelDocument; probe: Probe }) {
  const { edit } = useEdits(model);
  const set = actions.set;
  const change = useChange(model);
  const bare = () => set({ probe: { ...probe, name: undefined } });
  const [naming, setNaming] = useState<'name' | 'description' | 'rename' | null>(null);
  const stored = model.probes.find((p) => p.name === probe.name);
  const changed = !stored || !sameProbe(stored, probe);
  const save = (named: Probe) => {
    set({ probe: named });
    void edit({ kind: 'put_probe', probe: named });
  };
  const open = (next: Probe) => {
    actions.openProbe(next);
    set({ selection: null, other: null });
  };
  useSaver(() => (probe.name ? save(probe) : setNaming('name')), changed && probe.measures.length > 0);
  if (naming === 'rename' && probe.name)
    return (
      <Rename
        model={model}
        what="probe"
        name={probe.name}
        onDone={(to) => {
          if (to) set({ probe: { ...onScreen().probe, ...probe, name: to } });
          setNaming(null);
        }}
      />
    );
  if (naming !== null && naming !== 'rename')
    return (
      <SayForm
        model={model}
        probe={probe}
        what={naming}
        onSay={(text) => {
          if (text) save(naming === 'name' ? { ...probe, name: text } : { ...probe, description: text });
          setNaming(null);
        }}
        onLeave={() => setNaming(null)}
      />
    );
  return (
    <Menu shadow="none" position="bottom-end">
      <Menu.Target>
        <button type="button" className="plain" style={{ fontSize: 13 }} title={probe.description}>
          <u>{probe.name ?? 'a probe without a name'}</u>
          {changed ? ' (changed)' : ''} ▾
        </button>
      </Menu.Target>
      <Menu.Dropdown style={{ maxHeight: 420, overflow: 'auto' }}>
        {model.probes.map((p) => (
          <Menu.Item key={String(p.name)} title={String(p.description ?? '')} onClick={() => open(asProbe(p))}>
            {String(p.name)}
          </Menu.Item>
        ))}
        <Menu.Divider />
        <Menu.Item onClick={() => open(EMPTY_PROBE)}>A new probe</Menu.Item>
        {probe.name && changed && (
          <Menu.Item data-needs="try" onClick={() => save(probe)}>
            Save
          </Menu.Item>
        )}
        <Menu.Item data-needs="try" onClick={() => setNaming('name')}>
          Save under a name…
        </Menu.Item>
        {stored && (
          <Menu.Item data-needs="edit" onClick={() => setNaming('rename')}>
            Rename “{probe.name}”…
          </Menu.Item>
        )}
        {probe.name && (
          <Menu.Item data-needs="try" onClick={() => setNaming('description')}>
            Say what it is for…
          </Menu.Item>
        )}
        {stored && (
          <Menu.Item
            data-needs="try"
            onClick={() => void change.ask({ kind: 'remove_probe', name: probe.name ?? '' }).then((done) => done && bare())}
          >
            Remove “{probe.name}”
          </Menu.Item>
        )}
      </Menu.Dropdown>
      <ConsequencesDialog model={model} change={change} onDone={bare} />
    </Menu>
  );
}

interface SayProps {
  model: ModelDocument;
  probe: Probe;
  what: 'name' | 'description';
  onSay: (text: string) => void;
  onLeave: () => void;
}

/** A name for the probe, or what it is for, typed in its place. */
function SayForm({ model, probe, what, onSay, onLeave }: SayProps) {
  const [text, setText] = useState(what === 'name' ? '' : (probe.description ?? ''));
  const taken = what === 'name' && text.trim() !== probe.name && model.probes.some((p) => p.name === text.trim());
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        onSay(text.trim());
      }}
    >
      <input
        className="field"
        ref={(node) => node?.focus()}
        aria-label={what === 'name' ? 'Name of the probe' : 'What the probe is for'}
        placeholder={what === 'name' ? 'name of the probe' : 'what it is for'}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => e.key === 'Escape' && onLeave()}
      />
      {taken && (
        <span className="signal" role="alert">
          {' '}
          There is one of that name: Enter puts this one in its place.
        </span>
      )}
    </form>
  );
}
