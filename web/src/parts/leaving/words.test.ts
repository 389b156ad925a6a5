// @vitest-environment node

import { describe, expect, it, test } from 'vitest';

import { consequenceWords } from './words';

describe('what a change does', () => {
  it.each([
    [0, 0, 'Nothing lies there yet'],
    [0, 12, 'Nothing leaves by this change'],
    [1, 12, '1 backup leaves by this change'],
    [1200, 0, '1\u202f200 backups leave by this change'],
  ])('%d leave and %d stay', (leaves, stays, words) => expect(consequenceWords({ leaves, stays })).toBe(words));
});

test('a copy that leaves one store while another keeps the backup is said to leave', () => {
  expect(consequenceWords({ leaves: 0, stays: 4, stores: [{ name: 'Cloud', leaves: 2, stays: 2 }] })).toBe(
    '2 copies leave, and other stores keep what they hold',
  );
});
