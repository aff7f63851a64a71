// A table from a spreadsheet, pasted and held against the grid: what agrees, and each cell that does not, with its trace.
import { useState } from 'react';
import type { GridAnswer, Look } from '../../api/client';
import { actions } from '../../app/shown';
import { count, counted } from '../../shared/format';
import { useLines } from './GridTable';
import { hold } from './pasted';
import type { PastedCell } from '../prove/checkModel';

const MOST = 40;

interface Given {
  answer: GridAnswer;
  look: Look;
  close: () => void;
  /** Keeps what was pasted as a check. */
  onKeep: (cells: PastedCell[]) => void;
}

export function PastedTable({ answer, look, close, onKeep }: Given) {
  const [text, setText] = useState('');
  const { all, across } = useLines(answer, look);
  const held = text.trim() ? hold(answer, all, across, look, text) : null;
  return (
    <section className="pasted" aria-label="A pasted table">
      <div className="row">
        <h3>Hold a table against this grid</h3>
        <span style={{ flex: 1 }} />
        {held && (
          <b className={held.differ.length ? 'signal' : ''} data-testid="held">
            {held.differ.length
              ? `${count(held.differ.length)} of ${counted(held.agree + held.differ.length, 'cell')} differ`
              : `all ${counted(held.agree, 'cell')} agree`}
          </b>
        )}
        {held && held.cells.length > 0 && (
          <button type="button" className="pill small solid" onClick={() => onKeep(held.cells)}>
            Keep it as a check
          </button>
        )}
        <button type="button" className="pill small" onClick={close}>
          Close
        </button>
      </div>
      <textarea
        className="field mono"
        rows={3}
        aria-label="Paste a table"
        placeholder="Paste it with its labels, as “Copy as text” or a spreadsheet gives it: tabs between cells, lines in any order. Rounded numbers agree to their last digit."
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {held && (
        <div className="pasted-told">
          {held.differ.slice(0, MOST).map((d) => (
            <button
              key={`${d.where} ${d.measure}`}
              type="button"
              className="plain"
              title="Why does it show this?"
              onClick={() => actions.set({ selection: { kind: 'cell', measure: d.measure, at: d.at }, other: null, lensOpen: true })}
            >
              <u>{d.where}</u>: pasted <b>{d.pasted || '(empty)'}</b>, here <b>{d.here || '(empty)'}</b>
            </button>
          ))}
          {held.differ.length > MOST && <span className="quiet">and {count(held.differ.length - MOST)} more</span>}
          {held.unknown.length > 0 && <span className="signal">Not in the grid: {held.unknown.slice(0, 8).join('; ')}</span>}
          {held.missing.length > 0 && (
            <span className="quiet">
              Not pasted: {held.missing.slice(0, 8).join('; ')}
              {held.missing.length > 8 ? ` and ${held.missing.length - 8} more` : ''}
            </span>
          )}
        </div>
      )}
    </section>
  );
}
