// @vitest-environment node

import { expect, test } from 'vitest';

import {
  lostWords,
  mendsWords,
  ADDRESS_PARTS,
  broughtWords,
  codeGroups,
  copyStateWords,
  evidenceWords,
  monthlyWords,
  readWords,
  tonightWords,
  officeSentence,
  owedWords,
  percentOf,
  policyFor,
  secondsLeft,
  storeLine,
  takenWords,
} from './words';

test('what every address of a store needs is asked for', () => {
  const required = Object.fromEntries(
    Object.entries(ADDRESS_PARTS).map(([medium, parts]) => [medium, parts.filter((part) => part.required).map((part) => part.name)]),
  );
  expect(required).toEqual({
    folder: ['path'],
    drive: ['path'],
    sftp: ['host', 'host_key', 'username', 'folder'],
    bucket: ['bucket'],
  });
  expect(Object.values(ADDRESS_PARTS).flatMap((parts) => parts.filter((part) => part.secret).map((part) => part.name))).toEqual([
    'password',
    'secret_key',
  ]);
});

test('a recovery code is laid out in its groups, each with its place', () => {
  expect(codeGroups('AB23-CD45-EF67')).toEqual([
    { place: 0, text: 'AB23' },
    { place: 1, text: 'CD45' },
    { place: 2, text: 'EF67' },
  ]);
});

test.each([
  ['owed', 'owed'],
  ['copying', 'under way'],
  ['failed', 'not copied'],
  ['missing', 'missing'],
  ['removing', 'being removed'],
  ['present', 'present'],
])('a copy that is %s', (state, words) => expect(copyStateWords(state)).toBe(words));

const sums = { store_id: 's', owed: 0, due: 0, under_way: 0, failed: 0, owed_since: null, owed_bytes: 0 };

test.each([
  ['nothing asked', undefined, ''],
  ['nothing', {}, ''],
  ['one owed', { owed: 1 }, '1 copy owed'],
  ['thousands', { owed: 1200, under_way: 1, failed: 2 }, '1 copy under way, 1\u202f200 copies owed, 2 copies failed'],
])('what a store is owed: %s', (_, told, words) => expect(owedWords(told && { ...sums, ...told })).toBe(words));

test.each([
  ['not begun', {}, null, null],
  ['its size is not known', { done_bytes: 5, total_bytes: 0 }, null, null],
  ['half', { done_bytes: 512, total_bytes: 1024, bytes_per_second: 100 }, 50, 6],
  ['almost: no bar stands at 100 before it is there', { done_bytes: 1023, total_bytes: 1024, bytes_per_second: 0 }, 99, null],
  ['more than was told', { done_bytes: 2048, total_bytes: 1024, bytes_per_second: 10 }, 99, 0],
])('how far a copy is: %s', (_, progress, percent, left) => {
  expect(percentOf(progress)).toBe(percent);
  expect(secondsLeft(progress)).toBe(left);
});

const store = { id: 's', medium: 'bucket', mode: 'in_use', off_site: true, trouble: '', drive_state: '', rests_in: '' } as const;
test.each([
  [{ ...store, drive_state: 'out', rests_in: 'the safe' } as const, 'not plugged in, in the safe'],
  [{ ...store, drive_state: 'out' } as const, 'not plugged in'],
  [{ ...store, drive_state: 'parted' } as const, 'safe to take away'],
  [store, 'bucket in a cloud, off site'],
  [{ ...store, trouble: 'It does not answer.' }, 'It does not answer.'],
  [{ ...store, mode: 'paused', trouble: 'It does not answer.' } as const, 'paused'],
  [{ ...store, medium: 'folder', off_site: false } as const, 'folder'],
  [{ ...store, mode: 'read_only' } as const, 'read only'],
  [{ ...store, mode: 'retired' } as const, 'retired'],
])('the line below a store: %o', (one, words) => expect(storeLine(one)).toBe(words));

test.each([
  ['none', [], [], 'Nothing can be backed up without a store.'],
  ['one at home', [{ ...store, off_site: false }], [], '1 store, none off site. Every backup lies in each store that its plan names.'],
  ['copies', [store, { ...store, off_site: false }], [{ ...sums, owed: 3 }], '2 stores, 1 off site. 3 copies are on the way.'],
  [
    'what waits for a drive',
    [{ ...store, drive_state: 'out' } as const],
    [{ ...sums, store_id: 's', owed: 71 }],
    '1 store, all off site. 71 copies wait for drives that are not plugged in.',
  ],
  ['trouble', [{ ...store, trouble: 'x' }], [{ ...sums, failed: 1 }], '1 store, all off site. 1 store cannot be reached. 1 copy failed.'],
  [
    'a paused one is not away',
    [{ ...store, mode: 'paused', trouble: 'x' } as const],
    [],
    '1 store, all off site. Every backup lies in each store that its plan names.',
  ],
])('the office in a sentence: %s', (_, stores, told, words) => expect(officeSentence(stores, told)).toBe(words));

test('the rights that are asked for name this bucket and this part of it, and the removal of versions', () => {
  const policy = JSON.parse(policyFor('saltmarsh', 'office')) as { Statement: { Action: string[]; Resource: string[] }[] };
  expect(policy.Statement.map((one) => one.Resource[0])).toEqual(['arn:aws:s3:::saltmarsh', 'arn:aws:s3:::saltmarsh/office/*']);
  expect(policy.Statement[1]?.Action).toContain('s3:DeleteObjectVersion');
  const whole = JSON.parse(policyFor('saltmarsh', '')) as typeof policy;
  expect(whole.Statement[1]?.Resource).toEqual(['arn:aws:s3:::saltmarsh/*']);
});

test('what is secret of an address is typed as a password', () => {
  expect(ADDRESS_PARTS.bucket.filter((part) => part.secret).map((part) => part.name)).toEqual(['secret_key']);
});

test.each([
  [{ grounds: ['id'] as const, other_serial: false, overlaps: false }, 'its backups carry the id that the list has'],
  [{ grounds: ['serial', 'holder'] as const, other_serial: false, overlaps: false }, 'the same serial number, the same holder'],
  [
    { grounds: ['holder'] as const, other_serial: true, overlaps: true },
    'the same holder; but another serial number, and it has backups of its own from the same time',
  ],
])('what speaks for a known device: %o', (one, words) => expect(evidenceWords({ ...one, grounds: [...one.grounds] })).toBe(words));

const slot = { kind: 'passphrase', by_a_person: true, device: '' } as const;
test.each([
  [[], 'If this server burned tonight, nobody could open it.'],
  [[{ ...slot, kind: 'key_file', by_a_person: false } as const], 'If this server burned tonight, nobody could open it.'],
  [[{ ...slot, device: 'Orlo P5' }], 'If this server burned tonight, nobody could open it.'],
  [[slot], 'If this server burned tonight, 1 passphrase would open it, and nothing else.'],
  [
    [slot, slot, { ...slot, kind: 'recovery_code' } as const],
    'If this server burned tonight, 2 passphrases and 1 recovery code would open it, and nothing else.',
  ],
])('who could open it tonight: %o', (slots, words) => expect(tonightWords(slots)).toBe(words));

test('what another server knew is told by what of it is new, and what comes later', () => {
  const nothing = { devices: [], plans: [], holders: [], closed_days: 0, holds: 0, there: 0 };
  expect(broughtWords(nothing)).toBe('All of it is here already.');
  expect(broughtWords({ ...nothing, there: 3 })).toBe('All of it is here already.');
  expect(broughtWords({ ...nothing, devices: ['a'], holders: ['b', 'c'], there: 1, holds: 1 })).toBe(
    'New here: 1 device, 2 holders. 1 device or plan is here already. 1 hold comes with the backups.',
  );
  expect(takenWords({ devices: 1, plans: 0, holders: 2, closed_days: 3 })).toBe('Taken over: 1 device, 0 plans, 2 holders, 3 closed days.');
});

test.each([
  [100 * 1024 ** 3, 230, '2.30 EUR'],
  [0, 230, '0.00 EUR'],
  [1024 ** 2, 230, 'less than 0.01 EUR'],
  [1024 ** 4, 0, '0.00 EUR'],
])('%d bytes at %d ten-thousandths a GiB cost %s', (stored_bytes, price_gib_month, told) => {
  expect(monthlyWords({ stored_bytes, price_gib_month, currency: 'EUR' })).toBe(told);
});

test.each([
  [0, 1000, 14, '0 % of it was read at least once; a share is read each night, everything within 14 days.'],
  [999, 1000, 1, '99 % of it was read at least once; a share is read each night, everything within 1 day.'],
  [1000, 1000, null, 'All of it was read at least once; nothing is read by itself.'],
  [0, 1, null, '0 % of it was read at least once; nothing is read by itself.'],
  [0, 0, 7, 'All of it was read at least once; a share is read each night, everything within 7 days.'],
])('%d of %d bytes read, within %s days', (read_bytes, total_bytes, days, words) =>
  expect(readWords({ read_bytes, total_bytes }, days)).toBe(words),
);

test.each([
  ['nobody can tell', [], 'nobody can tell what; all of it may be'],
  ['one', [{ label: 'Photos', items: 1, names: ['tide.jpg'] }], '1 item of photos (tide.jpg)'],
  [
    'more than are named, and a kind without names',
    [
      { label: 'Photos', items: 30, names: ['a.jpg', 'b.jpg'] },
      { label: 'Notes', items: 2, names: [] },
    ],
    '30 items of photos (a.jpg, b.jpg, and 28 more); 2 items of notes',
  ],
])('what is lost: %s', (_, lost, says) => expect(lostWords(lost)).toBe(says));

test('what mends it', () => {
  expect(mendsWords(['Boathouse'])).toContain('whole in Boathouse');
  expect(mendsWords([])).toContain('with its next run');
});
