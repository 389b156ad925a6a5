/** Put an incident off until a day, with a reason; or take it up again. */
import { lazy, Suspense, useState } from 'react';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { plainDay } from '../../ui/format';

// fetched when it is first asked for: the first screen does without
const AskPutOff = lazy(async () => ({ default: (await import('./AskPutOff')).AskPutOff }));

export function PutOff({ id, what, until, why }: { id: string; what: string; until: string | null; why: string }) {
  const [asking, setAsking] = useState(false);
  const takeUp = useAct(() => client.DELETE('/api/incidents/{id}/put-off', { params: { path: { id } } }), 'incident');
  if (until && why)
    return (
      <span className="quiet">
        until {plainDay(until)}: {why}{' '}
        <button type="button" className="linklike" disabled={takeUp.busy} onClick={() => takeUp.go()}>
          take up<span className="visually-hidden"> again: {what}</span>
        </button>
      </span>
    );
  return (
    <>
      <button type="button" className="linklike" onClick={() => setAsking(true)}>
        put off<span className="visually-hidden">: {what}</span>
      </button>
      {asking && (
        <Suspense fallback={null}>
          <AskPutOff id={id} onDone={() => setAsking(false)} />
        </Suspense>
      )}
    </>
  );
}
