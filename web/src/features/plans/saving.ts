/** Saves a plan once it was seen what leaves by it; where nothing does, at once. */
import { useState } from 'react';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import type { Consequences, Draft } from './words';

interface Agreed {
  draft: Draft;
  seen: string;
  word: string;
}

export function useSaving(id: string, after: () => void) {
  const [shown, setShown] = useState<{ draft: Draft; told: Consequences } | null>(null);
  const save = useAct(
    ({ draft, seen, word }: Agreed) => {
      const body = { ...draft, seen, word };
      return id === 'new' ? client.POST('/api/plans', { body }) : client.PUT('/api/plans/{id}', { params: { path: { id } }, body });
    },
    'plan',
    after,
  );
  const look = useAct(
    (draft: Draft) => client.POST('/api/plans/consequences', { body: { ...draft, id: id === 'new' ? null : id } }),
    [],
    (told, draft) => {
      if (told.digest) setShown({ draft, told });
      else save.go({ draft, seen: '', word: '' });
    },
  );
  return {
    go: (draft: Draft) => {
      save.clear();
      look.go(draft);
    },
    agree: (word: string) => shown && save.go({ draft: shown.draft, seen: shown.told.digest, word }),
    cancel: () => setShown(null),
    busy: save.busy || look.busy,
    problem: save.problem ?? look.problem,
    shown: shown?.told ?? null,
  };
}
