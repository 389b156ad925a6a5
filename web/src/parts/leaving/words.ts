/** What a change lets leave, in words. */
import type { Schemas } from '../../api/client';
import { counted } from '../../ui/format';

export type Told = Schemas['Consequences'];

/** What a change of the rule does, as a heading. A backup leaves when no store keeps it; a copy may leave one store alone. */
export function consequenceWords({ leaves, stays, stores = [] }: Pick<Told, 'leaves' | 'stays'> & Partial<Told>): string {
  const copies = stores.reduce((sum, store) => sum + store.leaves, 0);
  if (leaves > 0) return `${counted(leaves, 'backup')} ${leaves === 1 ? 'leaves' : 'leave'} by this change`;
  if (copies > 0) return `${counted(copies, 'copy leaves', 'copies leave')}, and other stores keep what they hold`;
  return stays ? 'Nothing leaves by this change' : 'Nothing lies there yet';
}
