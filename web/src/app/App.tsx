/**
 * Providers and doors: who is not signed in sees the sign-in, a new installation asks for its first administrator. Whoever is
 * in stays in: when the session ends or the server goes away, the screens stand as they are, with what was typed in them.
 */
import { MutationCache, QueryCache, QueryClient, QueryClientProvider, useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useState } from 'react';
import { RouterProvider } from 'react-router';

import { ProblemError, problemOf } from '../api/client';
import { key } from '../api/keys';
import { useMe } from '../api/queries';
import { OfficeTime } from '../ui/Office';
import { OfficeNamed } from '../ui/Screen';
import { Failed, Loading } from '../ui/States';
import { LiveLine } from './LiveLine';
import { router } from './router';

const FirstAdministratorScreen = lazy(async () => ({
  default: (await import('../features/people/FirstAdministratorScreen')).FirstAdministratorScreen,
}));

const SignInScreen = lazy(async () => ({ default: (await import('../features/people/SignInScreen')).SignInScreen }));

const SignInAgain = lazy(async () => ({ default: (await import('./SignInAgain')).SignInAgain }));

const refused = (error: unknown): boolean => error instanceof ProblemError && error.problem.status >= 400 && error.problem.status < 500;

/** Whoever is told that the session is over asks who is signed in: the door then shows what to do. */
const onError = (error: unknown): void => {
  if (error instanceof ProblemError && error.problem.code === 'access.signed_out') void queries.invalidateQueries({ queryKey: key('me') });
};

const queries = new QueryClient({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
  defaultOptions: { queries: { staleTime: 5_000, retry: (failures, error) => failures < 2 && !refused(error) } },
});

export function App() {
  return (
    <QueryClientProvider client={queries}>
      <Door />
    </QueryClientProvider>
  );
}

function Door() {
  const me = useMe();
  const asked = useQueryClient();
  const user = me.data?.user ?? null;
  const [inside, setInside] = useState<number | null>(null);
  if (user && inside === null) setInside(user.id);
  useEffect(() => {
    if (!user || inside === null) return;
    // somebody else: nothing of what the one before saw stays here
    if (user.id !== inside) window.location.assign('/');
  }, [user, inside]);
  if (inside !== null) {
    return (
      <OfficeTime zone={me.data?.office?.zone ?? 'UTC'}>
        <OfficeNamed value={me.data?.office?.name ?? ''}>
          <LiveLine key={user ? 'in' : 'out'} />
          <RouterProvider router={router} />
          {me.data && !user && (
            <Suspense fallback={null}>
              <SignInAgain onDone={() => void asked.invalidateQueries()} />
            </Suspense>
          )}
        </OfficeNamed>
      </OfficeTime>
    );
  }
  if (me.isPending) return <Loading what="Old Attic" />;
  if (me.isLoadingError) return <Failed problem={problemOf(me.error)} onRetry={() => void me.refetch()} />;
  return (
    <Suspense fallback={<Loading what="the first page" />}>
      {me.data.needs_first_administrator ? <FirstAdministratorScreen /> : <SignInScreen officeName={me.data.office?.name ?? 'Old Attic'} />}
    </Suspense>
  );
}
