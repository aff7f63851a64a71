// What stands over the star: its name, a second fact, search, zoom, and what is held over it.
import { Menu } from '@mantine/core';
import { useState } from 'react';
import type { ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { counted } from '../../shared/format';
import type { HeldState } from './heldState';
import { useLink, type Level } from './store';
import { fold } from './SubjectCards';

interface Props {
  model: ModelDocument;
  fact: string;
  beside: string | null;
  percent: number;
  held: HeldState;
  onZoom: (factor: number) => void;
  onFit: () => void;
  onTidy: () => void;
  /** The subjects that tables have, which can be folded. */
  folds: string[];
  /** Whether there is such a table or column. */
  onJump: (text: string) => boolean;
}

export function StarHead({ model, fact, beside, percent, held, folds, onZoom, onFit, onTidy, onJump }: Props) {
  const [text, setText] = useState('');
  const [lost, setLost] = useState(false);
  const others = model.matrix.facts.filter((f) => f !== fact);
  return (
    <div className="star-head" onPointerDown={(e) => e.stopPropagation()} role="group" aria-label="View">
      <div className="row">
        <h2>The star of {fact}</h2>
        {others.length > 0 && (
          <select
            className="field short"
            aria-label="A second fact"
            value={beside ?? ''}
            onChange={(e) => actions.set({ beside: e.target.value || null })}
          >
            <option value="">alone</option>
            {others.map((f) => (
              <option key={f} value={f}>
                beside {f}
              </option>
            ))}
          </select>
        )}
        <span className="grow" />
        <input
          className={lost ? 'field short lost' : 'field short'}
          aria-label="Find in the star"
          aria-invalid={lost}
          placeholder="Find"
          list="star-names"
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            setLost(false);
            // Chosen from the list, it is there as a whole.
            if (e.nativeEvent instanceof InputEvent && e.nativeEvent.inputType === 'insertReplacementText' && onJump(e.target.value))
              setText('');
          }}
          onKeyDown={(e) => {
            if (e.key !== 'Enter') return;
            const first =
              names(model).find((n) => n.toLowerCase() === text.toLowerCase()) ??
              names(model).find((n) => n.toLowerCase().includes(text.toLowerCase()));
            setLost(!(first && text.trim() && onJump(first)));
            if (first) setText('');
          }}
        />
        <datalist id="star-names">
          {names(model).map((n) => (
            <option key={n} value={n} />
          ))}
        </datalist>
        <Levels />
        {folds.length > 0 && <Folds subjects={folds} />}
        <span className="row quiet zoom">
          <button type="button" className="plain" aria-label="Smaller" onClick={() => onZoom(1 / 1.2)}>
            −
          </button>
          {percent} %
          <button type="button" className="plain" aria-label="Larger" onClick={() => onZoom(1.2)}>
            +
          </button>
          <button type="button" className="plain" onClick={onFit}>
            <u>fit</u>
          </button>
          <button type="button" className="plain" onClick={onTidy} title="Let the program place every table again">
            <u>tidy</u>
          </button>
        </span>
      </div>
      {held.name && <HeldLine held={held} />}
    </div>
  );
}

const LEVELS: [Level, string, string][] = [
  ['names', 'names', 'Cards show their names'],
  ['keys', 'keys', 'Cards show keys and what links to others; lines run from key to key'],
  ['all', 'columns', 'Cards show all columns'],
];

/** What all cards show. */
function Levels() {
  const level = useLink((s) => s.level);
  return (
    <span className="row levels" role="group" aria-label="What cards show">
      {LEVELS.map(([name, words, title]) => (
        <button
          key={name}
          type="button"
          className="plain"
          title={title}
          aria-pressed={level === name}
          onClick={() => actions.set({ level: name, levels: {} })}
        >
          {words}
        </button>
      ))}
    </span>
  );
}

/** Subjects whose tables can be one card. */
function Folds({ subjects }: { subjects: string[] }) {
  const folded = useLink((s) => s.folded);
  return (
    <Menu position="bottom-end" withinPortal closeOnItemClick={false}>
      <Menu.Target>
        <button type="button" className="plain quiet" title="Show all tables of a subject as one card">
          {folded.length ? counted(folded.length, 'subject') + ' folded' : 'fold'} ▾
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        {subjects.map((s) => (
          <Menu.Item key={s} aria-current={folded.includes(s)} onClick={() => fold(s)}>
            {folded.includes(s) ? '▸' : '▾'} {s}
          </Menu.Item>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}

function names(model: ModelDocument): string[] {
  return model.tables.flatMap((t) => [t.name, ...t.columns.map((c) => `${t.name}.${c.name}`)]);
}

function HeldLine({ held }: { held: HeldState }) {
  const { scan } = held;
  return (
    <div className="held-line">
      <b className="measure-ink">{held.name}</b>
      <button type="button" className="plain" aria-label="Take it off the star" onClick={() => actions.set({ held: null })}>
        ✕
      </button>
      {held.error && (
        <span className="signal" role="alert">
          {held.error}
        </span>
      )}
      {held.scans.length > 1 && (
        <select
          className="field short"
          aria-label="Which of its aggregates"
          value={held.place}
          onChange={(e) => held.choose(Number(e.target.value))}
        >
          {held.scans.map((s, i) => (
            <option key={`${s.grain}${s.text}${i}`} value={i}>
              {s.text || s.grain}
            </option>
          ))}
        </select>
      )}
      {scan && (
        <span>
          runs over <b>{scan.grain}</b>; filters reach it from {counted(scan.runs.length, 'table')}
          {scan.links.length > 0 && (
            <>
              ;{' '}
              {scan.links
                .map(
                  (k) =>
                    `${k.link} ${k.change === 'on' ? 'is switched on' : k.change === 'off' ? 'is off' : k.change === 'inactive' ? 'yields' : k.change === 'two-way' ? 'runs both ways' : `runs ${k.change}`}`,
                )
                .join(', ')}
            </>
          )}
          .
        </span>
      )}
    </div>
  );
}
