// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { MINUTES, outOfBounds, readAmount, readNumber, SIZES, SPANS, SPEEDS, unitFor, written, type Unit } from './numbers';

const [MIB, GIB] = SIZES as [Unit, Unit];
const [HOURS, DAYS, WEEKS] = SPANS as [Unit, Unit, Unit];

describe('a number as somebody types it', () => {
  test.each([
    ['0', 0],
    ['1', 1],
    ['007', 7],
    ['1.5', 1.5],
    ['1,5', 1.5],
    ['0.5', 0.5],
    ['.5', 0.5],
    ['0,125', 0.125],
    ['2.', 2],
    [' 12 ', 12],
    ['12 000', 12_000],
    ['1 234 567', 1_234_567],
    ['12\u202f000', 12_000],
    ["12'000", 12_000],
    ['１５', 15],
    ['٣', 3],
    ['१२', 12],
  ])('%j says %d', (text, value) => expect(readNumber(text)).toEqual({ value }));

  test.each([
    ['', 'Write a number'],
    ['   ', 'Write a number'],
    ['two', 'Write a number'],
    ['1e3', 'Write a number'],
    ['0x10', 'Write a number'],
    ['1.5.2', 'Write a number'],
    ['1.5,2', 'Write a number'],
    ['1 2', 'Write a number'],
    ['Infinity', 'Write a number'],
    ['-1', 'without a sign'],
    ['−1', 'without a sign'],
    ['+1', 'without a sign'],
    ['1.500', 'write 1500, or 1.5'],
    ['1,500', 'write 1500, or 1.5'],
  ])('%j says why it is none', (text, why) => {
    const read = readNumber(text);
    expect('wrong' in read && read.wrong).toContain(why);
  });

  test('ten thousand rows pasted into it are no number, and quickly so', () => {
    const began = performance.now();
    expect(readNumber('1 234\n'.repeat(10_000))).toHaveProperty('wrong');
    expect(performance.now() - began).toBeLessThan(500);
  });
});

describe('a number with its unit', () => {
  test.each([
    ['1.5', SIZES, MIB, 1_572_864],
    ['1,5', SIZES, GIB, 1_610_612_736],
    ['1.5 GiB', SIZES, MIB, 1_610_612_736],
    ['1.5gib', SIZES, MIB, 1_610_612_736],
    ['3', SPANS, DAYS, 259_200],
    ['1 day', SPANS, HOURS, 86_400],
    ['2 weeks', SPANS, HOURS, 1_209_600],
    ['0.1', SPEEDS, SPEEDS[0], 102],
  ])('%j is %d of the smallest', (text, units, chosen, value) => expect(readAmount(text, units, chosen as Unit)).toMatchObject({ value }));

  test('a unit that is not among them is no unit', () => expect(readAmount('3 fortnights', SPANS, DAYS)).toHaveProperty('wrong'));

  test.each([
    [null, 'hours', ''],
    [3600, 'hours', '1'],
    [26 * 3600, 'hours', '26'],
    [3 * 86_400, 'days', '3'],
    [36 * 3600, 'days', '1.5'],
    [14 * 86_400, 'weeks', '2'],
  ])('%d seconds stand as %s', (value, label, text) => {
    const unit = unitFor(value, SPANS);
    expect([unit.label, written(value, unit)]).toEqual([label, text]);
  });

  test.each([
    [1024 ** 2, 'MiB', '1'],
    [1536 * 1024 ** 2, 'GiB', '1.5'],
    [1024 ** 4, 'TiB', '1'],
    [1_000_000, 'MiB', '0.953674'],
  ])('%d bytes stand as %s', (value, label, text) => {
    const unit = unitFor(value, SIZES);
    expect([unit.label, written(value, unit)]).toEqual([label, text]);
  });

  test('what stands in a field says the value again that it was made of', () => {
    for (const value of [1024 ** 2, 5 * 1024 ** 2, 1024 ** 3, 1536 * 1024 ** 2, 7 * 1024 ** 4]) {
      const unit = unitFor(value, SIZES);
      expect(readAmount(written(value, unit), SIZES, unit)).toMatchObject({ value });
    }
  });
});

describe('bounds', () => {
  test.each([
    [3600, HOURS, 3600, undefined, null],
    [3599, HOURS, 3600, undefined, 'At least 1 hour.'],
    [8 * 86_400, WEEKS, undefined, 7 * 86_400, 'At most 1 week.'],
    [600, MINUTES[0], 0, 600, null],
    [601, MINUTES[0], 0, 600, 'At most 600 minutes.'],
    [0, GIB, 1, undefined, 'More than nothing.'],
  ])('%d', (value, unit, least, most, says) => expect(outOfBounds(value, unit as Unit, least, most)).toBe(says));

  test.each(['1.5', '0,5'])('%s pieces are not rounded to a whole one', (text) =>
    expect(readAmount(text, MINUTES, MINUTES[0] as Unit, true)).toMatchObject({ wrong: 'Write a whole number.' }),
  );
});
