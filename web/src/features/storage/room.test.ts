import { describe, expect, it, test } from 'vitest';

import { matrix } from './kinds';
import { freeWords, goesWords, lackingWords, ladder, restWords, stillOffered, toggled, wantedWords, type Offer } from './room';

const offer = (key: string, rung: number): Offer => ({
  key,
  rung,
  title: key,
  loses: 'nothing',
  bytes: 1,
  free_on: '2026-12-01',
  device_id: null,
  in_time: false,
  backups: 1,
});
const MIB = 1 << 20;

test.each([
  [false, false, /^free by .*1 Dec/],
  [true, false, /^as old ones go, until .*1 Dec/],
  [false, true, /^not while/],
])('in time %s, kept %s', (in_time, waits, says) => expect(freeWords({ in_time, free_on: '2026-12-01' }, waits)).toMatch(says));

describe('the ladder', () => {
  it('has the steps in their order, and none that offers nothing', () => {
    const rungs = [1, 2, 3].map((rung) => ({ rung, title: `step ${rung}` }));
    const found = ladder({ rungs, offers: [offer('c', 3), offer('b', 1), offer('a', 1)] });
    expect(found.map((one) => [one.title, one.offers.map((each) => each.key)])).toEqual([
      ['step 1', ['b', 'a']],
      ['step 3', ['c']],
    ]);
  });

  it('is ticked one by one or a step at once, and never changes what was picked before', () => {
    const before = new Set(['a']);
    expect([...toggled(before, ['b', 'c'], true)]).toEqual(['a', 'b', 'c']);
    expect([...toggled(new Set(['a', 'b']), ['a'], false)]).toEqual(['b']);
    expect([...before]).toEqual(['a']);
  });

  it('forgets what is not offered any more', () =>
    expect(stillOffered(new Set(['gone', 'a']), [offer('b', 1), offer('a', 1)])).toEqual(['a']));
});

test.each([
  [0, 0, null, ''],
  [3 * MIB, 0, 2 * MIB, '2 MiB were wanted.'],
  [2 * MIB, 0, 2 * MIB, '2 MiB were wanted.'],
  [MIB, MIB, 2 * MIB, '2 MiB were wanted.'],
  [MIB, 0, 3 * MIB, '2 MiB less than the 3 MiB that were wanted.'],
])('%i given back and %i in time of %s', (given_back_bytes, later_bytes, wanted, says) =>
  expect(wantedWords({ given_back_bytes, later_bytes }, wanted)).toBe(says),
);

test.each([
  [0, 0, 'No backup leaves by it.'],
  [1, 1, '1 backup leaves this store, of 1 device.'],
  [22, 2, '22 backups leave this store, of 2 devices.'],
])('%i backups of %i devices', (backups, devices, says) => expect(goesWords({ backups, devices })).toBe(says));

test.each([
  [100, 140, /leave no waste/],
  [100, 90, /take a little/],
])('%i needed by nothing, %i given back', (bytes, given_back_bytes, says) => expect(restWords({ bytes, given_back_bytes })).toMatch(says));

describe('teams by kinds', () => {
  const labels: [string, string][] = [
    ['photos', 'Photos'],
    ['mail', 'Mail'],
    ...'abcdefgh'.split('').map((code): [string, string] => [code, code.toUpperCase()]),
  ];

  it('has squares whose areas stand to each other as bytes do', () => {
    const { columns, rows } = matrix(
      [
        { team: 'A', kinds: { photos: 400, mail: 100 } },
        { team: 'B', kinds: { photos: 100 } },
      ],
      labels,
    );
    expect(columns).toEqual(['Photos', 'Mail']);
    expect(rows[0]?.cells.map((cell) => cell.side)).toEqual([34, 17]);
    expect(rows[1]?.cells).toEqual([
      { bytes: 100, side: 17 },
      { bytes: 0, side: 3 },
    ]);
  });

  it('puts the small ones together, manifests among them, and loses no byte', () => {
    const kinds: Record<string, number> = { '': 7 };
    Array.from('abcdefgh').forEach((code, n) => (kinds[code] = 100 - n));
    const { columns, rows } = matrix([{ team: '', kinds }], labels);
    expect(columns).toEqual(['A', 'B', 'C', 'D', 'E', 'F', 'Rest']);
    expect(rows[0]?.cells.reduce((sum, cell) => sum + cell.bytes, 0)).toBe(Object.values(kinds).reduce((sum, bytes) => sum + bytes, 0));
  });
});

describe('a night for which there is no room', () => {
  test.each([
    [{ key: 'k', name: 'Server room', left_bytes: 1024, wanted_bytes: 2048 }, 'Server room lacks 2 KiB for tonight, and has 1 KiB left'],
    [{ key: 'k', name: 'Server room', left_bytes: 0, wanted_bytes: 2048 }, 'Server room lacks 2 KiB for tonight and is full'],
  ])('%j', (one, words) => expect(lackingWords(one)).toBe(words));
});
