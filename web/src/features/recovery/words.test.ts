// @vitest-environment node

import { describe, expect, test } from 'vitest';

import type { Schemas } from '../../api/client';
import { closing, columnsOf, CONFLICTS, doing, isGone, laidOut, LEAST_LOSS, REPORT_COLUMNS, wentTo } from './words';

type Restore = Schemas['Restore'];
type Row = Restore['report'][number];

const row = (more: Partial<Row>): Row => ({
  kind: 'photos',
  label: 'Photos',
  chosen: 1,
  written: 2,
  added: 3,
  replaced: 4,
  same: 5,
  left: 6,
  expected: 7,
  found: 8,
  damaged: [],
  ...more,
});
const restore = (more: object): Restore =>
  ({
    state: 'complete',
    target: 'device',
    device_name: 'Orlo P5',
    device_holder: 'S. Ito',
    cause: '',
    report: [],
    ...more,
  }) as unknown as Restore;

describe('a restore’s report', () => {
  test('shows each count under its own name', () => {
    expect(REPORT_COLUMNS.map((column) => [column.label, column.count(row({}))])).toEqual([
      ['Chosen', 1],
      ['Written', 2],
      ['Added beside', 3],
      ['Replaced', 4],
      ['The same already', 5],
      ['Left as it is', 6],
      ['Expected', 7],
      ['Found', 8],
    ]);
  });

  test('nothing on the device is lost unless somebody chooses it', () => {
    expect([LEAST_LOSS, CONFLICTS[0].value]).toEqual(['keep_both', 'keep_both']);
  });
});

describe('an export', () => {
  const archive = restore({ target: 'archive', file_name: 'H1.zip', file_bytes: 5 });
  const folder = restore({ target: 'folder', folder: '/srv/x', file_name: '', file_bytes: null });

  test('shows no counts of what was there before', () => {
    expect(columnsOf(archive).map((column) => column.label)).toEqual(['Chosen', 'Written', 'Expected', 'Found']);
    expect(columnsOf(restore({}))).toEqual(REPORT_COLUMNS);
  });

  test('is gone once its file is, and a folder never is by that', () => {
    expect([archive, restore({ target: 'archive', file_name: '', file_bytes: 5 }), folder, restore({ file_name: '' })].map(isGone)).toEqual(
      [false, true, false, false],
    );
  });

  test('says where it went, and what it is', () => {
    expect([wentTo(archive), wentTo(folder), wentTo(restore({ device_holder: 'S. Ito' }))]).toEqual([
      'into an archive',
      'into the folder /srv/x',
      'to Orlo P5, S. Ito',
    ]);
    expect(laidOut({ folder: '', layout: 'bag', locked: true })).toBe('archive, as a bag, under a passphrase');
    expect(laidOut({ folder: '/srv/x', layout: 'files', locked: false })).toBe('folder');
    expect([doing('device', 'Orlo P5'), doing('device', ''), doing('archive', 'Orlo P5'), doing('folder', '')]).toEqual([
      'Write to Orlo P5',
      'Write to the device',
      'Make the archive',
      'Write into the folder',
    ]);
  });
});

describe('what a restore ended with', () => {
  test.each([
    ['goes on', restore({ state: 'running' }), ''],
    ['failed', restore({ state: 'failed', cause: 'It went away.' }), 'It failed. It went away.'],
    ['was stopped', restore({ state: 'stopped', cause: 'By Ines.' }), 'By Ines.'],
    [
      'one item, proven by content',
      restore({ report: [row({ expected: 1, found: 1, proven_by: 'content' })] }),
      '1 item expected on Orlo P5, S. Ito, 1 item found there, each compared by its content.',
    ],
    [
      'by name and size only is said',
      restore({ report: [row({ expected: 2, found: 2, proven_by: 'size' })] }),
      '2 items expected on Orlo P5, S. Ito, 2 items found there, compared by content, photos by name and size only, because the device tells no digests.',
    ],
    [
      'an archive of thousands',
      restore({ target: 'archive', report: [row({ expected: 12_000, found: 12_000 })] }),
      '12\u202f000 items expected in the archive, 12\u202f000 items found there, each read whole from the store.',
    ],
    [
      'apps go on loading',
      restore({ report: [row({ kind: 'apps', expected: 1, found: 1, proven_by: 'content' })] }),
      '1 item expected on Orlo P5, S. Ito, 1 item found there, each compared by its content. Apps may go on loading for a while: leave the device alone until they have.',
    ],
    [
      'what is lacking is counted',
      restore({
        state: 'partial',
        report: [
          row({ expected: 5, found: 2, missing_count: 1, damaged: ['IMG 1', 'IMG 2'], refused: [['a', 'full']], proven_by: 'content' }),
        ],
      }),
      '5 items expected on Orlo P5, S. Ito, 2 items found there, each compared by its content. 1 item missing or other than it should be, 2 items damaged in the store, 1 item refused by the place: named below.',
    ],
  ])('%s', (_, told, words) => expect(closing(told)).toBe(words));
});
