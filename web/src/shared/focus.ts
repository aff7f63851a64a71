// The focus goes where the next key is due, once it stands there.
const LONGEST = 10_000;
/** A stage that is still being drawn, or a box that closes, may take the focus away again within this time. */
const GUARDED = 1000;

let leave = () => {};

/**
 * Focuses the first thing in sight that fits, as soon as there is one, and keeps it there while the page settles. A
 * person who presses or types elsewhere meanwhile has the last word; so has the next call.
 */
export function focusSoon(css: string): void {
  leave();
  let end = performance.now() + LONGEST;
  let reached = false;
  let frame = 0;
  const aside = () => document.activeElement !== null && document.activeElement !== document.body;
  const pressed = () => leave();
  const typed = () => aside() && leave();
  leave = () => {
    cancelAnimationFrame(frame);
    window.removeEventListener('pointerdown', pressed, true);
    window.removeEventListener('keydown', typed, true);
  };
  const look = () => {
    const target = [...document.querySelectorAll<HTMLElement>(css)].find((e) => e.getClientRects().length > 0);
    // A box that closes gives the focus back to what had it, before the target stands: that is nobody's wish. Later
    // only a focus that was lost, as what had it was drawn anew, is brought back.
    if (target && !(reached && aside())) target.focus();
    if (target && !reached) {
      reached = true;
      end = performance.now() + GUARDED;
    }
    if (performance.now() < end) frame = requestAnimationFrame(look);
    else leave();
  };
  window.addEventListener('pointerdown', pressed, true);
  window.addEventListener('keydown', typed, true);
  frame = requestAnimationFrame(look);
}
