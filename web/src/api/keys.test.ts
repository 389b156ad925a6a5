// @vitest-environment node

import { QueryClient } from '@tanstack/react-query';
import { describe, expect, test } from 'vitest';

import { CHANGES, key, SUBJECTS, touch, type Change } from './keys';

function asked(...keys: (readonly unknown[])[]): QueryClient {
  const queries = new QueryClient();
  for (const one of keys) queries.setQueryData(one, 'known');
  return queries;
}

const stale = (queries: QueryClient, one: readonly unknown[]) => queries.getQueryState(one)?.isInvalidated;

describe('the register', () => {
  test('every subject stands in it once', () => expect(new Set(SUBJECTS).size).toBe(SUBJECTS.length));

  test('every change touches something, and nothing twice', () => {
    for (const [name, subjects] of Object.entries(CHANGES)) {
      expect(subjects.length, name).toBeGreaterThan(0);
      expect(new Set(subjects).size, name).toBe(subjects.length);
    }
  });

  test('what nobody changes is touched by nothing', () => {
    const touched = new Set(Object.values(CHANGES).flat());
    const still = SUBJECTS.filter((subject) => !(touched as Set<string>).has(subject));
    // facts of the program; and what is asked anew whenever it is looked at
    expect(still).toEqual(['compare', 'guides', 'journal', 'kinds', 'preflight', 'server-key', 'ssh-key']);
  });
});

describe('what a change touches', () => {
  test.each<[Change, readonly unknown[], boolean]>([
    ['run', key('devices', 'one'), true],
    ['run', key('today'), true],
    ['run', key('users'), false],
    ['store', key('stores', 'one', 'differences'), true],
    ['store', key('plans'), false],
    ['telling', key('hooks'), true],
    ['telling', key('devices', 'one'), false],
    ['account', key('users'), true],
    ['incident', key('anomalies', true), true],
  ])('%s and %j: %s', async (change, one, untrue) => {
    const queries = asked(one);
    await touch(queries, change);
    expect(stale(queries, one)).toBe(untrue);
  });

  test('every act leaves a line in the journal, so it is asked again', async () => {
    const queries = asked(key('journal', 1));
    await touch(queries, 'telling');
    expect(stale(queries, key('journal', 1))).toBe(true);
  });

  test('an act that changes nothing touches nothing', async () => {
    const queries = asked(key('journal', 1), key('today'));
    await touch(queries);
    expect([stale(queries, key('journal', 1)), stale(queries, key('today'))]).toEqual([false, false]);
  });
});
