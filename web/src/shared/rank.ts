// What fits the words typed, the best first: exactly so, then beginning so, in their own order; then each word whole, then anywhere, the shorter
// before the longer.

const fold = (text: string) => text.toLowerCase().replaceAll('_', ' ').replaceAll('"', '').trim();

/** How well a text fits; -1 where it does not. Smaller is better. `beside` is looked through, too, and counts less. */
function fit(words: string[], whole: string, text: string, beside: string): number {
  const name = fold(text);
  if (name === whole) return 0;
  if (!words.every((w) => name.includes(w) || fold(beside).includes(w))) return -1;
  if (name.startsWith(whole)) return 1;
  const parts = name.split(/[\s.:›]+/);
  if (words.every((w) => parts.includes(w))) return 2;
  if (words.every((w) => parts.some((p) => p.startsWith(w)))) return 3;
  return words.every((w) => name.includes(w)) ? 4 : 5;
}

const LOOSE = 6;

/** The items that have all the words typed, the best first; in their own order where nothing is typed. `texts` are the names an item goes by. */
export function ranked<T>(items: T[], typed: string, texts: (item: T) => string[], beside: (item: T) => string = () => ''): T[] {
  const whole = fold(typed);
  const words = whole.split(/\s+/).filter(Boolean);
  if (words.length === 0) return items;
  const scored = items.flatMap((item, place) => {
    const names = texts(item);
    const fits = names.map((t) => fit(words, whole, t, beside(item))).filter((f) => f >= 0);
    // Words of several of its names together: "delete this model" is "Remove this model", which goes by "delete", too.
    if (fits.length === 0 && fit(words, whole, names.join(' '), beside(item)) >= 0) fits.push(LOOSE);
    return fits.length ? [{ item, place, best: Math.min(...fits), length: names[0]?.length ?? 0 }] : [];
  });
  return scored.toSorted((a, b) => a.best - b.best || (a.best < 2 ? 0 : a.length - b.length) || a.place - b.place).map((f) => f.item);
}
