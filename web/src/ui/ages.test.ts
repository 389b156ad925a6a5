import { expect, test } from 'vitest';

import { AGES, placeOfAge, WIDTH } from './ages';

test('newest at the left edge, three years at the right one, and nothing beyond', () => {
  expect(placeOfAge(0)).toBe(6);
  expect(placeOfAge(-3)).toBe(6);
  expect(placeOfAge(1095)).toBeCloseTo(WIDTH - 6 - 12, 6);
  expect(placeOfAge(1e9)).toBe(WIDTH - 6);
});

test('each doubling of an age is as far as the one before', () => {
  const step = placeOfAge(1) - placeOfAge(0);
  for (const [younger, older] of [
    [1, 3],
    [3, 7],
    [127, 255],
  ] as const)
    expect(placeOfAge(older) - placeOfAge(younger)).toBeCloseTo(step, 6);
});

test('the marks of the axis stand in their order, far enough from one another to be read', () => {
  const places = AGES.map(([, days]) => placeOfAge(days));
  places.slice(1).forEach((place, at) => expect(place - (places[at] ?? 0)).toBeGreaterThan(30));
});
