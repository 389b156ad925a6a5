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
  const where = restore.target === 'device' ? `on ${restore.device_name}` : 'in the archive';
  const counts = `${counted(expected, 'item')} expected ${where}, ${counted(found, 'item')} found.`;
  if (restore.state === 'partial') return `${counts} What is missing is listed below.`;
  return restore.target === 'device' ? `${counts} After a full restore apps may go on loading for a while: leave the device alone until they have.` : counts;
}
