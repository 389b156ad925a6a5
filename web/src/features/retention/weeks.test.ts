// @vitest-environment node

import { describe, expect, it } from 'vitest';

import { isoWeek } from './weeks';

describe('the number of the week that a Monday begins, by ISO 8601', () => {
  // as Python's isocalendar and the common calendar tables have them
  it.each([
    ['2004-12-27', 53],
    ['2005-01-03', 1],
    ['2008-12-29', 1],
    ['2009-12-28', 53],
    ['2026-12-28', 53],
    ['2027-01-04', 1],
    ['2026-11-23', 48],
    ['2026-03-02', 10],
  ])('%s', (monday, week) => expect(isoWeek(monday)).toBe(week));
});
