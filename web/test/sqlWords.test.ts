// A statement taken apart for the eye is the statement.
import { describe, expect, it } from 'vitest';
import { piecesOf } from '../src/features/sql/words';

const SQL = `WITH
-- what of "Port" is visible
port_lines AS (
  SELECT DISTINCT 0 AS k, 'it''s FROM' AS "SELECT" FROM "Port" WHERE selected IS NOT NULL
)`;

describe('the pieces of a statement', () => {
  it('are its text, in order', () => {
    expect(
      piecesOf(SQL)
        .map((p) => p.text)
        .join(''),
    ).toBe(SQL);
  });
  it('tell notes, words, literals and names apart', () => {
    const of = (kind: string) => piecesOf(SQL).filter((p) => p.kind === kind);
    expect(of('note').map((p) => p.text)).toEqual(['-- what of "Port" is visible']);
    expect(of('literal').map((p) => p.text)).toEqual(["'it''s FROM'"]);
    expect(of('name').map((p) => p.text)).toEqual(['"SELECT"', '"Port"']);
    expect(of('word').map((p) => p.text)).toEqual(['WITH', 'AS', 'SELECT', 'DISTINCT', 'AS', 'AS', 'FROM', 'WHERE', 'IS', 'NOT', 'NULL']);
  });
});
