// Keys as they are typed: columns of one table with commas between, the table said once or each time.

/** The columns of a typed key, each with its table, without brackets: `Flight.origin, year` is `Flight.origin` and `Flight.year`. */
export function columnsIn(text: string): string[] {
  const keyParts: string[] = [''];
  let quoted = false;
  for (const ch of text.trim().replace(/^\(/, '').replace(/\)$/, '')) {
    if (ch === '"') quoted = !quoted;
    if (ch === ',' && !quoted) keyParts.push('');
    else keyParts[keyParts.length - 1] += ch;
  }
  const parts = keyParts.map((x) => x.trim()).filter(Boolean);
  const table = tablePart(parts[0] ?? '');
  return parts.map((part, i) => (i > 0 && table && tablePart(part) === '' ? `${table}.${part}` : part));
}

/** What stands before the dot that parts a table from its column; nothing where there is none. */
function tablePart(reference: string): string {
  let quoted = false;
  for (let i = 0; i < reference.length; i += 1) {
    if (reference[i] === '"') quoted = !quoted;
    if (reference[i] === '.' && !quoted) return reference.slice(0, i);
  }
  return '';
}
