import { expect, test } from 'vitest';

import { monthsUpTo } from './report';

test('months go back over the turn of the year, three years and this one', () => {
  const months = monthsUpTo('2026-02', '2026-01');
  expect(months.slice(0, 4)).toEqual(['2026-02', '2026-01', '2025-12', '2025-11']);
  expect(months).toHaveLength(37);
  expect(months.at(-1)).toBe('2023-02');
});

test('an older month that is shown can be chosen too, in its place; one ahead as well', () => {
  expect(monthsUpTo('2026-11', '2019-05').at(-1)).toBe('2019-05');
  expect(monthsUpTo('2026-11', '2027-01')[0]).toBe('2027-01');
});
