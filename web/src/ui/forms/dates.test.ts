// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { dayIn, daysOn, nextMonday, readDay, readTime, writtenDay } from './dates';

const TODAY = '2026-11-24';

describe('a day as somebody types it', () => {
  test.each([
    ['2026-11-24', '2026-11-24'],
    ['2026-1-2', '2026-01-02'],
    ['24 Nov 2026', '2026-11-24'],
    ['Tue 24 Nov 2026', '2026-11-24'],
    ['24. November 2026', '2026-11-24'],
    ['24.11.2026', '2026-11-24'],
    ['24.11.26', '2026-11-24'],
    ['24/11/2026', '2026-11-24'],
    ['3/4/2026', '2026-04-03'],
    ['1st dec 2026', '2026-12-01'],
    ['24.11.', '2026-11-24'],
    ['23.11.', '2027-11-23'],
    ['24 nov', '2026-11-24'],
    ['1 jan', '2027-01-01'],
    ['29 Feb 2028', '2028-02-29'],
  ])('%j is %s', (text, day) => expect(readDay(text, TODAY)).toBe(day));

  test.each([
    '',
    'soon',
    '31.11.2026',
    '29 Feb 2027',
    '11/24/2026',
    '0.1.2026',
    '2026-13-01',
    '24 No 2026',
    '24',
    '24 Nov 1931',
    '1 ju 2027',
  ])('%j is none', (text) => expect(readDay(text, TODAY)).toBeNull());

  test('what the office writes is read as the same day', () => {
    for (let n = 0; n < 800; n += 13) expect(readDay(writtenDay(daysOn(TODAY, n)), TODAY)).toBe(daysOn(TODAY, n));
  });

  test('it is written the office’s way', () => expect(writtenDay('2026-11-24')).toBe('Tue 24 Nov 2026'));
});

describe('a time as somebody types it', () => {
  test.each([
    ['22:00', '22:00'],
    ['9:05', '09:05'],
    ['22', '22:00'],
    ['2205', '22:05'],
    ['22.05', '22:05'],
    ['7h30', '07:30'],
    ['22:00:00', '22:00'],
    ['10 pm', '22:00'],
    ['10PM', '22:00'],
    ['12 am', '00:00'],
    ['12pm', '12:00'],
    ['0:00', '00:00'],
  ])('%j is %s', (text, time) => expect(readTime(text)).toBe(time));

  test.each(['', '24:00', '22:60', '13 pm', '0 am', 'ten', '1:2:3'])('%j is none', (text) => expect(readTime(text)).toBeNull());
});

describe('days by the office’s calendar, in a browser of another zone', () => {
  test('the browser is far away', () => expect(Intl.DateTimeFormat().resolvedOptions().timeZone).toBe('Pacific/Auckland'));

  test.each([
    ['2026-03-29T00:59:59Z', 'Europe/Berlin', '2026-03-29'],
    ['2026-03-28T23:00:00Z', 'Europe/Berlin', '2026-03-29'],
    ['2026-10-24T21:59:59Z', 'Europe/Berlin', '2026-10-24'],
    ['2026-10-24T22:00:00Z', 'Europe/Berlin', '2026-10-25'],
    ['2026-10-25T22:59:59Z', 'Europe/Berlin', '2026-10-25'],
    ['2026-11-24T11:30:00Z', 'America/Anchorage', '2026-11-24'],
    ['2026-11-24T08:30:00Z', 'America/Anchorage', '2026-11-23'],
  ])('%s in %s is %s', (instant, zone, day) => expect(dayIn(instant, zone)).toBe(day));

  test.each([
    ['2026-11-24', 7, '2026-12-01'],
    ['2026-03-28', 1, '2026-03-29'],
    ['2026-03-29', 1, '2026-03-30'],
    ['2026-10-25', 1, '2026-10-26'],
    ['2026-01-01', -1, '2025-12-31'],
  ])('%s and %d days is %s', (day, days, then) => expect(daysOn(day, days)).toBe(then));

  test.each([
    ['2026-11-22', '2026-11-23'],
    ['2026-11-23', '2026-11-30'],
    ['2026-11-24', '2026-11-30'],
    ['2026-11-28', '2026-11-30'],
  ])('the Monday after %s is %s', (day, monday) => expect(nextMonday(day)).toBe(monday));
});
