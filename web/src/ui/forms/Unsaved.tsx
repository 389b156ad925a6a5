/** Asks before a screen is left on which something was typed and not saved. */
import { lazy, Suspense, useEffect } from 'react';
import { NavigationType, useBlocker, useInRouterContext } from 'react-router';

const AskLeave = lazy(async () => ({ default: (await import('./AskLeave')).AskLeave }));

export function Unsaved({ unsaved }: { unsaved: boolean }) {
  // a form outside of the router (sign-in) has nowhere to go to
  // and the router asks one guard only: a form with nothing to lose must not stand before one that has
  return useInRouterContext() && unsaved ? <Guard /> : null;
}

function Guard() {
  useEffect(() => {
    const hold = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener('beforeunload', hold);
    return () => window.removeEventListener('beforeunload', hold);
  }, []);
  const blocker = useBlocker(
    ({ currentLocation: here, nextLocation: there, historyAction }) =>
      here.pathname !== there.pathname && !(historyAction !== NavigationType.Pop && isSaved(there.state)),
  );
  if (blocker.state !== 'blocked') return null;
  // fetched when it is first needed: nearly every form is saved before it is left
  return (
    <Suspense fallback={null}>
      <AskLeave onLeave={() => blocker.proceed()} onStay={() => blocker.reset()} />
    </Suspense>
  );
}

/** The state with which a form that was saved goes on to the next screen. */
export const SAVED = { saved: true } as const;

const isSaved = (state: unknown): boolean => typeof state === 'object' && state !== null && 'saved' in state;
