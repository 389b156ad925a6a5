/** Wording of restores. */
import { RUN_STATES } from '../../ui/Mark';
import { counted } from '../../ui/format';
import type { Schemas } from '../../api/client';

export const RESTORE_STATES = {
  waiting: RUN_STATES['waiting'],
  running: RUN_STATES['running'],
  complete: RUN_STATES['complete'],
  partial: RUN_STATES['partial'],
  failed: RUN_STATES['failed'],
  stopped: RUN_STATES['stopped'],
};

type Restore = Schemas['Restore'];
type Report = Restore['report'][number];

/** What to do with what differs on the device already. */
export const CONFLICTS = [
  { value: 'keep_both', label: 'keep both' },
  { value: 'replace', label: 'replace what is there' },
  { value: 'skip', label: 'skip it, leave what is there' },
] as const;

/** What a restore does unless somebody chooses otherwise: nothing on the device is lost. */
export const LEAST_LOSS: (typeof CONFLICTS)[number]['value'] = 'keep_both';

/** The columns of a restore's report, each with the count that it shows; nothing where the server tells none. */
export const REPORT_COLUMNS: { label: string; count: (row: Report) => number | undefined }[] = [
  { label: 'Chosen', count: (row) => row.chosen },
  { label: 'Written', count: (row) => row.written },
  { label: 'Added beside', count: (row) => row.added },
  { label: 'Replaced', count: (row) => row.replaced },
  { label: 'The same already', count: (row) => row.same },
  { label: 'Left as it is', count: (row) => row.left },
  { label: 'Expected', count: (row) => row.expected },
  { label: 'Found', count: (row) => row.found },
];

const ON_A_DEVICE = ['Added beside', 'Replaced', 'The same already', 'Left as it is'];

/** Those that say something of this restore: in an export nothing was there before. */
export const columnsOf = (restore: Pick<Restore, 'target'>) =>
  REPORT_COLUMNS.filter((column) => restore.target === 'device' || !ON_A_DEVICE.includes(column.label));

/** What a restore ended with; empty while it goes on. */
export function closing(restore: Restore): string {
  if (restore.state === 'failed') return `It failed. ${restore.cause}`;
  if (restore.state === 'stopped') return restore.cause;
  if (restore.state !== 'complete' && restore.state !== 'partial') return '';
  const expected = restore.report.reduce((sum, row) => sum + row.expected, 0);
  const total = restore.report.reduce((sum, row) => sum + row.found, 0);
  const where = lies(restore);
  const counts = `${counted(expected, 'item')} expected ${where}, ${counted(total, 'item')} found there, ${proof(restore)}.`;
  if (restore.state === 'partial') return `${counts} ${lacking(restore)}`;
  const toPhone = restore.target === 'device' && restore.report.some((row) => APPS.includes(row.kind));
  return toPhone ? `${counts} Apps may go on loading for a while: leave the device alone until they have.` : counts;
}

const lies = (restore: Restore): string =>
  restore.target === 'device'
    ? `on ${restore.device_name}, ${restore.device_holder}`
    : restore.target === 'folder'
      ? `in ${restore.folder}`
      : 'in the archive';

const APPS = ['apps', 'app_data', 'home_screen'];

/** On what the count of what was found rests. */
function proof(restore: Restore): string {
  if (restore.target !== 'device') return 'each read whole from the store';
  const bySize = restore.report.filter((row) => row.proven_by === 'size').map((row) => row.label.toLowerCase());
  return bySize.length === 0
    ? 'each compared by its content'
    : `compared by content, ${bySize.join(' and ')} by name and size only, because the device tells no digests`;
}

function lacking(restore: Restore): string {
  const sum = (count: (row: Restore['report'][number]) => number) => restore.report.reduce((whole, row) => whole + count(row), 0);
  const parts = [
    [sum((row) => row.missing_count ?? row.expected - row.found), 'missing or other than it should be'],
    [sum((row) => row.damaged.length), 'damaged in the store'],
    [sum((row) => row.refused?.length ?? 0), 'refused by the place'],
  ] as const;
  const phrases = parts.filter(([count]) => count > 0).map(([count, word]) => `${counted(count, 'item')} ${word}`);
  return phrases.length > 0 ? `${phrases.join(', ')}: named below.` : '';
}

/** In which form contacts leave in an archive. */
export const CARD_FORMS: readonly { value: '4.0' | '3.0' | 'as_it_came'; label: string }[] = [
  { value: '4.0', label: 'vCard 4.0' },
  { value: '3.0', label: 'vCard 3.0, for older programs' },
  { value: 'as_it_came', label: 'cards as they came, where they were kept' },
];

/** Where what was chosen can go. */
export const TARGETS: readonly { value: 'device' | 'archive' | 'folder'; label: string; more: string }[] = [
  { value: 'device', label: 'A device', more: '' },
  { value: 'archive', label: 'A ZIP archive', more: ' of open formats, to be saved from here' },
  { value: 'folder', label: 'A folder of the server', more: ' of open formats, until a day' },
];

export const LAYOUTS: readonly { value: 'files' | 'bag'; label: string }[] = [
  { value: 'files', label: 'folders of files' },
  { value: 'bag', label: 'a bag (RFC 8493): anybody can prove that nothing has changed' },
];

/** What the button does. */
export const doing = (target: 'device' | 'archive' | 'folder', device: string): string =>
  target === 'device' ? `Write to ${device || 'the device'}` : target === 'archive' ? 'Make the archive' : 'Write into the folder';

/** Where a restore went. */
export function wentTo(restore: Pick<Restore, 'target' | 'device_name' | 'device_holder' | 'folder'>): string {
  if (restore.target === 'device') return `to ${restore.device_name}, ${restore.device_holder}`;
  return restore.target === 'folder' ? `into the folder ${restore.folder}` : 'into an archive';
}

/** What sort of export it is, beside its name. */
export const laidOut = (one: { folder: string; layout?: 'files' | 'bag'; locked?: boolean }): string =>
  [one.folder ? 'folder' : 'archive', one.layout === 'bag' && 'as a bag', one.locked && 'under a passphrase'].filter(Boolean).join(', ');

/** Of an archive that was made and cannot be fetched any more. */
export const isGone = (restore: Restore): boolean =>
  restore.target === 'archive' && restore.file_bytes !== null && restore.file_name === '' && restore.state !== 'failed';
