// The checks by folder: how each stands, what must hold, of what, and what it stands on.
import type { KeyboardEvent } from 'react';
import type { Check, CheckRow, ModelDocument } from '../../api/client';
import { useFrame } from '../../app/frame';
import { actions } from '../../app/shown';
import { counted } from '../../shared/format';
import { aboutWords, mustWords } from './checkModel';
import { StateMark } from './StateMark';

/** Up and down go from check to check: the list is one stop of the Tab key. */
function onListKey(event: KeyboardEvent<HTMLElement>): void {
  const items = [...event.currentTarget.querySelectorAll<HTMLElement>('.check-name')];
  const place = items.indexOf(event.target as HTMLElement);
  const next = { ArrowDown: place + 1, ArrowUp: place - 1, Home: 0, End: items.length - 1 }[event.key];
  if (place < 0 || next === undefined) return;
  items[Math.max(0, Math.min(next, items.length - 1))]?.focus();
  event.preventDefault();
}

export function ChecksView({ model, checks }: { model: ModelDocument; checks: CheckRow[] }) {
  const selection = useFrame((s) => s.selection);
  const chosen = selection?.kind === 'check' ? selection.name : '';
  const rows = new Map(checks.map((c) => [c.name, c]));
  const folders = new Map<string, Check[]>();
  for (const check of model.checks) folders.set(check.folder ?? '', [...(folders.get(check.folder ?? '') ?? []), check]);
  const stop = model.checks.some((c) => c.name === chosen) ? chosen : (model.checks[0]?.name ?? '');
  return (
    // The list hears the arrows of the checks in it.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <div className="prove-part checks" role="group" aria-label="All checks" onKeyDown={onListKey}>
      {[...folders].map(([folder, items]) => (
        <section key={folder} aria-label={folder || 'Checks'}>
          <h3 className="row">
            <span>{folder || 'without a folder'}</span>
            <span className="quiet">
              {items.filter((c) => rows.get(c.name ?? '')?.state === 'holds').length}/{items.length}
            </span>
          </h3>
          {items.map((check) => (
            <CheckLine
              key={check.name}
              check={check}
              row={rows.get(check.name ?? '')}
              chosen={check.name === chosen}
              stop={check.name === stop}
            />
          ))}
        </section>
      ))}
    </div>
  );
}

function CheckLine({ check, row, chosen, stop }: { check: Check; row: CheckRow | undefined; chosen: boolean; stop: boolean }) {
  const stands = row
    ? [counted(row.tables.length, 'table'), counted(row.links.length, 'link'), counted(row.measures.length, 'measure')]
    : [];
  return (
    <div className={`check-line ${chosen ? 'chosen' : ''}`}>
      <StateMark row={row} />
      <button
        type="button"
        className="plain check-name"
        tabIndex={stop ? 0 : -1}
        aria-current={chosen ? 'true' : undefined}
        onClick={() => actions.set({ lensOpen: true, selection: { kind: 'check', name: check.name ?? '' } })}
      >
        {check.name}
      </button>
      <span className="check-must mono" title={mustWords(check)}>
        {mustWords(check)}
      </span>
      <span className="quiet check-about" title={aboutWords(check)}>
        {aboutWords(check)}
      </span>
      <span className="quiet check-guards" title={stands.join(', ')}>
        {check.guards?.length ? `guards ${check.guards.join(', ')}` : ''}
      </span>
    </div>
  );
}
