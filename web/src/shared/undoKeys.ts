// Ctrl Z and Ctrl Shift Z in a part of the screen that has an undo of its own; where it has nothing left the key goes on to the model's.
import type { KeyboardEvent } from 'react';

interface Undo {
  back: number;
  forth: number;
  undo: () => void;
  redo: () => void;
}

export function onUndoKeys(event: KeyboardEvent, { back, forth, undo, redo }: Undo): void {
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z' || (event.target as HTMLElement).closest('input, textarea'))
    return;
  if (event.shiftKey ? !forth : !back) return;
  (event.shiftKey ? redo : undo)();
  event.preventDefault();
  event.stopPropagation();
}
