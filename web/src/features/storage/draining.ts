/** Draining in words: what will be where. */
import type { Schemas } from '../../api/client';
import { counted, grouped, iec } from '../../ui/format';

type Outlook = Schemas['Outlook'];

export function outlookLines(told: Outlook): string[] {
  const lines = [`${counted(told.here, 'backup lies', 'backups lie')} here; ${grouped(told.there)} of them there already.`];
  if (told.moving) lines.push(`${counted(told.moving, 'copy is', 'copies are')} to be made, of ${iec(told.moving_bytes)} at the most.`);
  if (told.failed) lines.push(`${counted(told.failed, 'copy', 'copies')} could not be made; the list of copies says why.`);
  if (told.elsewhere)
    lines.push(
      `${counted(told.elsewhere, 'backup is', 'backups are')} not copied: the rule there would not keep it, and another store holds it.`,
    );
  const damaged = told.lost.filter((one) => one.damaged).length;
  if (damaged) lines.push(`${counted(damaged, 'backup is', 'backups are')} damaged here and whole nowhere: it cannot be copied.`);
  if (told.plans.length)
    lines.push(`${told.plans.join(', ')} ${told.plans.length === 1 ? 'goes' : 'go'} to ${told.into_name} from then on.`);
  return lines;
}

/** What giving it up means. */
export function retireSentence(told: Outlook): string {
  const stays = 'Nothing in it is touched; its backups are in the history as having been there.';
  if (told.lost_count === 0) return `Everything that it holds lies whole in another store. ${stays}`;
  return `${counted(told.lost_count, 'backup', 'backups')} would lie whole in no store any more. ${stays}`;
}
