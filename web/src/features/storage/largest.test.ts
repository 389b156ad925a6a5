// @vitest-environment node

import { expect, test } from 'vitest';

import { largest } from './quotas';

test.each([
  [[], undefined],
  [[5], 5],
  [[1, 9, 3], 9],
  [[9, 1, 3], 9],
])('the store that holds most, of %o', (sizes, most) =>
  expect(largest(sizes.map((stored_bytes) => ({ stored_bytes })))?.stored_bytes).toBe(most),
);
