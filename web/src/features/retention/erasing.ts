/** Erasing in words. */
import type { Schemas } from '../../api/client';
import { counted, plainDay } from '../../ui/format';

type Erasure = Schemas['Erasure'];
type Step = Erasure['steps'][number];

/** What it is about: names of items only while they are known. */
export function erased(row: Pick<Erasure, 'whole' | 'holder' | 'devices' | 'items'>): string {
  const devices = row.devices.map((one) => one.name).join(', ');
  if (row.whole) return row.holder ? `everything of ${row.holder}${devices ? ` (${devices})` : ''}` : `everything of ${devices}`;
  const names = row.items.map((one) => one.name).filter(Boolean);
  const what = names.length > 0 && names.length <= 3 ? names.join(', ') : counted(row.items.length, 'item');
  return `${what} of ${devices}`;
}

export function standing(row: Pick<Erasure, 'state' | 'begins_on' | 'steps'>): string {
  switch (row.state) {
    case 'asked':
      return `waits until ${plainDay(row.begins_on)}`;
    case 'called_off':
      return 'called off';
    case 'done':
      return 'gone everywhere';
    case 'under_way': {
      const gone = row.steps.filter((step) => step.state === 'gone').length;
      const stuck = row.steps.filter((step) => step.trouble || step.held > 0).length;
      return `gone from ${gone} of ${counted(row.steps.length, 'store')}${stuck > 0 ? `, ${stuck} cannot go on` : ''}`;
    }
  }
}

export function stepWords(step: Step): string {
  if (step.state === 'gone') return 'gone';
  if (step.held > 0) return `${counted(step.held, 'backup')} on hold: nothing of it is erased until the hold is released`;
  if (step.trouble) return step.trouble;
  return step.state === 'sweeping' ? 'no backup holds it any more; its bytes wait out two days and go' : 'not begun';
}
