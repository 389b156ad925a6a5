import { expect, test } from 'vitest';

import { matrix } from './kinds';

const LABELS: [string, string][] = 'abcdefghi'.split('').map((code) => [code, code.toUpperCase()]);

test('the largest kinds first, by what all teams hold; equal ones by name', () => {
  const found = matrix(
    [
      { team: 'Shore', kinds: { a: 1, b: 50 } },
      { team: 'Inland', kinds: { c: 50, a: 60 } },
    ],
    LABELS,
  );
  expect(found.columns).toEqual(['A', 'B', 'C']);
  expect(matrix([{ team: 'T', kinds: { c: 50, b: 50, a: 50 } }], LABELS).columns).toEqual(['A', 'B', 'C']);
  expect(found.rows.map((row) => [row.team, row.cells.map((cell) => cell.bytes)])).toEqual([
    ['Shore', [1, 50, 0]],
    ['Inland', [60, 0, 50]],
  ]);
});

test('areas stand to each other as bytes do, and nothing is too small to be seen', () => {
  const [row] = matrix([{ team: 'T', kinds: { a: 400, b: 100, c: 1 } }], LABELS).rows;
  expect(row?.cells.map((cell) => cell.side)).toEqual([34, 17, 3]);
  expect(matrix([{ team: 'T', kinds: { a: 0 } }], LABELS).rows[0]?.cells[0]?.side).toBe(3);
});

test('seven kinds have a column each; of more the smallest stand together', () => {
  const kinds = (codes: string) => Object.fromEntries(codes.split('').map((code, at) => [code, 100 - at]));
  expect(matrix([{ team: 'T', kinds: kinds('abcdefg') }], LABELS).columns).toEqual(['A', 'B', 'C', 'D', 'E', 'F', 'G']);
  const more = matrix([{ team: 'T', kinds: kinds('abcdefgh') }], LABELS);
  expect(more.columns).toEqual(['A', 'B', 'C', 'D', 'E', 'F', 'Rest']);
  expect(more.rows[0]?.cells.at(-1)?.bytes).toBe(94 + 93);
});

test('what has no name of its own stands among the rest, whatever it weighs', () => {
  const found = matrix([{ team: 'T', kinds: { '': 1000, a: 1 } }], LABELS);
  expect(found.columns).toEqual(['A', 'Rest']);
  expect(found.rows[0]?.cells.map((cell) => cell.bytes)).toEqual([1, 1000]);
});
