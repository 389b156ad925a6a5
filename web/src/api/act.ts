/** One way to do something on the server: sent once, its refusal kept for the form, what it touches asked again. */
import { useMutation, useQueryClient } from '@tanstack/react-query';

import { problemOf, told, type Problem } from './client';
import { touch, type Change } from './keys';

/** What the typed client returns: an answer that may yet turn out to be a problem. */
export type Answer<Told> = Promise<{ data?: Told; error?: unknown; response: Response }>;

export interface Act<Told, Given> {
  /** Send it. While an earlier one is under way nothing is sent: a double click is one act. */
  go: (given: Given) => void;
  busy: boolean;
  problem: Problem | null;
  told: Told | undefined;
  /** It was carried out. */
  done: boolean;
  /** Forget what was told or refused. */
  clear: () => void;
}

export function useAct<Told, Given = void>(
  send: (given: Given) => Answer<Told>,
  changes: Change | readonly Change[],
  after?: (told: Told, given: Given) => void,
): Act<Told, Given> {
  const queries = useQueryClient();
  const named = typeof changes === 'string' ? [changes] : changes;
  const act = useMutation({
    mutationFn: (given: Given) => told(send(given)),
    onSuccess: async (answer, given) => {
      await touch(queries, ...named);
      after?.(answer, given);
    },
    // refused, perhaps because somebody else was faster: what stands there may be old
    onError: () => void touch(queries, ...named),
  });
  return {
    go: (given) => {
      if (!act.isPending) act.mutate(given);
    },
    busy: act.isPending,
    problem: act.error ? problemOf(act.error) : null,
    told: act.data,
    done: act.isSuccess,
    clear: act.reset,
  };
}
