// @vitest-environment node

import { describe, expect, it } from 'vitest';

import { placeOfAge, WIDTH } from '../../ui/ages';
import { fates } from './realHistory';

const NOW = Date.parse('2026-11-27T08:00:00Z');

describe('a place on the axis of age', () => {
  it('begins with now, grows with age and ends within the picture', () => {
    const ages = [0, 0.1, 1, 7, 30, 365, 1095, 5000];
    const places = ages.map(placeOfAge);
    expect([...places].sort((a, b) => a - b)).toEqual(places);
    expect(places[0]).toBe(6);
    expect(Math.max(...places)).toBeLessThanOrEqual(WIDTH - 6);
  });
  it('of what is dated after now is now', () => expect(placeOfAge(-3)).toBe(placeOfAge(0)));
});

describe('what becomes of each backup', () => {
  it('is placed by age, and what leaves is drawn last', () => {
    const dots = fates(
      [
        { at: '2026-11-26T08:00:00Z', state: 'leaves' },
        { at: '2026-11-20T08:00:00Z', state: 'stays' },
        { at: '2026-10-28T08:00:00Z', state: 'held' },
      ],
      NOW,
    );
    expect(dots.map((dot) => dot.state)).toEqual(['stays', 'held', 'leaves']);
    expect(dots.map((dot) => dot.x)).toEqual([placeOfAge(7), placeOfAge(30), placeOfAge(1)]);
  });
});
