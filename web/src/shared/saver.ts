// Ctrl+S saves the thing that is being edited, wherever it is on screen: the last one that came there.
import { useEffect, useRef } from 'react';

type Save = () => void;

const savers: { current: Save }[] = [];

/** What Ctrl+S does while this is on screen; nothing while `active` is not true. */
export function useSaver(save: Save, active = true): void {
  const latest = useRef(save);
  useEffect(() => {
    latest.current = save;
  });
  useEffect(() => {
    if (!active) return;
    savers.push(latest);
    return () => {
      savers.splice(savers.indexOf(latest), 1);
    };
  }, [active]);
}

/** Saves what is being edited; whether there was anything. */
export function saveNow(): boolean {
  const last = savers.at(-1);
  last?.current();
  return last !== undefined;
}
