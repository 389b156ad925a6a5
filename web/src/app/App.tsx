/** Providers and doors: who is not signed in sees the sign-in, a new installation asks for its first administrator. */
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { RouterProvider } from 'react-router';

import { ProblemError, problemOf } from '../api/client';
import { useMe } from '../api/queries';
import { FirstAdministratorScreen } from '../features/people/FirstAdministratorScreen';
import { SignInScreen } from '../features/people/SignInScreen';
import { OfficeTime } from '../ui/Office';
import { Failed, Loading } from '../ui/States';
import { LiveLine } from './LiveLine';
import { router } from './router';

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (failures, error) => failures < 2 && !(error instanceof ProblemError && error.problem.status >= 400 && error.problem.status < 500),
    },
  },
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
  if (me.isPending) return <Loading what="Old Attic" />;
  if (me.isError) return <Failed problem={problemOf(me.error)} onRetry={() => void me.refetch()} />;
  if (me.data.needs_first_administrator) return <FirstAdministratorScreen />;
  if (!me.data.user) return <SignInScreen officeName={me.data.office?.name ?? 'Old Attic'} />;
  return (
    <OfficeTime zone={me.data.office?.zone ?? 'UTC'}>
      <LiveLine />
      <RouterProvider router={router} />
    </OfficeTime>
  );
}
