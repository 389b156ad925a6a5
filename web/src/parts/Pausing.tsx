/** Pause something until a day, or end its pause; used for a plan, a device and everything. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../api/act';
import { client } from '../api/client';
import { Dialog } from '../ui/forms/Dialog';
import { DateField } from '../ui/forms/DateField';
import { Field } from '../ui/forms/Field';
import { dayIn, nextMonday } from '../ui/forms/dates';
import type { Pause } from './pauses';
import { useNow, useZone } from '../ui/Office';

export function PauseButton({ what, plan, device, pause }: { what: string; plan?: string; device?: string; pause: Pause | null }) {
  const [asking, setAsking] = useState(false);
  const end = useAct(() => client.DELETE('/api/pauses/{id}', { params: { path: { id: pause?.id ?? '' } } }), 'pause');
  if (pause)
    return (
      <Button variant="outline-primary" disabled={end.busy} onClick={() => end.go()}>
        Go on with {pause.of === 'everything' ? 'everything' : pause.of === 'plan' ? 'the plan' : 'this device'}
      </Button>
    );
  return (
    <>
      <Button variant="outline-primary" onClick={() => setAsking(true)}>
        Pause {what}
      </Button>
      {asking && <AskPause what={what} plan={plan ?? null} device={device ?? null} onDone={() => setAsking(false)} />}
    </>
  );
}

function AskPause({ what, plan, device, onDone }: { what: string; plan: string | null; device: string | null; onDone: () => void }) {
  const [until, setUntil] = useState(nextMonday(dayIn(useNow(), useZone())));
  const [reason, setReason] = useState('');
  const ask = useAct(() => client.POST('/api/pauses', { body: { plan, device, until: until || null, reason } }), 'pause', onDone);
  const problem = ask.problem;
  return (
    <Dialog title={`Pause ${what}`} action={`Pause ${what}`} onSubmit={() => ask.go()} onCancel={onDone} problem={problem} busy={ask.busy}>
      <p>
        Nothing of it starts by itself until then. Runs under way go on to their end; runs by hand are possible at any time. Nights of the
        pause are not owed.
      </p>
      <DateField label="Goes on from" value={until} onChange={setUntil} field="until" hint="Empty: until somebody ends it." />
      <Field
        label="Reason"
        value={reason}
        onChange={setReason}
        maxLength={200}
        field="reason"
        hint="Somebody else will wonder in a week."
        required
      />
    </Dialog>
  );
}
