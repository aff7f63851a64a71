import { Modal } from '@mantine/core';
import { useState } from 'react';
import { author, setAuthor } from '../api/client';
import { useFrame } from './frame';
import { actions } from './shown';

const KEYS: [string, string][] = [
  ['1 … 6', 'go to a stage'],
  ['F6, Shift F6', 'to the next part of the screen, the one before'],
  ['Ctrl K', 'find or do anything'],
  ['Ctrl Z, Ctrl Shift Z', 'undo, redo'],
  ['L', 'in Link: a new link, typed; on a table or a cell, from there'],
  ['S, T, Delete', 'in the matrix: switch, turn, remove the cell’s link'],
  ['R', 'in Link: what it filters, what filters it'],
  ['V, B', 'in Link: change the view; a variant beside the model'],
  ['Alt and arrows', 'in the star: move the table'],
  ['Ctrl Enter', 'in a sheet: accept'],
  ['F12, Shift F12', 'in a formula: to where a name is defined, to where it is used'],
  ['Ctrl S', 'in a formula: save the measure'],
  ['a letter', 'on a chip: another in its place'],
  ['Ctrl X, Ctrl V', 'on a chip: cut it, put it in behind this one; Alt and arrows move it'],
  ['Alt and arrows', 'on a tile’s menu: move the tile'],
  ['M, + and −', 'in a grid: what to do with the line; unfold, fold its parts'],
  ['Shift and a click, or Enter', 'in a grid: set the cell beside the chosen one'],
  ['up, down, left, right', 'in a trace: from step to step, fold in and out'],
  ['arrows', 'move from cell to cell in a grid or the matrix'],
  ['Enter', 'choose: a cell is traced, a mark opened'],
  ['Esc', 'close what is open'],
  ['?', 'this list'],
];

export function KeysHelp() {
  const open = useFrame((s) => s.keysOpen);
  const set = actions.set;
  const [name, setName] = useState(author);
  return (
    <Modal opened={open} onClose={() => set({ keysOpen: false })} title="Keys" size="sm">
      <table className="small-grid" style={{ width: '100%' }}>
        <tbody>
          {KEYS.map(([keys, does]) => (
            <tr key={keys}>
              <td className="mono">{keys}</td>
              <td style={{ textAlign: 'left' }}>{does}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <label style={{ display: 'block', marginTop: 14 }}>
        Edits of this window are by
        <input
          className="field"
          value={name}
          onChange={(e) => {
            setName(e.target.value);
            setAuthor(e.target.value);
          }}
        />
      </label>
    </Modal>
  );
}
