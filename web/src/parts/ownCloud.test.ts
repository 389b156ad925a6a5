// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { accountLine, roomLine, toldLine, type OwnCloud } from './ownCloud';

const GIB = 1024 ** 3;
const told: OwnCloud = {
  state: 'on', service: 'Harbourlight backup', account: 'ansa@harbourlight.example', last_success: null, used_bytes: 2 * GIB,
  allowed_bytes: 5 * GIB, percent: 40, kinds: [], devices: [],
}; // prettier-ignore

test.each([
  ['with room', {}, '2 GiB of 5 GiB, 40 %'],
  ['nearly full', { percent: 90 }, '2 GiB of 5 GiB, 90 %: nearly full'],
  ['full', { percent: 100 }, '2 GiB of 5 GiB, 100 %: it is full'],
  ['without a limit', { percent: null, allowed_bytes: null }, '2 GiB used'],
  ['it does not tell', { used_bytes: null, percent: null }, ''],
])('how full an account is: %s', (_, changes, says) => expect(accountLine({ ...told, ...changes })).toBe(says));

test('a row of the history', () => {
  expect(toldLine(null)).toBe('has none');
  expect(toldLine(told)).toBe('on; into ansa@harbourlight.example; 2 GiB of 5 GiB, 40 %');
  expect(toldLine({ ...told, state: 'off_by_policy', account: '', used_bytes: null })).toBe('off by policy');
});

describe('what makes room in its account', () => {
  const room = { wanted_bytes: 1024, proposed: 2, suffices: true, steps: [1, 2, 3] };
  test.each([
    [room, '1 KiB less would leave a fifth of it free; the first 2 steps may suffice.'],
    [{ ...room, proposed: 1, suffices: false }, '1 KiB less would leave a fifth of it free; the first step may not suffice.'],
    [{ ...room, wanted_bytes: 0 }, ''],
    [{ ...room, wanted_bytes: null }, ''],
    [{ ...room, steps: [] }, ''],
  ])('%j', (given, words) => expect(roomLine(given)).toBe(words));
});
