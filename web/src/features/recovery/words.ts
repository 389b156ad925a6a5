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

/** The last word on a restore; empty while it goes on. */
export function closing(restore: Restore): string {
  if (restore.state === 'failed') return `It failed. ${restore.cause}`;
  if (restore.state === 'stopped') return restore.cause;
  if (restore.state !== 'complete' && restore.state !== 'partial') return '';
  const expected = restore.report.reduce((sum, row) => sum + row.expected, 0);
  const found = restore.report.reduce((sum, row) => sum + row.found, 0);
  const where = restore.target === 'device' ? `on ${restore.device_name}, ${restore.device_holder}` : 'in the archive';
  const counts = `${counted(expected, 'item')} expected ${where}, ${counted(found, 'item')} found there, ${proof(restore)}.`;
  if (restore.state === 'partial') return `${counts} ${lacking(restore)}`;
  const toPhone = restore.target === 'device' && restore.report.some((row) => APPS.includes(row.kind));
  return toPhone ? `${counts} Apps may go on loading for a while: leave the device alone until they have.` : counts;
}

const APPS = ['apps', 'app_data', 'home_screen'];

/** On what the count of what was found rests. */
function proof(restore: Restore): string {
  if (restore.target === 'archive') return 'each read whole from the store';
  const bySize = restore.report.filter((row) => row.proven_by === 'size').map((row) => row.label.toLowerCase());
  return bySize.length === 0 ? 'each compared by its content' : `compared by content, ${bySize.join(' and ')} by name and size only, because the device tells no digests`;
}

function lacking(restore: Restore): string {
  const sum = (count: (row: Restore['report'][number]) => number) => restore.report.reduce((whole, row) => whole + count(row), 0);
  const parts = [
    [sum((row) => row.missing_count ?? row.expected - row.found), 'missing or other than it should be'],
    [sum((row) => row.damaged.length), 'damaged in the store'],
    [sum((row) => row.refused?.length ?? 0), 'refused by the place'],
  ] as const;
  const told = parts.filter(([count]) => count > 0).map(([count, word]) => `${counted(count, 'item')} ${word}`);
  return told.length > 0 ? `${told.join(', ')}: named below.` : '';
}
