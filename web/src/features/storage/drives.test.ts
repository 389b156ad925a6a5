// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { ahead, driveLine, driveLook, drivesSentence, everyWords, onIt, shortDay, turnLine, waitsLine, type Drive } from './drives';

const drive: Drive = {
  store_id: 's', name: 'Blue', where: '/media/blue', trouble: '', trouble_remedy: '', off_site: true, state: 'here', keeper: '', rests_in: '',
  rotation_id: 1, letter: 'A', turn: { first: '2026-03-23', last: '2026-03-29' }, has_turn: true, overdue_since: null, seen_at: null,
  out_since: null, pulled_out: false, hindered_by: '', twins: [], copies: 0, devices: 0, newest_at: null, owed: 0, owed_bytes: 0, leaving: 0,
  seconds: null,
}; // prettier-ignore

describe('where a drive is', () => {
  test.each([
    ['here', {}, 'plugged in', 'at /media/blue'],
    ['parting', { state: 'parting', hindered_by: 'a check reads it' }, 'not yet safe to take away', 'still: a check reads it'],
    ['parted', { state: 'parted' }, 'safe to take away', 'everything lies on it, and nothing holds it'],
    ['out, kept by somebody', { state: 'out', keeper: 'Ines', rests_in: 'the safe' }, 'not plugged in', 'in the safe, with Ines'],
    [
      'out, of nobody',
      { state: 'out', pulled_out: true },
      'not plugged in',
      'nobody said where; it went without a word and is looked through when it is back',
    ],
    ['overdue', { state: 'out', rests_in: 'the safe', overdue_since: '2026-03-23' }, 'overdue', 'in the safe'],
    ['a clone beside it', { twins: ['/media/b'], trouble: 'Blue is there twice.' }, 'there twice', 'Blue is there twice.'],
    ['in trouble', { trouble: 'An older copy lies there.' }, 'in trouble', 'An older copy lies there.'],
  ] as const)('%s', (_, changes, word, line) => {
    const told = { ...drive, ...changes } as Drive;
    expect([driveLook(told).word, driveLine(told)]).toEqual([word, line]);
  });
});

describe('its turn', () => {
  test.each([
    ['now', {}, 'now, until Sun, 29 Mar 2026'],
    ['next', { has_turn: false }, 'from Mon, 23 Mar 2026'],
    ['missed', { overdue_since: '2026-03-23' }, 'missed since Mon, 23 Mar 2026'],
    ['none', { turn: null }, ''],
  ] as const)('%s', (_, changes, says) => expect(turnLine({ ...drive, ...changes })).toBe(says));

  test('the next ones go over a change of clocks and the end of a month by days', () => {
    const red = { ...drive, store_id: 't', name: 'Red', letter: 'B', has_turn: false };
    expect(ahead({ id: 1, every_days: 7 }, [drive, red], 3)).toEqual([
      { first: '2026-03-23', letter: 'A', name: 'Blue' },
      { first: '2026-03-30', letter: 'B', name: 'Red' },
      { first: '2026-04-06', letter: 'A', name: 'Blue' },
    ]);
    expect(ahead({ id: 2, every_days: 7 }, [drive, red], 3)).toEqual([]);
  });

  test('a day without its year', () => expect(shortDay('2026-03-30')).toBe('Mon, 30 Mar'));

  test.each([
    [1, 'every day'],
    [3, 'every 3 days'],
    [7, 'every week'],
    [14, 'every 2 weeks'],
  ])('%s days', (days, says) => expect(everyWords(days)).toBe(says));
});

test.each([
  ['nothing', {}, 'nothing'],
  ['one', { owed: 1, owed_bytes: 2048 }, '1 copy, about 2 KiB'],
  ['with a speed', { owed: 12, owed_bytes: 3 * 1024 ** 3, seconds: 1800 }, '12 copies, about 3 GiB; about 30 minutes'],
  ['what leaves first', { leaving: 2, owed: 1, owed_bytes: 1024, seconds: 2 }, '2 copies go first; 1 copy, about 1 KiB; about 1 minute'],
])('what waits for it: %s', (_, changes, says) => expect(waitsLine({ ...drive, ...changes })).toBe(says));

test('what lies on it is told while it is elsewhere', () => {
  expect(onIt({ copies: 0, devices: 0 })).toBe('nothing yet');
  expect(onIt({ copies: 31, devices: 1 })).toBe('31 backups of 1 device');
});

test.each([
  ['none', [], 'No removable drive yet.'],
  ['all elsewhere', [{ state: 'out', overdue_since: null }], '1 drive, not plugged in.'],
  [
    'none late',
    [
      { state: 'out', overdue_since: null },
      { state: 'out', overdue_since: null },
    ],
    '2 drives, none of them plugged in.',
  ],
  [
    'all late',
    [
      { state: 'here', overdue_since: '2026-03-23' },
      { state: 'here', overdue_since: '2026-03-23' },
    ],
    '2 drives, 2 of them plugged in. 2 drives have missed their turn.',
  ],
  [
    'one overdue',
    [
      { state: 'here', overdue_since: null },
      { state: 'out', overdue_since: '2026-03-23' },
    ],
    '2 drives, 1 of them plugged in. 1 drive has missed its turn.',
  ],
] as const)('in a sentence: %s', (_, drives, says) => expect(drivesSentence(drives)).toBe(says));
