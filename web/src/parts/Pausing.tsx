/** Pause something until a day, or end its pause; used for a plan, a device and everything. */
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';

import { client, problemOf, told, type Schemas } from '../api/client';
import { Field } from '../ui/Field';
import { plainDay } from '../ui/format';
import { Refused } from '../ui/States';

export type Pause = Schemas['Pause'];

export const pauseWords = (pause: Pick<Pause, 'until' | 'reason'>): string =>
  `paused ${pause.until ? `until ${plainDay(pause.until)}` : 'until further notice'}${pause.reason ? `: ${pause.reason}` : ''}`;

export function PauseButton({ what, plan, device, pause }: { what: string; plan?: string; device?: string; pause: Pause | null }) {
  const [asking, setAsking] = useState(false);
  const queries = useQueryClient();
  const end = useMutation({
    mutationFn: () => told(client.DELETE('/api/pauses/{id}', { params: { path: { id: pause?.id ?? '' } } })),
    onSettled: () => queries.invalidateQueries(),
  });
  if (pause)
    return (
      <Button variant="outline-primary" disabled={end.isPending} onClick={() => end.mutate()}>
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
  const [until, setUntil] = useState(nextMonday());
  const [reason, setReason] = useState('');
  const queries = useQueryClient();
  const ask = useMutation({
    mutationFn: () => told(client.POST('/api/pauses', { body: { plan, device, until: until || null, reason } })),
    onSuccess: async () => {
      await queries.invalidateQueries();
      onDone();
    },
  });
  const problem = ask.error ? problemOf(ask.error) : null;
  return (
    <Modal show onHide={onDone} centered aria-labelledby="pause-title" animation={false}>
      <Modal.Header>
        <Modal.Title id="pause-title" as="h2">
          Pause {what}
        </Modal.Title>
      </Modal.Header>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          ask.mutate();
        }}
      >
        <Modal.Body>
          <Refused problem={problem} />
          <p>Nothing of it starts by itself until then. Runs under way go on to their end; runs by hand are possible at any time. Nights of the pause are not owed.</p>
          <Field label="Goes on from" type="date" value={until} onChange={setUntil} problem={problem} field="until" hint="Empty: until somebody ends it." />
          <Field label="Reason" value={reason} onChange={setReason} maxLength={200} problem={problem} field="reason" hint="Somebody else will wonder in a week." required />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-primary" onClick={onDone}>
            Leave it
          </Button>
          <Button type="submit" disabled={ask.isPending}>
            Pause {what}
          </Button>
        </Modal.Footer>
      </form>
    </Modal>
  );
}

function nextMonday(): string {
  const day = new Date();
  day.setDate(day.getDate() + ((8 - day.getDay()) % 7 || 7));
  return `${day.getFullYear()}-${String(day.getMonth() + 1).padStart(2, '0')}-${String(day.getDate()).padStart(2, '0')}`;
}
