// @vitest-environment node

import { QueryClient } from '@tanstack/react-query';
import { expect, test } from 'vitest';

import { key } from '../api/keys';
import { take } from './LiveLine';

function queries(): QueryClient {
  const client = new QueryClient();
  client.setQueryData(key('run', 'r1'), { state: 'running', progress: { stage: 'reading', read_bytes: 1 }, note: 'mine' });
  for (const one of [key('runs', {}), key('devices', {}), key('stores'), key('night', 'coming'), key('plans'), key('me'), key('erasures')])
    client.setQueryData(one, 'known');
  return client;
}

const stale = (client: QueryClient, one: readonly unknown[]) => client.getQueryState(one)?.isInvalidated;

test('a run that goes on is shown from the event, and nothing is asked', () => {
  const client = queries();
  take(client, { topic: 'run', id: 'r1', state: { stage: 'reading', read_bytes: 9 } });
  expect(client.getQueryData(key('run', 'r1'))).toEqual({ state: 'running', progress: { stage: 'reading', read_bytes: 9 }, note: 'mine' });
  expect([stale(client, key('run', 'r1')), stale(client, key('runs', {}))]).toEqual([false, false]);
});

test('a run that enters another stage is asked again: its log has grown', () => {
  const client = queries();
  take(client, { topic: 'run', id: 'r1', state: { stage: 'closing' } });
  expect([stale(client, key('run', 'r1')), stale(client, key('runs', {}))]).toEqual([true, false]);
});

test('a run that begins is asked again, whatever stage it was told to be in', () => {
  const client = queries();
  client.setQueryData(key('run', 'r1'), { state: 'waiting', progress: { stage: 'reading' } });
  take(client, { topic: 'run', id: 'r1', state: { stage: 'reading' } });
  expect(stale(client, key('run', 'r1'))).toBe(true);
});

test('a run that ended touches what runs touch, and no more', () => {
  const client = queries();
  take(client, { topic: 'run', id: 'r1', state: null });
  expect(
    [key('run', 'r1'), key('runs', {}), key('devices', {}), key('night', 'coming'), key('plans')].map((one) => stale(client, one)),
  ).toEqual([true, true, true, true, false]);
});

test.each([
  ['stores', key('stores'), key('plans')],
  ['line_up', key('night', 'coming'), key('stores')],
  ['erasures', key('erasures'), key('stores')],
  ['devices', key('devices', {}), key('me')],
])('what changed is %s', (id, touched, untouched) => {
  const client = queries();
  take(client, { topic: 'changed', id, state: null });
  expect([stale(client, touched), stale(client, untouched)]).toEqual([true, false]);
});

test('after the line was broken nobody knows what was missed: everything is asked again', () => {
  const client = queries();
  take(client, { topic: 'again', id: '', state: null });
  expect(stale(client, key('plans'))).toBe(true);
});

test('a session that ended asks who is signed in', () => {
  const client = queries();
  take(client, { topic: 'session', id: '', state: null });
  expect([stale(client, key('me')), stale(client, key('plans'))]).toEqual([true, false]);
});
