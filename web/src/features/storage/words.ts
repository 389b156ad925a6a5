/** Wording and arithmetic of stores, and of copies on their way to them. */
import type { Schemas } from '../../api/client';
import { counted } from '../../ui/format';
import { MEDIUM_WORDS, type Medium } from '../../parts/media';

export type { Medium };

export type Mode = Schemas['Store']['mode'];
export type ComingState = Schemas['ComingCopy']['state'];

/** The groups of a recovery code, each with its place, so that they can be laid out and copied by hand. */
export function codeGroups(code: string): { place: number; text: string }[] {
  return code.split('-').map((text, place) => ({ place, text }));
}

const STATE_WORDS: Record<string, string> = {
  owed: 'owed',
  copying: 'under way',
  failed: 'not copied',
  missing: 'missing',
  removing: 'being removed',
};

/** A copy that is neither simply there nor simply gone, in a word or two. */
export const copyStateWords = (state: string): string => STATE_WORDS[state] ?? state;

export const MEDIA: readonly { value: Medium; label: string; explains: string }[] = [
  { value: 'folder', label: 'Folder', explains: 'A folder on this server, on its own disk or one that is always mounted there.' },
  {
    value: 'drive',
    label: 'Removable drive',
    explains: 'A drive that may be taken out, also for weeks. It is known by what lies on it; copies for it wait until it is back.',
  },
  {
    value: 'sftp',
    label: 'Another computer',
    explains: 'A folder of a computer that runs an SSH server, in the office or elsewhere. Everything is sealed before it leaves.',
  },
  { value: 'bucket', label: 'Bucket in a cloud', explains: 'A bucket of an S3-compatible service. Everything is sealed before it leaves.' },
];

export const MODES: readonly { value: Mode; label: string; explains: string }[] = [
  { value: 'in_use', label: 'In use', explains: 'Runs and copies go there, and rules remove from there.' },
  { value: 'read_only', label: 'Read only', explains: 'Restores and checks read it. Nothing is written and nothing leaves.' },
  { value: 'paused', label: 'Paused', explains: 'Restores read it; everything else waits.' },
  { value: 'detached', label: 'Detached', explains: 'It is not looked for. What lies there stays in the list and counts for nothing.' },
];

export const RETIRED = {
  label: 'Retired',
  explains: 'It was given up: it is no store any more. Nothing in it was touched; taken into use again, what lies there is found.',
};

export interface AddressPart {
  name: string;
  label: string;
  placeholder?: string;
  hint?: string;
  required?: boolean;
  secret?: boolean;
  /** Said by a tick instead of words: `yes`, or empty. */
  ticked?: boolean;
}

const PATH: AddressPart = { name: 'path', label: 'Folder on the server', placeholder: '/srv/backups', required: true };

/** What an address of each medium is made of. */
export const ADDRESS_PARTS: Record<Medium, readonly AddressPart[]> = {
  folder: [PATH],
  drive: [{ ...PATH, placeholder: '/media/drive-blue', hint: 'Where the drive is mounted now. It may be mounted elsewhere later.' }],
  sftp: [
    { name: 'host', label: 'Computer', placeholder: 'shed.example.net', required: true },
    { name: 'port', label: 'Port', placeholder: '22' },
    { name: 'host_key', label: 'Its key', required: true, hint: 'As it shows it itself. From then on every other key is refused.' },
    { name: 'username', label: 'Account there', required: true },
    { name: 'password', label: 'Password', secret: true, hint: "Empty to sign in with this server's own key." },
    { name: 'folder', label: 'Folder there', placeholder: '/srv/backups', required: true, hint: 'It has to be there already.' },
  ],
  bucket: [
    { name: 'endpoint', label: 'Address of the service', placeholder: 'https://s3.example.net', hint: 'Empty for the default of S3.' },
    { name: 'bucket', label: 'Bucket', placeholder: 'saltmarsh-backups', required: true, hint: 'It has to be there already.' },
    { name: 'prefix', label: 'Part of the bucket', placeholder: 'office', hint: 'Empty for the whole bucket.' },
    { name: 'region', label: 'Region', placeholder: 'eu-north-1', hint: 'As the provider names it; often it may be left empty.' },
    {
      name: 'inside',
      label: "It lies in the office's own network",
      ticked: true,
      hint: 'Otherwise an address that leads inside is refused, whatever name it has.',
    },
    { name: 'access_key', label: 'Access key' },
    { name: 'secret_key', label: 'Secret key', secret: true, hint: 'It is kept sealed and never shown again.' },
  ],
};

/** The rights that a key needs, as a policy that most providers take as it is. */
export function policyFor(bucket: string, prefix: string): string {
  const name = bucket || 'BUCKET';
  const below = prefix ? `${prefix}/*` : '*';
  const allow = (actions: string[], resource: string) => ({
    Effect: 'Allow',
    Action: actions.map((action) => `s3:${action}`),
    Resource: [`arn:aws:s3:::${resource}`],
  });
  return JSON.stringify(
    {
      Version: '2012-10-17',
      Statement: [
        allow(
          ['ListBucket', 'ListBucketVersions', 'ListBucketMultipartUploads', 'GetBucketVersioning', 'GetBucketObjectLockConfiguration'],
          name,
        ),
        allow(
          ['GetObject', 'GetObjectVersion', 'PutObject', 'DeleteObject', 'DeleteObjectVersion', 'AbortMultipartUpload'],
          `${name}/${below}`,
        ),
      ],
    },
    null,
    2,
  );
}

export const TRIAL_STEPS: Record<Schemas['TrialResult']['step'], string> = {
  reach: 'Reach it',
  content: 'What lies there',
  write: 'Write',
  exclusive: 'Never write over',
  read: 'Read back',
  list: 'List',
  remove: 'Remove',
  speed: 'Speed',
  clock: 'Clock',
  room: 'Room',
  versions: 'Versions',
};

type Sums = Schemas['CopySums'];

/** What a store is owed, in one line; nothing when it has all it should have. */
export function owedWords(sums: Sums | undefined): string {
  if (!sums) return '';
  const parts = [];
  if (sums.under_way) parts.push(`${counted(sums.under_way, 'copy', 'copies')} under way`);
  if (sums.owed) parts.push(`${counted(sums.owed, 'copy', 'copies')} owed`);
  if (sums.failed) parts.push(`${counted(sums.failed, 'copy', 'copies')} failed`);
  return parts.join(', ');
}

/** How far a copy is, from 0 to 99: it is whole once the store has listed it, and then it is on its way no more. */
export function percentOf(progress: Schemas['CopyProgress']): number | null {
  const { done_bytes: done, total_bytes: total } = progress;
  return done === undefined || !total ? null : Math.min(99, Math.floor((done * 100) / total));
}

/** What remains of a copy, in seconds; nothing while that cannot be told. */
export function secondsLeft(progress: Schemas['CopyProgress']): number | null {
  const { done_bytes: done, total_bytes: total, bytes_per_second: speed } = progress;
  return done === undefined || !total || !speed ? null : Math.max(0, Math.ceil((total - done) / speed));
}

type Store = Schemas['Store'];

export const mediumWord = (medium: Medium): string => MEDIA.find((one) => one.value === medium)?.label ?? medium;

/** What stands below a store's name: what is wrong, or what it is. */
export function storeLine(store: Pick<Store, 'medium' | 'mode' | 'off_site' | 'trouble' | 'drive_state' | 'rests_in'>): string {
  if (store.mode !== 'in_use') return MODES.find((one) => one.value === store.mode)?.label.toLowerCase() ?? store.mode;
  if (store.trouble) return store.trouble;
  if (store.drive_state === 'out') return `not plugged in${store.rests_in ? `, in ${store.rests_in}` : ''}`;
  if (store.drive_state === 'parted') return 'safe to take away';
  return [MEDIUM_WORDS[store.medium], store.off_site && 'off site'].filter(Boolean).join(', ');
}

/** The state of all stores in a sentence or two. */
export function officeSentence(
  stores: readonly Pick<Store, 'id' | 'mode' | 'off_site' | 'trouble' | 'drive_state'>[],
  sums: readonly Sums[],
): string {
  if (stores.length === 0) return 'Nothing can be backed up without a store.';
  const away = stores.filter((store) => store.mode === 'in_use' && store.trouble).length;
  const outside = stores.filter((store) => store.off_site).length;
  const parts = [
    `${counted(stores.length, 'store')}, ${outside === 0 ? 'none off site' : outside === stores.length ? 'all off site' : `${outside} off site`}.`,
  ];
  if (away) parts.push(`${counted(away, 'store')} cannot be reached.`);
  const out = new Set(stores.filter((store) => store.drive_state === 'out').map((store) => store.id));
  const waiting = sums.reduce((sum, one) => sum + (out.has(one.store_id) ? one.owed : 0), 0);
  const owed = sums.reduce((sum, one) => sum + one.owed + one.under_way, 0) - waiting;
  const failed = sums.reduce((sum, one) => sum + one.failed, 0);
  if (owed) parts.push(`${counted(owed, 'copy is', 'copies are')} on the way.`);
  if (failed) parts.push(`${counted(failed, 'copy', 'copies')} failed.`);
  if (waiting) parts.push(`${counted(waiting, 'copy waits', 'copies wait')} for drives that are not plugged in.`);
  if (!owed && !failed && !waiting) parts.push('Every backup lies in each store that its plan names.');
  return parts.join(' ');
}

type Evidence = Schemas['Evidence'];

const GROUNDS: Record<Evidence['grounds'][number], string> = {
  id: 'its backups carry the id that the list has',
  serial: 'the same serial number',
  holder_and_name: 'the same holder and name',
  holder: 'the same holder',
};

/** Why a known device is proposed for a found one, and what speaks against it. */
export function evidenceWords(one: Pick<Evidence, 'grounds' | 'other_serial' | 'overlaps'>): string {
  const against = [one.other_serial && 'another serial number', one.overlaps && 'it has backups of its own from the same time'].filter(
    Boolean,
  );
  const why = one.grounds.map((ground) => GROUNDS[ground]).join(', ');
  return against.length ? `${why}; but ${against.join(', and ')}` : why;
}

type Slot = Schemas['Slot'];

export const SLOT_WORDS: Record<Slot['kind'], string> = {
  passphrase: 'passphrase',
  recovery_code: 'recovery code',
  key_file: 'key of a server',
};

/** Who could open the store if the server burned tonight. */
export function tonightWords(slots: readonly Pick<Slot, 'kind' | 'by_a_person' | 'device'>[]): string {
  const mine = slots.filter((slot) => slot.by_a_person && !slot.device);
  const count = (kind: Slot['kind']) => mine.filter((slot) => slot.kind === kind).length;
  const parts = [
    count('passphrase') && counted(count('passphrase'), 'passphrase'),
    count('recovery_code') && counted(count('recovery_code'), 'recovery code'),
  ].filter(Boolean);
  if (parts.length === 0) return 'If this server burned tonight, nobody could open it.';
  return `If this server burned tonight, ${parts.join(' and ')} would open it, and nothing else.`;
}

/** What taking over another server's record would bring here, in one line. */
export function broughtWords(
  one: Pick<Schemas['OfferedOffice'], 'devices' | 'plans' | 'holders' | 'closed_days' | 'holds' | 'there'>,
): string {
  const parts = [
    one.devices.length && counted(one.devices.length, 'device'),
    one.plans.length && counted(one.plans.length, 'plan'),
    one.holders.length && counted(one.holders.length, 'holder'),
    one.closed_days && counted(one.closed_days, 'closed day'),
  ].filter(Boolean);
  const news = parts.length ? `New here: ${parts.join(', ')}.` : 'All of it is here already.';
  const rest = [
    one.there && parts.length && `${counted(one.there, 'device or plan is', 'devices and plans are')} here already.`,
    one.holds && `${counted(one.holds, 'hold comes', 'holds come')} with the backups.`,
  ].filter(Boolean);
  return [news, ...rest].join(' ');
}

/** What was taken over. */
export function takenWords(
  taken: Pick<Schemas['TakenOver'], 'devices' | 'plans' | 'holders' | 'closed_days'> & Partial<Schemas['TakenOver']>,
): string {
  const { devices, plans, holders, closed_days, exceptions = 0, freezes = 0, erasures = 0, rotations = 0, drill_rules = 0 } = taken;
  const always = [counted(devices, 'device'), counted(plans, 'plan'), counted(holders, 'holder'), counted(closed_days, 'closed day')];
  const seldom = [
    exceptions && counted(exceptions, 'exception'),
    freezes && 'that nothing leaves',
    erasures && counted(erasures, 'request to erase', 'requests to erase'),
    rotations && counted(rotations, 'rotation of drives', 'rotations of drives'),
    drill_rules && 'how drills are done',
  ];
  return `Taken over: ${[...always, ...seldom.filter(Boolean)].join(', ')}.`;
}

const GIB = 1024 ** 3;

/** What the bytes that lie there cost in a month. */
export function monthlyWords(store: Pick<Store, 'stored_bytes' | 'price_gib_month' | 'currency'>): string {
  const cost = ((store.stored_bytes / GIB) * (store.price_gib_month ?? 0)) / 10_000;
  return cost > 0 && cost < 0.01 ? `less than 0.01 ${store.currency}` : `${cost.toFixed(2)} ${store.currency}`;
}

/** How far a store was read through, and what happens next. */
export function readWords(reading: Pick<Schemas['Reading'], 'read_bytes' | 'total_bytes'>, days: number | null): string {
  const { read_bytes: read, total_bytes: total } = reading;
  const far = read >= total ? 'All of it was read' : `${Math.floor((100 * read) / total)} % of it was read`;
  const next = days === null ? 'nothing is read by itself' : `a share is read each night, everything within ${counted(days, 'day')}`;
  return `${far} at least once; ${next}.`;
}

type Damaged = Schemas['DamagedCopy'];

/** What of a damaged backup cannot be given back, with some names. */
export function lostWords(lost: Damaged['lost']): string {
  if (lost.length === 0) return 'nobody can tell what; all of it may be';
  return lost
    .map((one) => {
      const more = one.items - one.names.length;
      const named = one.names.length ? ` (${one.names.join(', ')}${more > 0 ? `, and ${more} more` : ''})` : '';
      return `${counted(one.items, 'item')} of ${one.label.toLowerCase()}${named}`;
    })
    .join('; ');
}

/** Where what is lost comes from. */
export const mendsWords = (wholeIn: readonly string[]): string =>
  wholeIn.length
    ? `whole in ${wholeIn.join(', ')}: the next check fetches it from there`
    : 'whole nowhere else: what is still on the device comes with its next run';
