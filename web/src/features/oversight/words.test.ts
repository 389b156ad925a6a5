// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { chosenColumns, EXTRA_COLUMNS, toggledColumn } from './columns';
import { byTeam, lastRun, type DeviceRow, type TeamSum } from './words';

const row = (more: Partial<DeviceRow>): DeviceRow =>
  ({ standing: 'on_time', device_state: 'in_use', link: 'agent', paired: true, accepted: true, team_id: 1, ...more }) as DeviceRow;

describe('what the last run says of a device', () => {
  test.each<[Partial<DeviceRow>, string]>([
    [{ last_state: 'complete' }, ''],
    [{ last_state: 'partial' }, ''],
    [{ last_state: 'failed', last_cause: 'It was locked.' }, 'It was locked.'],
    [{ last_state: 'failed', last_cause: null }, ''],
    [{ active_run: 'r', active_cause: null }, 'a run is under way'],
    [{ active_run: 'r', active_cause: 'it is away' }, 'tries again: it is away'],
    [{ standing: 'lost', last_state: 'failed', last_cause: 'x' }, 'lost'],
    [{ standing: 'retired' }, 'retired'],
    [{ device_state: 'in_repair' }, 'in repair'],
    [{ device_state: 'left' }, 'left behind'],
    [{ device_state: 'away', away_until: '2026-12-01' }, 'away until 2026-12-01'],
    [{ device_state: 'away', away_until: null }, 'away'],
    [{ link: 'none' }, 'in the register only, not linked yet'],
    [{ paired: false }, 'not paired'],
    [{ link: 'folder', paired: false }, ''],
    [{ accepted: false }, 'its holder has not said yes'],
  ])('%j', (more, words) => expect(lastRun(row(more))).toBe(words));
});

test('rows stand under the team that the server summed up, also one whose rows lie on another page', () => {
  const sums = [{ id: 1 }, { id: 2 }, { id: null }] as TeamSum[];
  const rows = [row({ id: 'a' }), row({ id: 'b', team_id: null })];
  expect(byTeam(rows, sums).map((group) => group.rows.map((one) => one.id))).toEqual([['a'], [], ['b']]);
});

describe('columns in the address', () => {
  test.each([
    [null, 'serial', 'serial'],
    ['serial', 'serial', ''],
    ['note,serial', 'system', 'system,serial,note'],
    ['nonsense,serial', 'note', 'serial,note'],
  ])('%j and %s', (written, code, next) => expect(toggledColumn(written, code)).toBe(next));

  test('unknown ones are left out', () => expect(chosenColumns('nonsense,full').map((column) => column.code)).toEqual(['full']));

  test.each([
    ['full', { storage_total_bytes: 4 * 1024 ** 3, storage_used_bytes: 1024 ** 3 }, '25 % of 4 GiB'],
    ['full', { storage_total_bytes: null }, '–'],
    ['system', { family_label: 'Orlo', os_version: '' }, 'Orlo'],
    ['bought', { purchased_on: '2026-03-29' }, 'Sun, 29 Mar 2026'],
    ['handed', { handed_over_on: null }, '–'],
  ])('%s of %j', (code, more, words) => {
    expect(EXTRA_COLUMNS.find((column) => column.code === code)?.text(row(more as Partial<DeviceRow>))).toBe(words);
  });
});
