// @vitest-environment node

import { describe, expect, test } from 'vitest';

import { NO_EXPORT, asked, type Going } from './exports';

const things = { everything: true, kinds: [], items: [] };
const going = (more: Partial<Going>): Going => ({
  ...NO_EXPORT,
  target: 'archive',
  device: 'd1',
  whenThere: 'keep_both',
  locked: true,
  passphrase: 'marram samphire',
  again: 'marram',
  folder: '/srv/x',
  keeper: 3,
  until: '2026-12-31',
  layout: 'bag',
  ...more,
});

describe('what the server is asked', () => {
  test('of an archive: its passphrase, no folder, no device', () => {
    expect(asked('b1', things, going({}))).toMatchObject({
      target: 'archive',
      device: null,
      layout: 'bag',
      passphrase: 'marram samphire',
      passphrase_again: 'marram',
      folder: '',
      keeper: null,
      until: null,
    });
  });

  test('a passphrase that was typed and switched off is not sent', () => {
    expect(asked('b1', things, going({ locked: false }))).toMatchObject({ passphrase: '', passphrase_again: '' });
  });

  test('of a folder: whose and until when, and never a passphrase', () => {
    expect(asked('b1', things, going({ target: 'folder' }))).toMatchObject({
      folder: '/srv/x',
      keeper: 3,
      until: '2026-12-31',
      passphrase: '',
      passphrase_again: '',
    });
    expect(asked('b1', things, going({ target: 'folder', until: '' })).until).toBeNull();
  });

  test('of a device: nothing of an export', () => {
    expect(asked('b1', things, going({ target: 'device' }))).toMatchObject({
      device: 'd1',
      layout: 'files',
      passphrase: '',
      folder: '',
      until: null,
    });
  });
});
