import { describe, expect, it } from 'vitest';
import { columnsIn } from '../src/features/link/keys';

describe('the columns of a key as they are typed', () => {
  it.each([
    ['Flight.origin, year, month', ['Flight.origin', 'Flight.year', 'Flight.month']],
    ['(T.a, T.b)', ['T.a', 'T.b']],
    ['T.a', ['T.a']],
    ['a, b', ['a', 'b']],
    ['', []],
    ['"My, table"."a.b", "c, d"', ['"My, table"."a.b"', '"My, table"."c, d"']],
    ['T.a, U.b', ['T.a', 'U.b']],
    ['"x.y".a, b', ['"x.y".a', '"x.y".b']],
  ])('%s', (text, columns) => expect(columnsIn(text)).toEqual(columns));
});
