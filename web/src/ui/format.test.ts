// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { age, clock, counted, day, exact, grouped, iec, monthName, plainDay, plural, shortWeekday, spoken, wallClock } from './format';

const BERLIN = 'Europe/Berlin';

describe('sizes in IEC units', () => {
  test.each([
    [0, '0 bytes'],
    [1, '1 byte'],
    [1023, '1\u202f023 bytes'],
    [1024, '1 KiB'],
    [1536, '1.5 KiB'],
    [99.4 * 1024, '99.4 KiB'],
    [99.5 * 1024, '100 KiB'],
    [999 * 1024, '999 KiB'],
    [1000 * 1024, '1 MiB'],
    [1024 ** 3, '1 GiB'],
    [1000 ** 3, '954 MiB'],
    [1.5 * 1024 ** 4, '1.5 TiB'],
    [3 * 1024 ** 5, '3 PiB'],
    [5000 * 1024 ** 5, '5000 PiB'],
    [-1536, '−1.5 KiB'],
  ])('%d', (bytes, words) => expect(iec(bytes)).toBe(words));
});

describe('counts', () => {
  test.each([
    [0, '0 devices'],
    [1, '1 device'],
    [2, '2 devices'],
    [999, '999 devices'],
    [1000, '1\u202f000 devices'],
    [1_234_567, '1\u202f234\u202f567 devices'],
  ])('%d', (count, words) => expect(counted(count, 'device')).toBe(words));

  test('an irregular plural', () =>
    expect([counted(1, 'entry', 'entries'), counted(2, 'entry', 'entries')]).toEqual(['1 entry', '2 entries']));
  test('the word alone', () => expect([plural(1, 'is', 'are'), plural(0, 'is', 'are')]).toEqual(['is', 'are']));
  test('nothing is grouped below a thousand', () => expect(grouped(999)).toBe('999'));
});

describe('how long ago, and in how long', () => {
  const now = Date.parse('2026-11-24T12:00:00Z');
  test.each([
    ['2026-11-24T12:00:00Z', 'about now'],
    ['2026-11-24T12:00:44Z', 'about now'],
    ['2026-11-24T11:59:16Z', 'about now'],
    ['2026-11-24T11:59:00Z', '1 minute ago'],
    ['2026-11-24T12:01:00Z', 'in 1 minute'],
    ['2026-11-24T10:30:00Z', '90 minutes ago'],
    ['2026-11-24T09:00:00Z', '3 hours ago'],
    ['2026-11-22T13:00:00Z', '47 hours ago'],
    ['2026-11-21T12:00:00Z', '3 days ago'],
    ['2026-11-27T12:00:00Z', 'in 3 days'],
    ['2025-11-24T12:00:00Z', '365 days ago'],
  ])('%s', (at, words) => expect(age(at, now)).toBe(words));

  test.each([
    [1, '1 second'],
    [59, '59 seconds'],
    [60, '1 minute'],
    [7199, '120 minutes'],
    [7200, '2 hours'],
    [2 * 86_400, '2 days'],
  ])('%d seconds', (seconds, words) => expect(spoken(seconds)).toBe(words));
});

describe('moments in the office’s zone, in a browser of another one', () => {
  test.each([
    ['2026-11-24T22:30:00Z', BERLIN, 'Tue 24 Nov', '23:30'],
    ['2026-11-24T23:30:00Z', BERLIN, 'Wed 25 Nov', '00:30'],
    // the night in which clocks go back: the same time twice, an hour apart
    ['2026-10-25T00:30:00Z', BERLIN, 'Sun 25 Oct', '02:30'],
    ['2026-10-25T01:30:00Z', BERLIN, 'Sun 25 Oct', '02:30'],
    // and forward: an hour that there is not
    ['2026-03-29T00:59:00Z', BERLIN, 'Sun 29 Mar', '01:59'],
    ['2026-03-29T01:00:00Z', BERLIN, 'Sun 29 Mar', '03:00'],
    ['2026-11-24T08:30:00Z', 'America/Anchorage', 'Mon 23 Nov', '23:30'],
  ])('%s in %s', (at, zone, date, time) => expect([day(at, zone).replace(',', ''), clock(at, zone)]).toEqual([date, time]));

  test('to the second, with the zone', () => expect(exact('2026-11-24T22:30:05Z', BERLIN)).toBe('2026-11-24 23:30:05 (Europe/Berlin)'));
  test('as a field wants it', () => expect(wallClock('2026-11-24T23:05:00Z', BERLIN)).toBe('2026-11-25T00:05'));
});

describe('calendar dates have no zone', () => {
  test('a day', () => expect(plainDay('2026-03-29')).toBe('Sun, 29 Mar 2026'));
  test('a weekday', () => expect(['2026-11-23', '2026-11-28', '2026-11-29'].map(shortWeekday)).toEqual(['Mo', 'Sa', 'Su']));
  test('a month', () => expect(monthName('2026-01')).toBe('Jan 2026'));
});
