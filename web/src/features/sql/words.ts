// A statement taken apart for the eye: what is said of it, its words, what stands in quotes.
export type PieceKind = 'note' | 'word' | 'literal' | 'name' | 'plain';
export interface Piece {
  kind: PieceKind;
  text: string;
}

const WORDS =
  'WITH|AS|SELECT|DISTINCT|FROM|LEFT|JOIN|ON|WHERE|AND|OR|NOT|IN|IS|NULL|GROUP|BY|GROUPING|SETS|HAVING|ORDER|ASC|DESC|UNION|ALL|CASE|WHEN|THEN|ELSE|END|CAST|OVER|PARTITION|FILTER|WITHIN|EXISTS|COLLATE|BETWEEN|LIKE|ESCAPE|DATE|TIMESTAMP|INTERVAL|TRUE|FALSE|EXTRACT|RANGE|UNBOUNDED|PRECEDING|CURRENT|ROW';
const PIECE = new RegExp(`(--[^\\n]*)|('(?:[^']|'')*')|("(?:[^"]|"")*")|\\b(${WORDS})\\b`, 'g');
const KINDS: PieceKind[] = ['note', 'literal', 'name', 'word'];

/** The pieces of a statement, in order; together they are its text. */
export function piecesOf(sql: string): Piece[] {
  const pieces: Piece[] = [];
  let from = 0;
  for (const match of sql.matchAll(PIECE)) {
    if (match.index > from) pieces.push({ kind: 'plain', text: sql.slice(from, match.index) });
    const place = match.slice(1).findIndex((x) => x !== undefined);
    pieces.push({ kind: KINDS[place] ?? 'plain', text: match[0] });
    from = match.index + match[0].length;
  }
  if (from < sql.length) pieces.push({ kind: 'plain', text: sql.slice(from) });
  return pieces;
}
