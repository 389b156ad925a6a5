// @vitest-environment node

import { expect, test } from 'vitest';

import { EVIDENCE, LACKS, lackWords, stepOf } from './threeTwoOne';

test.each([
  ['run', '/devices/d', 'Run now'],
  ['plan', '/plans', 'Give it a plan'],
  ['target', '/plans/p', 'Give its plan another store'],
  ['wait', '/storage/copies', 'Look what is on its way'],
  ['check', '/storage', 'Have a store read'],
] as const)('the step %s leads to %s', (step, to, says) => expect(stepOf({ step, device_id: 'd', plan_id: 'p' })).toEqual({ to, says }));

test('where nothing is missing, or nothing can be done, there is no step', () => {
  expect(stepOf({ step: 'none', device_id: 'd', plan_id: 'p' })).toBeNull();
  expect(stepOf({ step: 'target', device_id: 'd', plan_id: null })).toBeNull();
});

test('every lack has its words and its filter', () => {
  const filters = LACKS.map((one) => one.value).filter((value) => value !== '' && value !== 'any');
  expect(filters.map(lackWords)).toEqual(['any backup', 'a third copy', 'one off site', 'a second medium', 'a check in the last 30 days']);
});

test('the evidence counts devices', () => {
  const told = { devices: 38, planned: 37, backed_up: 36, encrypted: 1, off_site: 20, checked: 0, drilled: 3 };
  expect(EVIDENCE.map(({ says }) => says(told))).toEqual([
    '37 of 38 devices follow a plan, 36 have a backup',
    'every store is sealed; of 1 of 38 devices the newest backup came encrypted',
    '20 of 38 devices have a copy off site',
    '0 of 38 devices have a backup that was read again, 3 one that was restored on trial',
  ]);
});
