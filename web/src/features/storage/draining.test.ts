// @vitest-environment node

import { expect, test } from 'vitest';

import { outlookLines, retireSentence } from './draining';

const outlook = {
  into_id: 'i', into_name: 'New shelf', here: 4, there: 1, moving: 3, moving_bytes: 2048, under_way: 0, failed: 0, elsewhere: 0, lost_count: 0,
  lost: [], plans: [], done: false, digest: '',
}; // prettier-ignore
const lost = { backup_id: 'b', device_name: 'P4', holder: 'Ansa', finished_at: '2026-03-02T22:00:00Z', damaged: true };

test.each([
  ['to be made', {}, ['4 backups lie here; 1 of them there already.', '3 copies are to be made, of 2 KiB at the most.']],
  ['nothing any more', { here: 1, moving: 0 }, ['1 backup lies here; 1 of them there already.']],
  [
    'everything at once',
    { failed: 1, elsewhere: 2, lost: [lost], plans: ['Nightly', 'Phones'], moving: 1 },
    [
      '4 backups lie here; 1 of them there already.',
      '1 copy is to be made, of 2 KiB at the most.',
      '1 copy could not be made; the list of copies says why.',
      '2 backups are not copied: the rule there would not keep it, and another store holds it.',
      '1 backup is damaged here and whole nowhere: it cannot be copied.',
      'Nightly, Phones go to New shelf from then on.',
    ],
  ],
])('%s', (_, changes, lines) => expect(outlookLines({ ...outlook, ...changes })).toEqual(lines));

test('giving up says whether anything is lost', () => {
  expect(retireSentence(outlook)).toContain('lies whole in another store');
  expect(retireSentence({ ...outlook, lost_count: 1 })).toContain('1 backup would lie whole in no store any more');
});
