/** Saves something once it was seen what leaves by it; where nothing does, at once. */
import { useState } from 'react';

import type { Act } from '../../api/act';
import { useAct } from '../../api/act';
import type { Change } from '../../api/keys';
import type { Told } from './words';

type Sends<Answer, Given> = (given: Given) => Promise<{ data?: Answer; error?: unknown; response: Response }>;

/** What was shown, and the word that was typed. */
export interface Agreed {
  seen: string;
  word: string;
}

export interface Seen<Asked> {
  go: (asked: Asked) => void;
  agree: (word: string) => void;
  cancel: () => void;
  busy: boolean;
  done: boolean;
  problem: Act<unknown, unknown>['problem'];
  /** What leaves by it, while somebody is asked. */
  shown: Told | null;
}

export function useSeenSaving<Asked, Saved>(
  look: Sends<Told, Asked>,
  send: Sends<Saved, Asked & Agreed>,
  changes: Change | readonly Change[],
  after: () => void,
): Seen<Asked> {
  const [shown, setShown] = useState<{ asked: Asked; told: Told } | null>(null);
  const save = useAct(send, changes, after);
  const looked = useAct(look, [], (told, asked) => {
    if (told.digest) setShown({ asked, told });
    else save.go({ ...asked, seen: '', word: '' });
  });
  return {
    go: (asked) => {
      save.clear();
      looked.go(asked);
    },
    agree: (word) => shown && save.go({ ...shown.asked, seen: shown.told.digest, word }),
    cancel: () => setShown(null),
    busy: save.busy || looked.busy,
    done: save.done,
    problem: save.problem ?? looked.problem,
    shown: shown?.told ?? null,
  };
}
