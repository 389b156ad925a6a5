// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { came, isActive, openedWords, rulesSentence, whyNotAll } from './drills';

const whole = { items: 158, of_items: 158, size_bytes: 2048, of_bytes: 2048 };
const part = { items: 1, of_items: 12_000, size_bytes: 1024, of_bytes: 3 * 1024 * 1024 };

describe('how much came back', () => {
  test('everything', () => expect(came(whole)).toBe('all 158 items, 2 KiB'));
  test('a part, with both numbers', () => expect(came(part)).toBe('1 item of 12\u202f000, 1 KiB of 3 MiB'));
  test.each([
    ['everything needs no reason', { ...whole, state: 'right', out_of_time: false }, ''],
    ['drawn', { ...part, state: 'right', out_of_time: false }, 'It was drawn by chance, something of every kind.'],
    ['its time', { ...part, state: 'right', out_of_time: true }, 'Its time was over.'],
    ['what is wrong is told by itself', { ...part, state: 'wrong', out_of_time: false }, ''],
  ] as const)('%s', (_, drill, says) => expect(whyNotAll(drill)).toBe(says));
});

test.each([
  ['waiting', true],
  ['running', true],
  ['right', false],
  ['wrong', false],
  ['failed', false],
  ['stopped', false],
] as const)('whether it may still change: %s', (state, active) => expect(isActive({ state })).toBe(active));

test('what was opened, and that nothing could be', () => {
  expect(
    openedWords([
      { form: 'picture', label: 'pictures', count: 12 },
      { form: 'database', label: 'database', count: 1 },
    ]),
  ).toBe('12 pictures, 1 database');
  expect(openedWords([])).toBe('nothing in it has a form that is tried here');
});

describe('how the office drills by itself', () => {
  const rules = { a_day: 1, most_minutes: 30, most_bytes: 2 * 1024 ** 3, limit_bytes_per_second: null, wanted_days: null };
  test.each([
    ['not', { ...rules, a_day: 0 }, 'Nobody has a turn by itself; a drill is only carried out when somebody asks.'],
    ['one', rules, '1 device has a turn each day, 2 GiB and 30 minutes each at the most.'],
    [
      'all of it',
      { ...rules, a_day: 3, limit_bytes_per_second: 1024 * 1024, wanted_days: 90 },
      '3 devices have a turn each day, 2 GiB and 30 minutes each at the most, no faster than 1 MiB/s. One that was not proven for 90 days needs a person.',
    ],
  ])('%s', (_, told, says) => expect(rulesSentence(told)).toBe(says));
});
