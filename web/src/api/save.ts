/** Saves a form and says with what it began: what somebody else has changed since is not undone in silence. */
import { useRef, useState } from 'react';

import { useAct, type Act, type Answer } from './act';
import type { Change } from './keys';

/** Fields as they were read. */
type Read = Record<string, unknown>;

export interface Saving<Told, Given> extends Act<Told, Given> {
  /** Send it again whatever is there now; only there once the server has refused because of somebody else's change. */
  over: (() => void) | undefined;
}

interface More<Told, Given> {
  after?: (told: Told, given: Given) => void;
  /** For a form that stays open: what it begins with from then on. */
  again?: (told: Told) => Read;
}

export function useSave<Told, Given extends object>(
  send: (given: Given & { read?: Read }) => Answer<Told>,
  read: Read | (() => Read),
  changes: Change | readonly Change[],
  { after, again }: More<Told, Given> = {},
): Saving<Told, Given> {
  // kept as it was when the form was opened: what is asked again meanwhile is not what was typed over
  const [first, setFirst] = useState(read);
  const last = useRef<Given | null>(null);
  const act = useAct<Told, Given & { read?: Read }>(send, changes, (told, given) => {
    if (again) setFirst(again(told));
    after?.(told, given);
  });
  const overtaken = act.problem?.code === 'state.changed_meanwhile';
  return {
    ...act,
    go: (given) => {
      last.current = given;
      act.go({ ...given, read: first });
    },
    over: overtaken ? () => last.current && act.go(last.current) : undefined,
  };
}
