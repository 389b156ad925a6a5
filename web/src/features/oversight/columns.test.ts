import { expect, test } from 'vitest';

import { chosenColumns, EXTRA_COLUMNS, ORDERS, DEVICE_ORDERS, toggledColumn } from './columns';
import type { DeviceRow } from './words';

const ROW = {
  family_label: 'Orlo',
  os_version: '9.2',
  make: 'Harrow',
  model: 'P5',
  serial: '',
  asset_tag: 'A-1',
  storage_total_bytes: 64 * 2 ** 30,
  storage_used_bytes: 16 * 2 ** 30,
  link_label: 'agent',
  purchased_on: '2024-02-29',
  handed_over_on: null,
  note: 'n',
} as unknown as DeviceRow;

const cell = (code: string, row: DeviceRow = ROW) => EXTRA_COLUMNS.find((column) => column.code === code)?.text(row);

test('what each column says of a device', () => {
  expect(EXTRA_COLUMNS.map((column) => [column.code, column.text(ROW)])).toEqual([
    ['system', 'Orlo 9.2'],
    ['model', 'Harrow P5'],
    ['serial', '–'],
    ['tag', 'A-1'],
    ['full', '25 % of 64 GiB'],
    ['link', 'agent'],
    ['bought', 'Thu, 29 Feb 2024'],
    ['handed', '–'],
    ['note', 'n'],
  ]);
});

test('of a device that tells nothing there is a dash and no space before or behind', () => {
  const silent = {
    ...ROW,
    os_version: '',
    model: '',
    serial: 'S',
    asset_tag: '',
    storage_total_bytes: null,
    purchased_on: null,
    handed_over_on: '2026-01-02',
  };
  expect(['system', 'model', 'serial', 'tag', 'full', 'bought', 'handed'].map((code) => cell(code, silent as DeviceRow))).toEqual([
    'Orlo',
    'Harrow',
    'S',
    '–',
    '–',
    '–',
    'Fri, 2 Jan 2026',
  ]);
  expect(cell('full', { ...ROW, storage_used_bytes: null })).toBe('0 % of 64 GiB');
});

test('columns in the address: known ones in their own order, each once', () => {
  expect(chosenColumns(null)).toEqual([]);
  expect(chosenColumns('note,nonsense,system,note').map((column) => column.code)).toEqual(['system', 'note']);
  expect(toggledColumn(null, 'note')).toBe('note');
  expect(toggledColumn('note', 'system')).toBe('system,note');
  expect(toggledColumn('system,note', 'system')).toBe('note');
  expect(toggledColumn('note', 'note')).toBe('');
  expect(toggledColumn('note', 'nonsense')).toBe('note');
});

test('each order has its words', () => {
  expect(ORDERS.map((order) => order.value)).toEqual([...DEVICE_ORDERS]);
  expect(new Set(ORDERS.map((order) => order.label)).size).toBe(DEVICE_ORDERS.length);
  const sorted = EXTRA_COLUMNS.flatMap((column) => (column.order ? [column.order] : []));
  sorted.forEach((order) => expect(DEVICE_ORDERS).toContain(order));
});
