// @vitest-environment node

import { expect, test } from 'vitest';

import { codeGroups, copyStateWords } from './words';

test('a recovery code is laid out in its groups, each with its place', () => {
  expect(codeGroups('AB23-CD45-EF67')).toEqual([
    { place: 0, text: 'AB23' },
    { place: 1, text: 'CD45' },
    { place: 2, text: 'EF67' },
  ]);
});

test.each([
  ['copying', 'being copied'],
  ['failed', 'not copied'],
  ['missing', 'missing'],
  ['removing', 'being removed'],
  ['present', 'present'],
])('a copy that is %s', (state, words) => expect(copyStateWords(state)).toBe(words));
