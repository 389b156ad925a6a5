// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { heard, keyPlaceWords, offWords } from './words';

describe('how far another clock is off', () => {
  test.each([
    [0, 'as ours'],
    [0.9, 'as ours'],
    [-0.9, 'as ours'],
    [1, '1 second ahead of ours'],
    [-1, '1 second behind ours'],
    [59, '59 seconds ahead of ours'],
    [60, '1 minute ahead of ours'],
    [3599, '60 minutes ahead of ours'],
    [86_400, '1 day ahead of ours'],
    [-3600, '1 hour behind ours'],
    [5400, '2 hours ahead of ours'],
    [-2 * 86_400, '2 days behind ours'],
  ])('%d', (seconds, words) => expect(offWords(seconds)).toBe(words));
});

test('devices are one line with the one in the middle and the newest time', () => {
  const device = (off_seconds: number, at: string) => ({ name: 'x', kind: 'device', off_seconds, at });
  const server = { name: 'ntp', kind: 'server', off_seconds: 1, at: '1' };
  expect(heard([device(90, '3'), server, device(-5, '7'), device(2, '5')])).toEqual([
    server,
    { name: '3 devices, the one in the middle', kind: 'device', off_seconds: 2, at: '7' },
  ]);
  expect(heard([device(4, '3')])[0]?.name).toBe('1 device');
  expect(heard([server])).toEqual([server]);
});

test('a place of the key that nobody has named yet stands by its own name', () => expect(keyPlaceWords('vault')).toBe('vault'));
