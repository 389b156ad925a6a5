// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { bars, nightSentence, steps, type NightRow, type Sums } from './night';
import { stepAddress } from './steps';

const SUMS: Sums = {
  night: '2026-11-24',
  opens: '2026-11-24T21:00:00Z',
  closes: '2026-11-25T05:00:00Z',
  lined_up: 0,
  succeeded: 0,
  did_not: 0,
  under_way: 0,
  does_not_fit: 0,
  rows: 0,
  planned_finish: null,
  busy_opens: '2026-11-24T21:00:00Z',
  busy_closes: '2026-11-25T05:00:00Z',
  busy: [],
};
const BEFORE = Date.parse('2026-11-24T12:00:00Z');
const AFTER = Date.parse('2026-11-25T09:00:00Z');

describe('a night in a sentence', () => {
  test.each<[string, Partial<Sums>, number, string]>([
    ['nothing', {}, BEFORE, ''],
    ['one', { lined_up: 1 }, BEFORE, '1 run lined up.'],
    ['thousands', { lined_up: 1200, succeeded: 1100, did_not: 100 }, AFTER, '1\u202f200 runs lined up, 1\u202f100 succeeded, 100 did not.'],
    ['before its end', { lined_up: 2, does_not_fit: 1 }, BEFORE, '2 runs lined up, 1 will not fit into the window.'],
    ['after its end', { lined_up: 2, does_not_fit: 1 }, AFTER, '2 runs lined up, 1 did not fit into the window.'],
    ['in the middle', { lined_up: 3, succeeded: 1, under_way: 2 }, BEFORE, '3 runs lined up, 1 succeeded, 2 under way.'],
  ])('%s', (_, sums, now, words) => expect(nightSentence({ ...SUMS, ...sums }, now)).toBe(words));
});

const ROW = {
  planned_start: '2026-11-24T23:00:00Z',
  planned_end: '2026-11-25T01:00:00Z',
  started_at: null,
  finished_at: null,
  closes_at: null,
} as NightRow;

describe('bars of a night', () => {
  test('lie at their shares of the width', () => {
    expect(bars(SUMS, [ROW], BEFORE).bars[0]).toMatchObject({ planned: [0.25, 0.5], real: null, closes: null });
  });

  test('of a run that goes on end now', () => {
    const now = Date.parse('2026-11-25T01:00:00Z');
    const told = bars(SUMS, [{ ...ROW, started_at: '2026-11-24T23:00:00Z' }], now);
    expect([told.bars[0]?.real, told.now]).toEqual([[0.25, 0.5], 0.5]);
  });

  test('never leave the chart', () => {
    const row = { ...ROW, started_at: '2026-11-24T13:00:00Z', finished_at: '2026-11-25T11:00:00Z' };
    expect(bars(SUMS, [row], AFTER).bars[0]?.real).toEqual([0, 1]);
  });

  test.each([
    ['2026-11-24T21:00:00Z', '2026-11-25T05:00:00Z', 8],
    ['2026-11-24T21:30:00Z', '2026-11-25T05:00:00Z', 7],
    ['2026-11-24T21:00:00Z', '2026-11-24T23:00:00Z', 4],
    ['2026-11-24T12:00:00Z', '2026-11-25T12:00:00Z', 8],
    ['2026-11-24T21:00:00Z', '2026-11-24T21:00:00Z', 1],
    ['2026-11-24T20:00:00Z', '2026-11-25T01:00:00Z', 10],
    ['2026-11-24T19:00:00Z', '2026-11-25T09:00:00Z', 14],
    ['2026-11-24T18:00:00Z', '2026-11-25T09:00:00Z', 5],
  ])('from %s to %s there are %d marks of time', (opens, closes, count) => {
    expect(bars({ opens, closes }, [], BEFORE).ticks).toHaveLength(count);
  });
});

describe('the thumbnail', () => {
  test('joins slices of the same height and leaves out the empty ones', () => {
    expect(steps([0, 2, 2, 1, 0, 0, 3, 0])).toEqual([
      { from: 0.125, to: 0.375, count: 2 },
      { from: 0.375, to: 0.5, count: 1 },
      { from: 0.75, to: 0.875, count: 3 },
    ]);
  });
  test('of nothing is nothing', () => expect([steps([]), steps([0, 0])]).toEqual([[], []]));
});

describe('where the next step lies', () => {
  const cause = { code: 'late link.locked', store_id: null, count: 1, devices: [{ id: 'd1' }], step: 'open' };
  test.each([
    ['one device: its own page, with its steps', cause, '/devices/d1#ready'],
    [
      'many devices: all of them, and not the first',
      { ...cause, count: 2, devices: [{ id: 'd1' }, { id: 'd2' }] },
      '/devices?order=lateness&cause=late%20link.locked',
    ],
    ['coverage of one', { ...cause, step: 'coverage' }, '/devices/d1/coverage'],
    ['a store', { ...cause, step: 'storage', store_id: 's1' }, '/storage/s1'],
    ['no store', { ...cause, step: 'storage' }, '/storage'],
    ['the night', { ...cause, step: 'night' }, '/night?shows=did_not'],
    ['load again', { ...cause, step: 'restart' }, null],
    ['holds', { ...cause, step: 'holds' }, '/holds?end=unseen'],
    ['drives', { ...cause, step: 'drives', store_id: 's1' }, '/storage/drives'],
    ['drills', { ...cause, step: 'drills' }, '/drills'],
    ['erasing', { ...cause, step: 'erasing' }, '/erasing'],
  ])('%s', (_, told, address) => expect(stepAddress(told)).toBe(address));
});
