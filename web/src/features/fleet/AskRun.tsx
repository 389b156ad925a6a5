/** A run by hand: with an occasion its backup is on hold until somebody releases it, or until a day. */
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';
import { useNavigate } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { Choice, Field } from '../../ui/Field';
import { OCCASIONS } from '../../ui/occasions';
import { Refused } from '../../ui/States';

export function AskRun({ row, onCancel }: { row: Schemas['DeviceRow']; onCancel: () => void }) {
  const navigate = useNavigate();
  const [body, setBody] = useState<Schemas['AskRunRequest']>({ note: '', occasion: '', hold_until: null });
  const run = useMutation({
    mutationFn: () => told(client.POST('/api/devices/{id}/run', { params: { path: { id: row.id } }, body })),
    onSuccess: (asked) => void navigate(`/history/${asked.id}`),
  });
  const problem = run.error ? problemOf(run.error) : null;
  return (
    <Modal show onHide={onCancel} centered aria-labelledby="ask-run" animation={false}>
      <Modal.Header>
        <Modal.Title id="ask-run" as="h2">
          Run {row.name} of {row.holder} now?
        </Modal.Title>
      </Modal.Header>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          run.mutate();
        }}
      >
        <Modal.Body>
          <Refused problem={problem} />
          <Choice label="Occasion" value={body.occasion} onChange={(occasion) => setBody({ ...body, occasion: occasion as typeof body.occasion })} options={OCCASIONS} problem={problem} field="occasion" />
          {body.occasion && (
            <Field
              label="On hold until"
              type="date"
              value={body.hold_until ?? ''}
              onChange={(day) => setBody({ ...body, hold_until: day || null })}
              hint="Empty: until somebody releases it. No rule removes it before."
              problem={problem}
              field="hold_until"
            />
          )}
          <Field label="Note" value={body.note} onChange={(note) => setBody({ ...body, note })} maxLength={200} hint="Stands beside the backup, for whoever looks for it." />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-primary" onClick={onCancel}>
            Leave it
          </Button>
          <Button type="submit" disabled={run.isPending}>
            Start the run
          </Button>
        </Modal.Footer>
      </form>
    </Modal>
  );
}
