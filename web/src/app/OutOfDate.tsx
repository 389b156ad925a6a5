/** Says that a screen which stands could not be asked again: what it shows stays, and nobody takes it for the newest. */
import { useQueryClient, type Query } from '@tanstack/react-query';
import { useSyncExternalStore } from 'react';
import Button from 'react-bootstrap/Button';

import { ProblemError, problemOf } from '../api/client';

/** Has an older answer, and failed when it was asked again. That a session is over is said by the door. */
const FAILED_AGAIN = {
  type: 'active' as const,
  predicate: ({ state }: Query): boolean =>
    state.status === 'error' &&
    state.data !== undefined &&
    !(state.error instanceof ProblemError && state.error.problem.code === 'access.signed_out'),
};

export function OutOfDate() {
  const queries = useQueryClient();
  const cache = queries.getQueryCache();
  const error = useSyncExternalStore(
    (changed) => cache.subscribe(changed),
    () => cache.findAll(FAILED_AGAIN)[0]?.state.error ?? null,
  );
  if (!error) return null;
  return (
    <div className="state-note failed" role="alert">
      <strong>What you see may be out of date.</strong> {problemOf(error).title}
      <Button size="sm" variant="outline-primary" className="ms-2" onClick={() => void queries.refetchQueries(FAILED_AGAIN)}>
        Ask again
      </Button>
    </div>
  );
}
