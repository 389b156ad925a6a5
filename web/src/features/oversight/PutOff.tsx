/** Put a matter off until a day, with a reason; or take it up again. */
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';

import { client, problemOf, told } from '../../api/client';
import { Field } from '../../ui/Field';
import { plainDay } from '../../ui/format';
import { Refused } from '../../ui/States';

export function PutOff({ id, until, why }: { id: string; until: string | null; why: string }) {
  const [asking, setAsking] = useState(false);
  const queries = useQueryClient();
  const takeUp = useMutation({
    mutationFn: () => told(client.DELETE('/api/matters/{id}/put-off', { params: { path: { id } } })),
    onSettled: () => queries.invalidateQueries(),
  });
  if (until && why)
    return (
      <span className="quiet">
        until {plainDay(until)}: {why}{' '}
        <button type="button" className="linklike" disabled={takeUp.isPending} onClick={() => takeUp.mutate()}>
          take up
        </button>
      </span>
    );
  return (
    <>
      <button type="button" className="linklike" onClick={() => setAsking(true)}>
        put off
      </button>
      {asking && <AskPutOff id={id} onDone={() => setAsking(false)} />}
    </>
  );
}

function AskPutOff({ id, onDone }: { id: string; onDone: () => void }) {
  const [until, setUntil] = useState('');
  const [why, setWhy] = useState('');
  const queries = useQueryClient();
  const ask = useMutation({
    mutationFn: () => told(client.POST('/api/matters/{id}/put-off', { params: { path: { id } }, body: { until, why } })),
    onSuccess: async () => {
      await queries.invalidateQueries();
      onDone();
    },
  });
  const problem = ask.error ? problemOf(ask.error) : null;
  return (
    <Modal show onHide={onDone} centered aria-labelledby="put-off-title" animation={false}>
      <Modal.Header>
        <Modal.Title id="put-off-title" as="h2">
          Put it off
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
          <p>It is not counted until then, and nobody is told of it. It closes by itself if the cause goes away before.</p>
          <Field label="Back on" type="date" value={until} onChange={setUntil} problem={problem} field="until" required />
          <Field label="What it waits for" value={why} onChange={setWhy} problem={problem} field="why" maxLength={200} required />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-primary" onClick={onDone}>
            Leave it
          </Button>
          <Button type="submit" disabled={ask.isPending}>
            Put it off
          </Button>
        </Modal.Footer>
      </form>
    </Modal>
  );
}
