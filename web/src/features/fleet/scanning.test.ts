// @vitest-environment node

import { expect, test } from 'vitest';

import { codeIn } from './scanning';

test.each([
  ['attic-pair:p5:ABCD2345', 'p5', 'ABCD2345', 'Read: ABCD2345'],
  ['attic-pair:p4:ABCD2345', 'p5', null, 'another device'],
  ['attic-pair:p5:abcd2345', 'p5', null, 'no pairing code'],
  ['attic-pair:p5:ABCD234', 'p5', null, 'no pairing code'],
  ['attic-pair:p5:ABCD23456', 'p5', null, 'no pairing code'],
  ['https://example.org', 'p5', null, 'no pairing code'],
  ['attic-pair::ABCD2345', '', null, 'no pairing code'],
  ['', 'p5', null, 'no pairing code'],
  ['attic-pair:<b>p5</b>:ABCD2345', 'p5', null, 'another device'],
])('%s for %s', (text, device, code, says) => {
  const found = codeIn(text, device);
  expect(found.code).toBe(code);
  expect(found.says).toContain(says);
});
