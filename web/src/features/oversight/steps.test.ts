import { expect, test } from 'vitest';

import { stepAddress } from './steps';

type Step = Parameters<typeof stepAddress>[0];
const cause = (step: string, more: Partial<Step> = {}): Step => ({
  step,
  store_id: null,
  count: 2,
  code: 'late link.locked',
  devices: [{ id: 'd1' }, { id: 'd2' }],
  ...more,
});
const one = { count: 1, devices: [{ id: 'd1' }] };

test('of one device its own page, of many the list of them', () => {
  expect(stepAddress(cause('open', one))).toBe('/devices/d1#ready');
  expect(stepAddress(cause('coverage', one))).toBe('/devices/d1/coverage');
  for (const step of ['open', 'coverage']) {
    expect(stepAddress(cause(step))).toBe('/devices?order=lateness&cause=late%20link.locked');
    expect(stepAddress(cause(step, { count: 1, devices: [] }))).toBe('/devices?order=lateness&cause=late%20link.locked');
  }
});

test('every other step has its place', () => {
  expect(
    ['plan', 'pair', 'anomalies', 'night', 'clock', 'holds', 'erasing', 'drives', 'drills', 'restart'].map((step) =>
      stepAddress(cause(step)),
    ),
  ).toEqual([
    '/plans',
    '/devices/add',
    '/anomalies',
    '/night?shows=did_not',
    '/office#clock',
    '/holds?end=unseen',
    '/erasing',
    '/storage/drives',
    '/drills',
    null,
  ]);
});

test('room is made in the store that lacks it, and for tonight where tonight lacks it', () => {
  expect(stepAddress(cause('room'))).toBe('/storage');
  expect(stepAddress(cause('room', { store_id: 's' }))).toBe('/storage/s/room');
  expect(stepAddress(cause('room', { store_id: 's', code: 'no_room s' }))).toBe('/storage/s/room?for=tonight');
  expect(stepAddress(cause('storage', { store_id: 's' }))).toBe('/storage/s');
  expect(stepAddress(cause('storage'))).toBe('/storage');
});
