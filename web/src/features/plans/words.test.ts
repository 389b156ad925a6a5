// @vitest-environment node

import { describe, expect, it, test } from 'vitest';

import {
  DAY_NAMES,
  earlier,
  emptyDraft,
  hhmm,
  keepingOf,
  keepsSentence,
  keptByMonth,
  moved,
  newTarget,
  ORDINALS,
  periodWords,
  ruleOf,
  targetsWords,
  toggled,
  withLeftOut,
  withoutBlanks,
} from './words';

test.each([
  [1, 'days', '1 day'],
  [2, 'weeks', '2 weeks'],
  [1, 'years', '1 year'],
] as const)('a period: %s %s', (count, unit, words) => expect(periodWords(count, unit)).toBe(words));

test('a time of day without its seconds, days in the order of the week', () => {
  expect(hhmm('22:05:00')).toBe('22:05');
  expect(DAY_NAMES[new Date('2026-03-02').getUTCDay() - 1]).toBe('Monday');
});

test('a new store of a plan has everything copied to it at once, at any time', () => {
  const target = newTarget('s');
  expect(Object.values(target).filter(Boolean)).toEqual(['s']);
  expect(target).toMatchObject({ store: 's', delay_minutes: 0, falls_over: false });
});

test('days of a month are counted as a rule counts them (RFC 5545, BYDAY)', () => {
  expect(ORDINALS.map(([nth]) => nth)).toEqual([1, 2, 3, 4, -1]);
});

test('an exclusion that names nothing yet is not asked about, and a draft without one is the same draft', () => {
  const draft = emptyDraft(['photos'], null);
  expect(withoutBlanks(draft)).toBe(draft);
  const begun = {
    ...draft,
    exclusions: [
      { kind: 'photos' as const, under: ' ' },
      { kind: 'photos' as const, under: 'Camera' },
    ],
  };
  expect(withoutBlanks(begun).exclusions).toEqual([{ kind: 'photos', under: 'Camera' }]);
});

describe('what a plan keeps', () => {
  test.each([
    [[0, 0, 0, 0], 'nothing'],
    [[1, 0, 0, 0], 'the last 1'],
    [[3, 7, 4, 12], 'the last 3, 7 days, 4 weeks, 12 months'],
    [[0, 1, 1, 1], '1 day, 1 week, 1 month'],
  ])('%j', ([keep_last = 0, keep_daily = 0, keep_weekly = 0, keep_monthly = 0], words) =>
    expect(keepsSentence({ keep_last, keep_daily, keep_weekly, keep_monthly })).toBe(words),
  );
});

describe('kept days by month', () => {
  test('thirteen months that end with the present one, over a change of year', () => {
    const found = keptByMonth(['2025-03-31', '2026-03-01', '2026-03-31', '2024-12-31'], '2026-03-31');
    expect(found.map((one) => one.month)).toEqual([
      '2025-03', '2025-04', '2025-05', '2025-06', '2025-07', '2025-08', '2025-09',
      '2025-10', '2025-11', '2025-12', '2026-01', '2026-02', '2026-03',
    ]); // prettier-ignore
    expect([found[0]?.days, found[12]?.days, found[6]?.days]).toEqual([[31], [1, 31], []]);
  });
});

test('an entry is put in or taken out, the others stay in their order', () => {
  expect([toggled([1, 2, 3], 2), toggled([1, 3], 2), toggled<number>([], 1)]).toEqual([[1, 3], [1, 3, 2], [1]]);
});

test('a new plan takes everything, and promises two days', () => {
  const draft = emptyDraft(['photos'], null);
  expect([draft.reach, draft.promise_seconds, draft.targets, draft.devices]).toEqual(['everything', 172_800, [], []]);
});

test.each([
  ['earlier', 1, -1, ['b', 'a', 'c']],
  ['later', 1, 1, ['a', 'c', 'b']],
  ['the first earlier', 0, -1, ['a', 'b', 'c']],
  ['the last later', 2, 1, ['a', 'b', 'c']],
] as const)('a store of a plan goes %s', (_, n, by, order) => expect(moved(['a', 'b', 'c'], n, by)).toEqual(order));

test.each([
  [[], 'nowhere'],
  [['Server room'], 'Server room'],
  [['Server room', 'Cloud'], 'Server room and Cloud'],
  [['Server room', 'Cloud', 'Safe'], 'Server room and 2 more'],
])('where a plan goes: %j', (names, words) => expect(targetsWords(names.map((store_name) => ({ store_name })))).toBe(words));

describe('what is kept, whole', () => {
  it.each([
    [{ keep_hourly: 24, keep_yearly: 1 }, 'the last 1, 24 hours, 1 year'],
    [{ keep_within: 30, keep_within_unit: 'days' as const }, 'all of 30 days, the last 1'],
    [{ keep_within: 1, keep_within_unit: 'months' as const }, 'all of 1 month, the last 1'],
  ])('%j', (more, words) => expect(keepsSentence({ keep_last: 1, keep_daily: 0, keep_weekly: 0, keep_monthly: 0, ...more })).toBe(words));
});

describe('an exception', () => {
  it('is edited by the same form as a plan and comes back as it was', () => {
    const rule = {
      last: 2, hourly: 0, daily: 7, weekly: 0, monthly: 0, yearly: 1, minimum_age_seconds: 86_400,
      within: { count: 3, unit: 'weeks' as const }, greatest_age: null, ask_after: { count: 2, unit: 'years' as const },
    }; // prettier-ignore
    expect(ruleOf(keepingOf(rule), 2)).toEqual(rule);
    const aged = { ...rule, greatest_age: { count: 2, unit: 'years' as const }, within: null };
    expect(ruleOf(keepingOf(aged), 2)).toEqual(aged);
    expect(ruleOf({ ...keepingOf(rule), keep_minimum_age_seconds: null }, null)).toMatchObject({
      minimum_age_seconds: 604_800,
      ask_after: null,
    });
  });
});

describe('what another screen proposes to leave out', () => {
  const draft = { ...emptyDraft(['photos'], null), exclusions: [{ kind: 'photos' as const, under: 'Camera' }] };
  const kinds = [{ code: 'photos' }, { code: 'videos' }];
  test('stands among the exclusions', () =>
    expect(withLeftOut(draft, { kind: 'videos', under: 'Clips/a.mp4' }, kinds).exclusions).toEqual([
      { kind: 'photos', under: 'Camera' },
      { kind: 'videos', under: 'Clips/a.mp4' },
    ]));
  test.each([
    ['what stands there already', { kind: 'photos', under: 'camera' }],
    ['what names nothing', { kind: 'videos', under: ' ' }],
    ['what is no kind', { kind: 'smoke', under: 'Clips' }],
  ])('%s changes nothing', (_, wish) => expect(withLeftOut(draft, wish, kinds)).toBe(draft));
});

test.each([
  [['a', 'b', 'c'], 2, ['a', 'c', 'b']],
  [['a', 'b'], 1, ['b', 'a']],
  [['a', 'b'], 0, ['a', 'b']],
  [['a'], 5, ['a']],
])('%j, place %i a place earlier', (entries, at, found) => expect(earlier(entries, at)).toEqual(found));
