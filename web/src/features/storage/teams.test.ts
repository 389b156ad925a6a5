// @vitest-environment node

import { expect, test } from 'vitest';

import { teamsByBytes, hueOf, partsOf, teamWord } from './teams';

const store = (stored_bytes: number, allowance_bytes: number | null, teams: [string, number][], waiting_bytes = 0) => ({
  stored_bytes,
  allowance_bytes,
  waiting_bytes,
  teams: teams.map(([team, bytes]) => ({ team, bytes })),
});

test('with an allowance the bar is the allowance, and what nobody needs is told apart', () => {
  const one = store(
    60,
    100,
    [
      ['Shore', 30],
      ['Desk', 10],
    ],
    15,
  );
  expect(partsOf(one, [one])).toEqual({
    parts: [
      { team: 'Shore', percent: 30 },
      { team: 'Desk', percent: 10 },
    ],
    rest: 5,
    waiting: 15,
  });
});

test('without one it is as long as its part of the fullest', () => {
  const one = store(20, null, [['Shore', 20]]);
  expect(partsOf(one, [one, store(80, null, []), store(500, 1000, [])]).parts).toEqual([{ team: 'Shore', percent: 25 }]);
});

test('an empty store, one beyond its allowance, and measures of different moments never make more than the whole', () => {
  expect(partsOf(store(0, null, []), [store(0, null, [])])).toEqual({ parts: [], rest: 0, waiting: 0 });
  const over = store(200, 100, [['Shore', 150]], 90);
  const { parts, rest, waiting } = partsOf(over, [over]);
  expect(parts[0]?.percent).toBe(75);
  expect(rest + waiting).toBe(25);
});

test('colours go to those that hold the most, the sixth to all others', () => {
  const stores = [
    store(9, null, [
      ['b', 1],
      ['a', 3],
    ]),
    store(9, null, [
      ['b', 9],
      ['', 1],
      ['c', 1],
      ['d', 1],
      ['e', 1],
      ['f', 1],
      ['g', 1],
    ]),
  ];
  expect(teamsByBytes(stores).slice(0, 2)).toEqual(['b', 'a']);
  expect([hueOf('b', stores), hueOf('a', stores), hueOf('g', stores), hueOf('f', stores)]).toEqual([1, 2, 6, 6]);
  expect(teamWord('')).toBe('no team');
});
