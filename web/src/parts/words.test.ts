// @vitest-environment node

import { expect, test } from 'vitest';

import { occasionWord } from '../ui/occasions';
import { ownStateWord } from './ownCloud';
import { pauseWords } from './pauses';

test.each([
  [{ until: null, reason: '' }, 'paused until further notice'],
  [{ until: null, reason: 'repair' }, 'paused until further notice: repair'],
  [{ until: '2026-03-23', reason: 'repair' }, 'paused until Mon, 23 Mar 2026: repair'],
])('a pause: %o', (pause, words) => expect(pauseWords(pause)).toBe(words));

test.each([
  ['before_repair', 'before a repair'],
  ['other', 'something else'],
  ['of a later version', 'of a later version'],
])('an occasion: %s', (occasion, word) => expect(occasionWord(occasion)).toBe(word));

test.each([
  ['on', 'on'],
  ['off', 'switched off'],
  ['off_by_policy', 'off by policy'],
] as const)("a device's own cloud: %s", (state, word) => expect(ownStateWord(state)).toBe(word));
