// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { effectWords, grewMost, grownWords, parted, planWithout } from './filling';

describe('what fills a device', () => {
  test.each([
    ['Camera/2026-01/a.jpg', 'Camera/2026-01/', 'a.jpg'],
    ['a.jpg', '', 'a.jpg'],
    ['odd/', 'odd/', ''],
  ])('%s', (name, before, last) => expect(parted(name)).toEqual({ before, last }));

  test.each([
    [null, '–'],
    [0, 'unchanged'],
    [1536, '+1.5 KiB'],
    [-1536, '−1.5 KiB'],
  ])('grown by %j', (bytes, words) => expect(grownWords(bytes)).toBe(words));

  test('what grew most is the first line, unless nothing grew', () => {
    const one = { kind: 'photos', items: 1, size_bytes: 2048, since: null };
    const label = (kind: string) => kind.toUpperCase();
    expect(grewMost([{ ...one, grown_bytes: 1024 }], label)).toBe('PHOTOS grew most: +1 KiB');
    expect([[], [{ ...one, grown_bytes: 0 }], [{ ...one, grown_bytes: null }]].map((growth) => grewMost(growth, label))).toEqual([
      '',
      '',
      '',
    ]);
  });
});

describe('leaving something out', () => {
  const effect = { items: 1, size_bytes: 2048, backups: 1, last_at: null, freed_bytes: 1024, plan: null, others: 0, already: false };

  test('says what the next backups do not take, what still holds it, and what is free in the end', () =>
    expect(effectWords(effect, 'Server room')).toEqual([
      'The next backups take 1 item less, 2 KiB on the device.',
      '1 backup still holds it until it leaves by its rule; what changes from now on is in none.',
      'Once it has left, 1 KiB in Server room are needed by nothing.',
    ]));

  test('of several backups', () =>
    expect(effectWords({ ...effect, items: 1200, backups: 2 }, 'Server room')).toEqual([
      'The next backups take 1 200 items less, 2 KiB on the device.',
      '2 backups still hold it until they leave by their rule; what changes from now on is in none.',
      'Once they have left, 1 KiB in Server room are needed by nothing.',
    ]));

  test('of what the device has no more', () =>
    expect(effectWords({ ...effect, items: 0, backups: 0 }, 'Server room')).toEqual([
      'The newest backup holds none of it: nothing changes for the next ones.',
    ]));

  test('goes on in the editor of the plan', () =>
    expect(planWithout('7', 'photos', 'Camera/a & b')).toBe('/plans/7?leave_out_kind=photos&leave_out=Camera%2Fa+%26+b'));
});
